"""The contact shadow: its own output, and what a standard makes of it."""

from dataclasses import replace

import numpy as np
import pytest
from support import item_of, render

from zero_easel.core.finishing.drawn_shadow import drawn_shadow
from zero_easel.core.items.item import CutItem
from zero_easel.core.light.colour import to_linear
from zero_easel.core.standard.model import Deliverable, Standard
from zero_easel.core.standard.rules import Canvas, Item


def box_with_shadow() -> CutItem:
    """A block in the middle of a 160 x 120 photo; half the light is missing in a patch to the right of its foot."""
    alpha = np.zeros((120, 160), np.float32)
    alpha[30:90, 50:100] = 1
    shadow = np.zeros((60, 80), np.uint8)
    shadow[38:45, 50:70] = 128
    return replace(item_of(alpha), shadow=shadow)


def drawn(how: str, ground: str = "#C0E0FF") -> np.ndarray:
    rules = Standard(
        canvas=Canvas(width=160, height=120, ground=ground),
        item=Item(share=50, margin=0, place="centre", shadow=how),
        deliverables=(Deliverable(format="png"),),
    )
    return render(box_with_shadow(), rules).pixels


def test_the_natural_shadow_darkens_any_new_ground_where_it_fell() -> None:
    bare, kept = drawn("drop"), drawn("natural")
    assert (bare[0, 0] == kept[0, 0]).all()
    # The item's middle stays in the middle: (120, 82) in the photo is (125, 82) on the canvas.
    light = to_linear(kept[82, 125]) / to_linear(bare[82, 125])
    assert light == pytest.approx(1 - 128 / 255, abs=0.03)
    assert (bare[:, :50] == kept[:, :50]).all() and (bare[:70, 110:] == kept[:70, 110:]).all()
    # On the item itself nothing changes.
    assert (bare[40:85, 60:100] == kept[40:85, 60:100]).all()


def test_on_a_transparent_ground_the_shadow_is_black_that_lets_light_through() -> None:
    clear = drawn("natural", "transparent")
    assert clear[82, 125].tolist() == [0, 0, 0, 128] and clear[0, 0].tolist() == [0, 0, 0, 0]


def test_a_drawn_shadow_lies_under_the_foot_and_fades() -> None:
    bare, soft = drawn("drop").astype(int), drawn("drawn").astype(int)
    darker = (bare - soft).max(2)
    assert darker[91, 70:90].min() > 8
    assert darker[:60].max() == 0 and darker[118].max() <= 2
    assert darker[91, 80] > darker[93, 80] > darker[99, 80]


def test_only_what_stands_casts_a_drawn_shadow() -> None:
    alpha = np.zeros((100, 200), np.float32)
    alpha[20:80, 20:60] = 1  # stands
    alpha[20:50, 60:160] = 1  # a handle in the air
    shadow = drawn_shadow(alpha)
    assert shadow[80, 40] > 0.2 and shadow[:, 130].max() < 0.02
    assert shadow.min() >= 0 and shadow.max() <= 1
    assert not drawn_shadow(np.zeros((20, 20), np.float32)).any()
