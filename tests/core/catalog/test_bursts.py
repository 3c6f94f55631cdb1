"""Bursts: which photos are one, and which of them counts."""

from datetime import datetime, timedelta

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.catalog.bursts import Take, folded

THEN = datetime(2026, 11, 2, 10, 0, 0)
LOOK = bytes(np.tile(np.linspace(40, 250, 16).astype(np.uint8), 12))
OTHER = bytes(reversed(LOOK))


def take(name: str, after: float, **facts: object) -> Take:
    usual = {"look": LOOK, "blur": 0.8, "paper": 238.0, "clipped": 0.0, "code": "BY-1"}
    return Take(name, THEN + timedelta(seconds=after), **{**usual, **facts})  # type: ignore[arg-type]


def test_the_sharpest_counts_and_the_others_say_why() -> None:
    found = folded([take("A", 0, blur=1.6), take("B", 0, blur=0.8), take("C", 1, blur=1.2)])
    assert {at: (one.best, one.why) for at, one in found.items()} == {
        0: (1, "B of the same burst is sharper"),
        2: (1, "B of the same burst is sharper"),
    }


def test_of_those_as_sharp_the_best_exposed_counts_and_of_those_the_first() -> None:
    dark, bright, clipped = take("A", 0, paper=150.0), take("B", 0), take("C", 1, paper=255.0, clipped=0.4)
    found = folded([dark, bright, clipped, take("D", 1)])
    assert [found[at].best for at in (0, 2, 3)] == [1, 1, 1]
    assert found[0].why == found[2].why == "B of the same burst is better exposed"
    assert found[3].why == "B of the same burst is as good"


def test_a_photo_without_edges_is_not_taken_for_a_sharp_one() -> None:
    assert folded([take("A", 0, blur=None), take("B", 0)])[0].best == 1
    assert folded([take("A", 0, blur=None), take("B", 0, blur=None)])[1].best == 0


def test_whoever_chose_is_not_overruled() -> None:
    found = folded([take("A", 0, blur=3.0, chosen=True), take("B", 0)])
    assert found == {1: found[1]} and found[1] == (0, "A of the same burst was chosen")


def test_what_takes_longer_shows_another_view_or_is_another_thing_is_no_burst() -> None:
    assert not folded([take("A", 0), take("B", 2)])
    assert not folded([take("A", 0), take("B", 1, code="BY-2")])
    assert not folded([take("A", 0, view="front"), take("B", 1, view="back")])
    assert not folded([take("A", 0), take("B", 1, look=OTHER)])
    assert not folded([take("A", 0), take("B", 1, look=b"")])
    assert not folded([take("A", 0), take("B", 1, apart=True), take("C", 1)])
    assert not folded([take("A", 0), take("B", 1)._replace(taken=None)])


def test_a_long_row_is_a_turntable_and_all_of_it_counts() -> None:
    assert len(folded([take(str(at), at) for at in range(8)])) == 7
    assert not folded([take(str(at), at) for at in range(9)])


@settings(deadline=None)
@given(
    st.lists(
        st.builds(
            take,
            st.text(min_size=1, max_size=3),
            st.floats(0, 20),
            blur=st.none() | st.floats(0.2, 5),
            paper=st.none() | st.floats(0, 255),
            clipped=st.none() | st.floats(0, 1),
            chosen=st.booleans(),
            apart=st.booleans(),
            code=st.sampled_from(["", "BY-1"]),
        ),
        max_size=20,
    )
)
def test_whatever_is_folded_has_one_before_it_that_counts(takes: list[Take]) -> None:
    takes = sorted(takes, key=lambda one: one.taken or THEN)
    found = folded(takes)
    for at, one in found.items():
        assert one.best not in found and one.best != at
        assert not takes[at].apart and not takes[one.best].apart
        assert takes[at].code == takes[one.best].code
        if takes[at].chosen:
            assert takes[one.best].chosen
