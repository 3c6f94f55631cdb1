"""The rules: their limits, their words, their file."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.rules import Canvas, Item
from zero_easel.core.standard import Deliverable, Standard, StandardError, changed, write_views
from zero_easel.core.standard_file import read_standard, write_standard

standards = st.builds(
    Standard,
    name=st.text(st.characters(blacklist_categories=("Cc", "Cs", "Zl", "Zp")), min_size=1, max_size=40),
    canvas=st.builds(Canvas, width=st.integers(16, 9000), height=st.integers(16, 9000), ground=st.just("#12ABff")),
    item=st.builds(
        Item,
        margin=st.integers(0, 20),
        share=st.integers(1, 100),
        share_of=st.sampled_from(["frame", "height", "width"]),
        place=st.just("centre"),
        shadow=st.sampled_from(["drop", "natural", "drawn"]),
    ),
    deliverable=st.builds(Deliverable, format=st.sampled_from(["jpeg", "png", "webp"]), quality=st.integers(1, 100)),
)


@given(standards)
def test_yaml_gives_the_same_standard_back(standard: Standard) -> None:
    assert read_standard(write_standard(standard)) == standard


def test_what_a_file_leaves_out_is_built_in() -> None:
    assert read_standard("canvas: {width: 800}").canvas == Canvas(width=800)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("canvas: {width: 5}", "canvas.width must be at least 16"),
        ("canvas: {width: wide}", "canvas.width must be a whole number (given: wide)"),
        ("canvas: {ground: reddish}", "not a colour"),
        ("canvas: {colour: red}", "no rule named canvas.colour"),
        ("canvas: {ground: transparent}", "JPEG cannot hold a transparent ground"),
        ("item: {line: 2}", "inside the margin"),
        ("item: {line: 90, margin: 20}", "no room"),
        ("item: {place: left}", "'line' or 'centre'"),
        ("deliverable: {name: '{code'}", "not closed"),
        ("deliverable: {folder: 'a/{n}'}", "cannot stand in a folder"),
        ("deliverable: {find: '(', find_as: regex}", "not a regular expression"),
        ("canvas: [", "line 1"),
        ("just words", "holds no rules"),
    ],
)
def test_a_bad_file_is_explained(text: str, said: str) -> None:
    with pytest.raises(StandardError) as caught:
        read_standard(text, "shop.yaml")
    assert "shop.yaml" in str(caught.value) and said in str(caught.value)


def test_one_value_at_a_time_as_typed() -> None:
    standard = changed(Standard(), "item.share", " 70 % ")
    assert standard.item.share == 70
    assert changed(standard, "canvas.width", "900 px").canvas.width == 900
    assert changed(standard, "canvas.ground", "abc").canvas.ground == "#AABBCC"
    for field, value in (("item.share", "0"), ("item.nothing", "1"), ("canvas", "1"), ("", "")):
        with pytest.raises(StandardError):
            changed(standard, field, value)


def test_views_in_turn_are_written_and_read_back() -> None:
    standard = changed(Standard(), "views", "front,back ; Kitchen: front, top view")
    assert standard.views == {"": ("front", "back"), "kitchen": ("front", "top view")}
    assert write_views(standard.views) == "front, back; kitchen: front, top view"
    assert read_standard(write_standard(standard)) == standard
    assert changed(standard, "views", "").views == {}
