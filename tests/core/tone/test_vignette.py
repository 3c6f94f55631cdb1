"""What a lens takes from a photo's corners, measured on its backdrop and given back."""

import numpy as np
import pytest
from support import photo_of

from zero_easel.core.finishing.render import draw, flat
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.light.geometry import Map, Size
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Canvas, Item
from zero_easel.core.tone.vignette import evened, vignette_of
from zero_easel.pipeline import clear


def lens(h: int, w: int, corner: float) -> np.ndarray:
    y, x = np.indices((h, w)) + 0.5
    way = ((x - w / 2) ** 2 + (y - h / 2) ** 2) / ((h / 2) ** 2 + (w / 2) ** 2)
    return np.exp(corner * way)[..., None].astype(np.float32) * np.ones(3, np.float32)


@pytest.mark.parametrize("corner", [0.0, -0.2, -0.7])
def test_lens_is_told_from_lamps_and_bent_paper(corner: float) -> None:
    y, x = np.mgrid[-1:1:60j, -1:1:80j]
    field = 0.6 * lens(60, 80, corner)
    assert vignette_of(field) == pytest.approx(corner, abs=0.02)
    assert vignette_of(field * np.exp(0.3 * x - 0.1 * y)[..., None]) == pytest.approx(corner, abs=0.02)
    # A sheet that bends gets darker upwards only: that is not the lens.
    assert vignette_of(field * np.exp(-0.4 * np.minimum(y, 0) ** 2)[..., None]) == pytest.approx(corner, abs=0.03)
    assert (
        vignette_of(
            np.ones((20, 30, 3), np.float32) * np.exp(0.3 * (np.mgrid[-1:1:20j, -1:1:30j] ** 2).sum(0))[..., None]
        )
        == 0
    )


def test_evened_out_wherever_it_is_drawn() -> None:
    light = 0.5 * lens(300, 400, -0.5)[..., 0]
    middle = (200.0, 150.0)
    assert np.ptp(evened([light], -0.5, Size(400, 300), Map(), middle)[0]) < 1e-4
    half = light[1::2, 1::2]
    assert np.ptp(evened([half], -0.5, Size(400, 300), Map.scaled(0.5, 0.5), middle)[0]) < 0.01
    turned = np.ascontiguousarray(np.rot90(light, -1))
    quarter = Map.turned(90).then(Map.moved(300, 0))
    assert np.ptp(evened([turned], -0.5, Size(400, 300), quarter, middle)[0]) < 1e-3
    aside = evened([light], -0.5, Size(400, 300), Map(), (50.0, 50.0))[0]
    assert aside[50, 50] == pytest.approx(light[50, 50], rel=0.01)


def test_a_wide_item_has_the_same_light_at_both_ends() -> None:
    light = np.full((480, 640, 3), 0.7, np.float32)
    light[200:300, 60:580] = (0.3, 0.1, 0.1)
    photo = photo_of(to_srgb8(light * lens(480, 640, -0.6)))
    item = clear(photo)
    assert item.measures is not None and item.measures.vignette == pytest.approx(-0.6, abs=0.1)
    ends = {}
    for falloff in ("as-shot", "even"):
        rules = Standard(canvas=Canvas(width=640, height=480), item=Item(falloff=falloff, straighten="off"))
        placement = lay_out([Subject(item.measures, item.frame)], rules)[0]
        assert placement is not None
        made = draw(item, placement)
        row = to_linear(flat(made, np.ones((1, 1, 3), np.float32)))[int((made.bounds.top + made.bounds.bottom) / 2)]
        first, last = int(made.bounds.left) + 12, int(made.bounds.right) - 12
        ends[falloff] = row[[first, last], 0].mean() / row[(first + last) // 2, 0]
    assert ends["as-shot"] < 0.85 and ends["even"] == pytest.approx(1, abs=0.05)
