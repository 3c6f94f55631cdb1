"""Overlays put somewhere by eye, and said by position, distance and height."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.finishing.overlay_places import PlacedOverlay, placed_overlays, put_at, turned_size
from zero_easel.core.finishing.stamp import stamped
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.assets import Assets
from zero_easel.core.standard.overlays import PLACES, Overlay


def laid(overlay: Overlay, canvas: Size) -> PlacedOverlay:
    return placed_overlays([overlay], {}, Assets(), canvas)[0]


def middle_of(placed: PlacedOverlay) -> tuple[float, float]:
    box = placed.box
    return (box.left + box.right) / 2, (box.top + box.bottom) / 2


@settings(max_examples=80, deadline=None)
@given(
    st.sampled_from(PLACES), st.sampled_from(["none", "bar", "disc"]), st.sampled_from([0.0, 90.0, -30.0]),
    st.sampled_from([Size(1200, 1200), Size(1600, 500), Size(300, 900)]), st.floats(0, 1), st.floats(0, 1),
    st.floats(0.4, 3),
)  # fmt: skip
def test_it_lies_where_it_was_put_and_within_the_canvas(
    at: str, plate: str, turn: float, canvas: Size, across: float, down: float, factor: float
) -> None:
    overlay = Overlay(text="New", size=6, at=at, plate=plate, turn=turn)  # type: ignore[arg-type]
    wanted = across * canvas.width, down * canvas.height
    moved = put_at(laid(overlay, canvas), canvas, wanted, factor)
    assert moved.size == pytest.approx(6 * factor, abs=0.06)
    there = laid(moved, canvas)
    around = turned_size(Size(round(there.box.width), round(there.box.height)), turn)
    slack = 0.004 * min(canvas) + 2
    for value, side, whole, asked in zip(middle_of(there), around, canvas, wanted, strict=True):
        nearest = min(max(asked, side / 2), whole - side / 2)
        assert abs(value - nearest) <= slack


def test_what_lies_in_the_middle_or_as_far_from_both_edges_is_said_in_one_number() -> None:
    canvas = Size(1000, 1000)
    placed = laid(Overlay(text="New", size=10), canvas)
    in_the_middle = put_at(placed, canvas, (501, 900), 1)
    assert in_the_middle.at == "bottom" and "%" in in_the_middle.inset and " " not in in_the_middle.inset
    in_the_corner = put_at(placed, canvas, (0, 0), 1)
    assert (in_the_corner.at, in_the_corner.inset) == ("top left", "0%")
    beside = put_at(placed, canvas, (600, 900), 1)
    assert beside.at == "bottom" and beside.inset.startswith("10% ")


@pytest.mark.parametrize("inset", ["4 cm", "x", "1% 2% 3%", "-3%", "2000%"])
def test_distances_that_cannot_be_meant_are_refused(inset: str) -> None:
    with pytest.raises(ValueError, match=r"distances in per cent|beyond the edge|must be"):
        Overlay(text="New", at="top left", inset=inset)


@pytest.mark.parametrize("family", ["text", "mono"])
def test_each_face_is_drawn_differently(family: str) -> None:
    white = np.full((200, 600, 3), 255, np.uint8)
    drawn = {}
    for face in ("regular", "bold", "italic", "bold-italic"):
        overlay = Overlay(text="Größe Łódź", font=family, face=face, size=30, at="middle")  # type: ignore[arg-type]
        drawn[face] = stamped(white, [overlay], {}, Assets())[0].astype(float)
    ink = {face: float((255 - pixels).sum()) for face, pixels in drawn.items()}
    assert ink["bold"] > 1.1 * ink["regular"] and ink["bold-italic"] > 1.1 * ink["italic"]
    assert np.abs(drawn["italic"] - drawn["regular"]).mean() > 2


def test_a_font_file_has_its_one_face() -> None:
    with pytest.raises(ValueError, match=r"house\.ttf has one face"):
        Overlay(text="New", font="house.ttf", face="bold")
