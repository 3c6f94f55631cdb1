"""Where items go: geometry by property, pixels by measure."""

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import ndimage as ndi
from support import item_of

from zero_easel.core.colour import to_linear
from zero_easel.core.encode import encode
from zero_easel.core.item import CutItem
from zero_easel.core.measure import Bounds, bounds_of
from zero_easel.core.photo import decode_photo
from zero_easel.core.placement import free_area, place
from zero_easel.core.render import render
from zero_easel.core.standard import Canvas, Deliverable, Item, Standard

items = st.builds(
    Item,
    margin=st.floats(0, 20),
    share=st.floats(20, 100),
    share_of=st.sampled_from(["frame", "height", "width"]),
    place=st.sampled_from(["line", "centre"]),
    line=st.floats(20, 50),
)
canvases = st.builds(Canvas, width=st.integers(60, 3000), height=st.integers(60, 3000), ground=st.just("#FFFFFF"))
boxes = st.builds(
    lambda x, y, w, h: Bounds(x, y, x + w, y + h),
    st.floats(0, 5000), st.floats(0, 5000), st.floats(1, 5000), st.floats(1, 5000),
)  # fmt: skip


@given(boxes, canvases, items)
def test_an_item_lies_inside_its_margins_by_the_rule(box: Bounds, canvas: Canvas, rule: Item) -> None:
    area_height = canvas.height * (1 - rule.line / 100) - rule.margin / 100 * min(canvas.width, canvas.height)
    assume(rule.place == "centre" or area_height > 8)
    lowest = rule.margin * min(canvas.width, canvas.height) / canvas.height
    assume(rule.place == "centre" or rule.line >= lowest)
    standard = Standard(canvas=canvas, item=rule)
    area = free_area(standard)
    placed = place(box, standard).apply(box)
    tolerance = 1e-6 * max(canvas.width, canvas.height) + 1e-6
    assert placed.left >= area.left - tolerance - 0.5 and placed.right <= area.right + tolerance + 0.5
    assert placed.top >= area.top - tolerance - 1 and placed.bottom <= area.bottom + tolerance + 1
    assert placed.width / placed.height == pytest.approx(box.width / box.height, rel=1e-6)
    assert (placed.left + placed.right) / 2 == pytest.approx(canvas.width / 2, abs=1e-3)
    if rule.place == "line":
        assert placed.bottom == pytest.approx(area.bottom, abs=1e-3)


def soft_ellipse(height: int, width: int, blur: float) -> np.ndarray:
    y, x = np.mgrid[0:height, 0:width]
    inside = ((y - height / 2) / (height * 0.37)) ** 2 + ((x - width / 2) / (width * 0.31)) ** 2 < 1
    return np.asarray(ndi.gaussian_filter(inside.astype(np.float32), blur), np.float32)


@settings(max_examples=25, deadline=None)
@given(st.integers(40, 260), st.integers(40, 260), st.floats(0, 3), st.sampled_from(["line", "centre"]))
def test_the_drawn_item_meets_the_rule_to_the_pixel(height: int, width: int, blur: float, where: str) -> None:
    rule = Item(place=where, margin=7, line=11, share=80)
    canvas = Canvas(width=301, height=240, ground="transparent")
    standard = Standard(canvas=canvas, item=rule, deliverable=Deliverable(format="png"))
    item = item_of(soft_ellipse(height, width, blur))
    assert item.bounds is not None
    drawn = render(item, standard)
    measured = bounds_of(drawn.pixels[..., 3].astype(np.float32) / 255)
    assert drawn.pixels.shape == (240, 301, 4) and measured is not None
    assert measured == drawn.bounds
    # One side ends on its margin or fills its share; the other follows from the item's own proportions.
    area = free_area(standard)
    most = min(area.height, 0.8 * 240), min(area.width, 0.8 * 301)
    short = most[0] - measured.height, most[1] - measured.width
    assert abs(min(short)) <= 1
    assert abs((measured.left + measured.right) / 2 - 301 / 2) <= 1
    lower = area.bottom if where == "line" else 120 + measured.height / 2
    assert abs(measured.bottom - lower) <= 1


def test_edges_are_blended_in_linear_light() -> None:
    alpha = np.zeros((64, 64), np.float32)
    alpha[16:48, 16:48] = 1
    alpha[24:40, 24:40] = 0.5
    standard = Standard(canvas=Canvas(width=32, height=32, ground="#000000"), item=Item(share=100, margin=0, line=0))
    middle = render(item_of(alpha, (255, 255, 255)), standard).pixels[16, 16]
    assert to_linear(middle).mean() == pytest.approx(0.5, abs=0.02)


def test_a_clear_item_brings_no_colour_of_its_own_backdrop() -> None:
    alpha = soft_ellipse(120, 120, 2)
    item = item_of(alpha, (20, 120, 60))
    white = render(item, Standard(canvas=Canvas(width=90, height=90, ground="#149999"))).pixels
    assert white[0, 0].tolist() == [0x14, 0x99, 0x99]


@pytest.mark.parametrize(("form", "magic"), [("jpeg", b"\xff\xd8"), ("png", b"\x89PNG"), ("webp", b"RIFF")])
def test_files_are_what_they_say_and_always_the_same(form: str, magic: bytes) -> None:
    item = item_of(soft_ellipse(90, 90, 1))
    standard = Standard(canvas=Canvas(width=64, height=48), deliverable=Deliverable(format=form))
    first, second = (encode(render(item, standard).pixels, standard.deliverable) for _ in range(2))
    assert first == second and first.startswith(magic)
    back = decode_photo(first, "made")
    assert back.pixels.shape == (48, 64, 3)
    assert back.facts.profile == ""
    assert form == "webp" or abs(back.facts.density - 72) < 0.1


def test_a_kept_item_comes_back_exactly() -> None:
    item = item_of(soft_ellipse(50, 40, 1))
    again = CutItem.unpacked(*item.packed())
    assert np.array_equal(again.pixels, item.pixels)
    assert (again.bounds, again.flags, again.width) == (item.bounds, item.flags, item.width)
    with pytest.raises(ValueError, match="damaged"):
        CutItem.unpacked(b"nothing", item.packed()[1])


def test_specks_do_not_stretch_the_bounds() -> None:
    alpha = np.zeros((200, 200), np.float32)
    alpha[50:150, 60:140] = 1
    alpha[2, 2] = 1
    assert bounds_of(alpha) == Bounds(60, 50, 140, 150)
    assert bounds_of(np.zeros((9, 9), np.float32)) is None
