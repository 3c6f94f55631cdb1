"""Lengths with units, as people type them."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.standard.lengths import UNITS, Length, in_unit, read_length, read_sides, write_sides


@pytest.mark.parametrize(
    ("text", "px"),
    [
        ("6 %", 60),
        ("6", 60),
        ("80px", 80),
        ("2.54 cm", 300),
        ("25,4mm", 300),
        ("1 in", 300),
        ("1inch", 300),
        ('1"', 300),
    ],
)
def test_a_length_in_any_unit(text: str, px: float) -> None:
    assert read_length(text).px(1000, 300) == pytest.approx(px)


@pytest.mark.parametrize("text", ["", "wide", "6 miles", "1 2", "9e9 px", "999999"])
def test_what_is_no_length_is_said(text: str) -> None:
    with pytest.raises(ValueError, match=r"length|long"):
        read_length(text)


sides = st.builds(Length, st.integers(0, 400).map(lambda n: n / 8), st.sampled_from(UNITS))


@given(st.lists(sides, min_size=1, max_size=4))
def test_sides_are_shared_out_and_written_as_short_as_they_can_be(given_sides: list[Length]) -> None:
    text = " ".join(str(side).replace(" ", "") for side in given_sides)
    read = read_sides(text)
    assert (read.top, read.bottom) == (given_sides[0], given_sides[2 if len(given_sides) > 2 else 0])
    assert read_sides(write_sides(text)) == read
    assert len(write_sides(text)) <= len(text)


def test_px_are_shown_in_the_units_of_print() -> None:
    assert in_unit(2000, "cm", 300) == "16.9 cm"
    assert in_unit(2000, "mm", 300) == "169 mm"
    assert in_unit(2000, "in", 300) == "6.7 in"
