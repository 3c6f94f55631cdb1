"""Photos that came twice, as raw file and as picture; and photos of a colour target."""

from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.catalog.cards import SHOWS_TARGET, Snap
from zero_easel.core.catalog.matching import Matcher
from zero_easel.core.catalog.products import Product, Shot
from zero_easel.core.catalog.shooting import Frame
from zero_easel.core.catalog.twins import second_files


def snap(name: str, folder: str = "", **more: object) -> Snap:
    raw = name.lower().endswith((".dng", ".nef"))
    return Snap(Frame(name, None), folder=folder, raw=raw, **more)  # type: ignore[arg-type]


PAIR = [snap("A-1_front.DNG"), snap("a-1_front.jpg"), snap("A-2_front.jpg"), snap("A-1_front.jpg", "other")]


def test_one_of_two_counts_and_the_other_says_why_it_stays_out() -> None:
    assert second_files(PAIR, raw_counts=True) == {1: "its raw file A-1_front.DNG counts"}
    assert second_files(PAIR, raw_counts=False) == {0: "its picture a-1_front.jpg counts"}
    damaged = [PAIR[0]._replace(unreadable=True), *PAIR[1:]]
    assert second_files(damaged, raw_counts=True) == {}


def test_matching_asks_for_each_photo_once() -> None:
    matches = Matcher([Product(code="A-1"), Product(code="A-2")]).match_all(PAIR)
    assert [match.code for match in matches] == ["A-1", "A-1", "A-2", "A-1"]
    assert [match.listed for match in matches] == [True, False, True, True]
    assert "raw file" in matches[1].doubt
    listed = Matcher([Product(code="A-1")], [Shot("a-1_front.jpg", "A-1", "back")], raw_counts=False).match_all(
        PAIR[:2]
    )
    assert not listed[0].listed and listed[1].listed and listed[1].view == "back"


def test_where_files_are_only_given_names_both_follow_the_card() -> None:
    snaps = [snap("P1.JPG", codes=("A-1",), card_like=True), snap("P2.DNG"), snap("P2.JPG")]
    matches = Matcher([Product(code="A-1")], raw_counts=None).match_all(snaps)
    assert [match.code for match in matches] == ["A-1"] * 3 and all(match.listed for match in matches)


@settings(max_examples=80, deadline=None)
@given(
    st.lists(
        st.tuples(st.sampled_from("abcd"), st.sampled_from([".dng", ".jpg", ".heic"]), st.sampled_from(["", "x"]))
    ),
    st.booleans(),
)
def test_no_photo_is_lost(files: list[tuple[str, str, str]], raw_counts: bool) -> None:
    snaps = [snap(name + ending, folder) for name, ending, folder in files]
    out = second_files(snaps, raw_counts=raw_counts)
    for at in out:
        stem, _, folder = files[at]
        assert any((s, f) == (stem, folder) for k, (s, _, f) in enumerate(files) if k not in out)
        assert snaps[at].raw != raw_counts


def test_a_photo_of_a_colour_target_is_no_goods_and_no_card() -> None:
    cards = [
        snap("P1.JPG", codes=("A-1",), card_like=True),
        snap("P2.JPG"),
        snap("P3.JPG", target=True),
        snap("P4.JPG"),
        snap("P5.JPG", target=True, not_card=True),
    ]
    matches = Matcher([Product(code="A-1")]).match_all(cards)
    assert [match.code for match in matches] == ["A-1", "A-1", "", "A-1", "A-1"]
    assert matches[2].card and matches[2].why == SHOWS_TARGET and not matches[2].doubt
    assert not matches[4].card
    alone = Matcher([Product(code="A-1")]).match_all(cards[1:4])
    assert [match.card for match in alone] == [False, True, False]
