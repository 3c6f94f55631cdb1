"""What is kept as item once the networks have spoken."""

from dataclasses import replace

import numpy as np
import pytest
from support import photo_of

from zero_easel.core.clearing.backdrop import estimate_backdrop
from zero_easel.core.clearing.region import decide
from zero_easel.core.clearing.sight import Opinions, Sight, look_at
from zero_easel.core.light.colour import to_linear
from zero_easel.core.light.geometry import Size, Window
from zero_easel.core.light.windows import part_of, size_within
from zero_easel.core.photos.reducing import reduced

SHAPE = (336, 448)
FRAME = Size(448, 336)


def seen(item: np.ndarray, pixels: np.ndarray | None = None, odds: np.ndarray | None = None) -> Sight:
    """A sight in which the network was sure of an item, (336, 448) bool, in front of grey paper."""
    if pixels is None:
        pixels = np.full((*SHAPE, 3), 200, np.uint8)
        pixels[item] = (60, 40, 30)
    if odds is None:
        odds = np.where(item, 5, -5).astype(np.float32)
    linear = to_linear(pixels)
    return Sight(pixels, linear, estimate_backdrop(linear), Opinions(odds, odds), Window(), None)


def block(*boxes: tuple[int, int, int, int]) -> np.ndarray:
    """Rectangles (top, bottom, left, right)."""
    item = np.zeros(SHAPE, bool)
    for top, bottom, left, right in boxes:
        item[top:bottom, left:right] = True
    return item


def test_a_clear_item_stays_as_it_is() -> None:
    item = block((100, 250, 120, 300))
    assert (decide(seen(item), FRAME, []).item != item).mean() < 0.003


def test_specks_of_dirt_go_and_parts_stay() -> None:
    item = block((100, 250, 120, 300), (60, 64, 60, 63), (120, 200, 330, 380))
    kept = decide(seen(item), FRAME, []).item
    assert kept[160, 350] and kept[150, 200]
    assert not kept[55:70, 55:70].any()


def test_nothing_is_found_where_nothing_is_likely() -> None:
    assert not decide(seen(block()), FRAME, []).item.any()


def test_the_box_is_in_px_of_the_photo() -> None:
    region = decide(seen(block((100, 250, 120, 300))), Size(4480, 3360), [])
    assert region.box == pytest.approx((0, 0, 4480, 3360))
    assert region.frame == Size(4480, 3360)


def test_a_close_look_outweighs_one_from_afar() -> None:
    far = seen(block((100, 250, 120, 300)))
    window = Window(0.2, 0.2, 0.75, 0.85)
    size = size_within(window, FRAME, 448)
    near = np.full(size[::-1], -5, np.float32)
    near[60:200, 60:200] = 5
    sight = replace(far, window=window, close=Opinions(near, near))
    item = decide(sight, FRAME, []).item
    assert item.shape == near.shape
    assert item[100:180, 100:180].mean() > 0.9


def test_how_things_look_outweighs_evidence_that_differs_and_yields_where_it_knows_nothing() -> None:
    item, other = block((100, 250, 120, 300)), block((100, 250, 120, 200))
    evidence, things = (np.where(m, 4, -4).astype(np.float32) for m in (item, other))
    sight = seen(item)
    assert (decide(replace(sight, far=Opinions(evidence, things)), FRAME, []).item == other).mean() > 0.99
    # A hole in what both see is decided by the surer one.
    holed = item.copy()
    holed[150:200, 180:230] = False
    both = Opinions(np.where(holed, 6, -6).astype(np.float32), np.where(item, 5, -5).astype(np.float32))
    assert (decide(replace(sight, far=both), FRAME, []).item == holed).mean() > 0.99
    nothing = Opinions(evidence, np.full_like(evidence, -4))
    assert (decide(replace(sight, far=nothing), FRAME, []).item == item).mean() > 0.99


def test_marks_count_where_they_change_how_things_look() -> None:
    item = block((100, 250, 120, 300))
    odds = np.where(item, 4, -4).astype(np.float32)
    marked = odds.copy()
    marked[:, :200] = -4
    after = decide(replace(seen(item), far=Opinions(odds, odds, marked)), FRAME, []).item
    assert (after[:, 205:] == item[:, 205:]).all() and not after[:, :195].any()


def test_parts_of_a_picture_lie_where_the_window_says() -> None:
    y, x = np.mgrid[0:300, 0:400].astype(np.float32) + 0.5
    ramp = np.stack([x / 400, y / 300, 0 * x], 2)
    for size in ((200, 150), (37, 91), (640, 480)):
        part = part_of(ramp, Window(0.25, 0.1, 0.75, 0.9), size)
        across = 0.25 + 0.5 * (np.arange(size[0]) + 0.5) / size[0]
        down = 0.1 + 0.8 * (np.arange(size[1]) + 0.5) / size[1]
        assert np.abs(part[:, 2:-2, 0] - across[2:-2]).max() < 0.005
        assert np.abs(part[2:-2, :, 1] - down[2:-2, None]).max() < 0.005


@pytest.mark.parametrize("depth", [np.uint8, np.uint16])
def test_reducing_keeps_light_and_place(depth: type) -> None:
    top = np.iinfo(depth).max
    y, x = np.mgrid[0:2443, 0:3257]
    pixels = np.repeat(((x + y) / (2443 + 3257) * top)[..., None], 3, 2).astype(depth)
    small = reduced(pixels, 448)
    assert small.dtype == depth and small.shape == (336, 448, 3)
    row, column = np.mgrid[0:336, 0:448]
    place = (column + 0.5) / 448 * 3257 + (row + 0.5) / 336 * 2443 - 1
    assert np.abs(small[..., 0] / top - place / (2443 + 3257)).max() < 0.006


def test_a_photo_of_paper_alone_has_no_item() -> None:
    rng = np.random.default_rng(2)
    y, x = np.mgrid[0:600, 0:800]
    light = 205 - 20 * x / 800 - 15 * y / 600
    paper = np.clip(light[..., None] + rng.normal(0, 1.2, (600, 800, 3)), 0, 255).astype(np.uint8)
    photo = photo_of(paper)
    assert not decide(look_at(photo.pixels, []), Size(800, 600), []).item.any()
