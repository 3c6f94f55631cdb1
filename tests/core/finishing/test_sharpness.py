"""What one resampling keeps and what two lose, by edge response (ISO 12233), zone plate, and stripes."""

import numpy as np
import pytest
from PIL import Image
from support import item_of, lit, render

from zero_easel.core.finishing.render import render_uncut
from zero_easel.core.items.item import CutItem
from zero_easel.core.light.colour import Float, to_linear
from zero_easel.core.light.geometry import Map, Size
from zero_easel.core.light.resample import warp
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Adjustment, Subject
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Canvas, Item

SIDE = 900
ALIAS = 0.03
"""Contrast that may be left of stripes too fine for the new size, as a share of what they had."""


def slanted_edge(lean: float) -> Float:
    """(SIDE, SIDE) dark left of a line that leans by degrees, light right of it, with each pixel's own share."""
    y, x = np.mgrid[0 : SIDE * 4, 0 : SIDE * 4] / 4 - SIDE / 2
    light = (x * np.cos(np.radians(lean)) + y * np.sin(np.radians(lean))) > 0.37
    shares = light.reshape(SIDE, 4, SIDE, 4).mean((1, 3))
    # A photo's noise: without it the edge would be taken for a drawn one.
    return (0.1 + 0.7 * shares + np.random.default_rng(0).normal(0, 0.001, shares.shape)).astype(np.float32)


def mtf50(picture: Float) -> float:
    """Cycles per px at which the contrast of a slanted, nearly upright edge has fallen to half."""
    rows = np.arange(len(picture))
    steps = np.abs(np.diff(picture, axis=1)) ** 2
    places = (steps * (np.arange(steps.shape[1]) + 1.0)).sum(1) / steps.sum(1)
    slope, start = np.polyfit(rows, places, 1)
    x = np.arange(picture.shape[1])[None] + 0.5
    distance = (x - (start + slope * rows[:, None])) / np.hypot(1, slope)
    near = np.abs(distance) < 12
    bins = np.round(distance[near] * 4).astype(int) + 48
    spread = np.bincount(bins, picture[near], 97) / np.maximum(np.bincount(bins, minlength=97), 1)
    line = np.diff(spread) * np.hamming(96)
    response = np.abs(np.fft.rfft(line, 4096))
    response /= response[0]
    at = int(np.argmax(response < 0.5))
    exact = at - 1 + (response[at - 1] - 0.5) / (response[at - 1] - response[at])
    return float(exact * 4 / 4096)


def photographed(linear: Float) -> CutItem:
    """An item that shows such light, in 16 bits, filling all of its photo but a rim."""
    alpha = np.zeros(linear.shape, np.float32)
    alpha[10:-10, 10:-10] = 1
    item = item_of(alpha)
    code = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * np.maximum(linear, 1e-6) ** (1 / 2.4) - 0.055)
    pixels = np.zeros((*linear.shape, 4), np.uint16)
    pixels[..., :3] = np.round(code * 65535)[..., None]
    pixels[..., 3] = np.round(alpha * 65535)
    return CutItem(pixels, 0, 0, item.width, item.height, item.measures, 1, [], item.shadow)


def through_pipeline(linear: Float, scale: float, turn: float = 0.0) -> Float:
    """The middle of the finished picture, in linear light."""
    size = 500
    standard = Standard(canvas=Canvas(width=size, height=size), item=Item(margin="0%", place="centre", share=100))
    item = photographed(linear)
    subject = Subject(item.measures, item.frame, adjustment=Adjustment(turn=turn))
    placement = lay_out([subject], standard)[0]
    assert placement is not None
    subject = subject._replace(adjustment=Adjustment(turn=turn, scale=scale / placement.scale))
    placement = lay_out([subject], standard)[0]
    assert placement is not None and placement.scale == pytest.approx(scale, rel=1e-6)
    drawn = to_linear(render(item, standard, placement).pixels)[..., 1]
    return np.asarray(drawn[size // 2 - 70 : size // 2 + 70, size // 2 - 50 : size // 2 + 50])


def lanczos(linear: Float, scale: float, box: tuple[float, float, float, float]) -> Float:
    """An independent one-step Lanczos reduction of a part."""
    size = (round((box[2] - box[0]) * scale), round((box[3] - box[1]) * scale))
    return np.asarray(Image.fromarray(linear, "F").resize(size, Image.Resampling.LANCZOS, box))


@pytest.mark.parametrize("scale", [0.28, 0.5])
def test_a_finished_picture_is_as_sharp_as_one_direct_lanczos_reduction(scale: float) -> None:
    edge = slanted_edge(5)
    half = 70 / scale, 50 / scale
    box = (SIDE / 2 - half[1], SIDE / 2 - half[0], SIDE / 2 + half[1], SIDE / 2 + half[0])
    direct = mtf50(lanczos(edge, scale, box))
    ours = mtf50(through_pipeline(edge, scale))
    assert direct > 0.3
    assert ours == pytest.approx(direct, rel=0.02)
    # The same by way of yesterday's picture, a tenth larger: softer, and this test would see it.
    between = scale * 1.1
    once = lanczos(edge, between, (0, 0, SIDE, SIDE))
    twice = lanczos(once, scale / between, tuple(v * once.shape[0] / SIDE for v in box))  # type: ignore[arg-type]
    assert mtf50(twice) < 0.95 * direct


def test_straightening_in_the_same_step_costs_no_sharpness_and_in_a_step_of_its_own_does() -> None:
    edge, scale, turn = slanted_edge(5 + 8), 0.85, 8.0
    straight = mtf50(through_pipeline(slanted_edge(5), scale))
    turned = mtf50(through_pipeline(edge, scale, turn))
    assert turned == pytest.approx(straight, rel=0.04)
    middle = Map.turned(turn, SIDE / 2, SIDE / 2)
    half = 70 / scale, 50 / scale
    box = (SIDE / 2 - half[1], SIDE / 2 - half[0], SIDE / 2 + half[1], SIDE / 2 + half[0])
    y, x = np.mgrid[0:SIDE, 0:SIDE] + 0.5
    back = middle.inverse().apply(np.column_stack([x.ravel(), y.ravel()])) - 0.5
    linear = bilinear(edge, back).reshape(SIDE, SIDE).astype(np.float32)
    assert mtf50(lanczos(linear, scale, box)) < 0.97 * straight


def bilinear(picture: Float, at: np.ndarray) -> np.ndarray:
    """What a quick rotation does."""
    x, y = np.clip(at.T, 0, SIDE - 1.001)
    i, j, u, v = x.astype(int), y.astype(int), x % 1, y % 1
    top = picture[j, i] * (1 - u) + picture[j, i + 1] * u
    return np.asarray(top * (1 - v) + (picture[j + 1, i] * (1 - u) + picture[j + 1, i + 1] * u) * v)


@pytest.mark.parametrize(("turn", "left"), [(0.0, ALIAS), (8.0, ALIAS), (-12.0, ALIAS), (-33.0, 2 * ALIAS)])
@pytest.mark.parametrize("scale", [0.3, 0.5])
def test_a_zone_plate_leaves_no_false_rings(turn: float, left: float, scale: float) -> None:
    y, x = np.mgrid[0:SIDE, 0:SIDE] + 0.5 - SIDE / 2
    radius = np.hypot(x, y)
    # Frequency grows with the radius and reaches half a cycle per px at the middle of the sides.
    plate = (0.5 + 0.5 * np.cos(0.5 * 2 * np.pi * radius**2 / SIDE)).astype(np.float32)
    size = round(SIDE * scale)
    matrix = (
        Map.moved(-SIDE / 2, -SIDE / 2)
        .then(Map.turned(turn))
        .then(Map.scaled(scale, scale))
        .then(Map.moved(size / 2, size / 2))
    )
    small = warp(plate, Size(size, size), matrix)
    y, x = np.mgrid[0:size, 0:size] + 0.5 - size / 2
    frequency = np.hypot(x, y) / scale / SIDE  # cycles per px of the photo
    # Well above what the new size can hold, and inside the photo: nothing but grey may be left there.
    too_fine = (frequency > 1.35 * 0.5 * scale) & (frequency < 0.46)
    held = frequency < 0.5 * 0.5 * scale
    assert too_fine.sum() > 500
    assert np.abs(small[too_fine] - 0.5).mean() * 2 < left
    assert np.std(small[held]) > 0.3


def test_fine_stripes_reduce_to_the_light_that_they_give() -> None:
    stripes = np.zeros((400, 400), np.float32)
    stripes[:, ::2] = 1
    item = photographed(stripes)
    picture = render(
        item, Standard(canvas=Canvas(width=100, height=100), item=Item(margin="0%", place="centre"))
    ).pixels
    # Half the light is code value 188; half the code value would be 128.
    assert np.abs(picture[40:60, 40:60].astype(int) - 188).max() <= 2
    uncut = np.repeat(np.round(stripes * 255).astype(np.uint8)[..., None], 3, 2)
    kept = Standard(canvas=Canvas(width=100, height=100), item=Item(backdrop="kept", kernel="lanczos"))
    placement = lay_out([Subject(None, Size(400, 400))], kept)[0]
    assert placement is not None
    assert np.abs(render_uncut(uncut, None, placement, lit("#FFFFFF"))[:, 5:-5].astype(int) - 188).max() <= 2
