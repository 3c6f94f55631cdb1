"""Graphics enlarged with their edges drawn anew, beside the same shapes drawn large."""

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray

from zero_easel.core.finishing import drawn_edges
from zero_easel.core.finishing.drawn_edges import enlarged
from zero_easel.core.finishing.graphics import is_hard_edged
from zero_easel.core.finishing.render import render_uncut
from zero_easel.core.light.colour import to_linear
from zero_easel.core.light.geometry import Map, Size
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Canvas, Item

PX = 48


def shapes(seed: int, finer: int) -> NDArray[np.uint8]:
    """Discs, triangles and lines of few colours, PX * finer px wide and high, without smoothing."""
    rng = np.random.default_rng(seed)
    picture = np.full((PX * finer, PX * finer, 3), rng.integers(180, 256, 3), np.uint8)
    for kind in rng.integers(0, 3, 6):
        colour = tuple(int(v) for v in rng.integers(0, 256, 3))
        points = np.round(rng.uniform(3, PX - 3, (3, 2)) * finer * 16).astype(int)
        if kind == 0:
            cv2.circle(picture, points[0], int(rng.uniform(3, 12) * finer * 16), colour, -1, cv2.LINE_8, 4)
        elif kind == 1:
            cv2.fillPoly(picture, [points], colour, cv2.LINE_8, 4)
        else:
            cv2.line(picture, points[0], points[1], colour, int(rng.uniform(1.2, 2.5) * finer), cv2.LINE_8, 4)
    return picture


def graphic(seed: int) -> NDArray[np.uint8]:
    """The same with one colour for each of PX x PX px."""
    return np.ascontiguousarray(shapes(seed, 15)[7::15, 7::15])


def test_they_come_nearer_to_the_shapes_than_repeated_or_interpolated_pixels() -> None:
    ours, repeated, interpolated = [], [], []
    for seed in range(8):
        small = graphic(seed)
        size = (PX * 5 + 24, PX * 5 + 24)
        truth = cv2.resize(to_linear(shapes(seed, 22)), size, interpolation=cv2.INTER_AREA)
        made = enlarged(small, Size(*size), Map.scaled(size[0] / PX, size[1] / PX))
        assert made.alpha.min() == 1
        ours.append(np.abs(np.dstack(made.light) - truth).mean())
        for found, way in ((repeated, cv2.INTER_NEAREST), (interpolated, cv2.INTER_CUBIC)):
            found.append(np.abs(np.clip(cv2.resize(to_linear(small), size, interpolation=way), 0, 1) - truth).mean())
    assert np.mean(ours) < 0.85 * np.mean(repeated) and np.mean(ours) < 0.6 * np.mean(interpolated)


def test_every_px_keeps_its_colour_and_no_new_one_comes_but_at_edges() -> None:
    small = graphic(3)
    made = np.dstack(enlarged(small, Size(PX * 9, PX * 9), Map.scaled(9, 9)).light)
    middles = made[4::9, 4::9]
    assert np.abs(middles - to_linear(small)).max(-1).mean() < 0.01
    own = np.unique(to_linear(small).reshape(-1, 3), axis=0)
    distance = np.abs(made.reshape(-1, 1, 3) - own[None]).max(-1).min(1)
    assert (distance < 1e-4).mean() > 0.85


def test_tiles_show_no_seams(monkeypatch: pytest.MonkeyPatch) -> None:
    small = graphic(5)
    size, matrix = Size(PX * 4, PX * 4), Map.scaled(4, 4)
    tiled = np.dstack(enlarged(small, size, matrix).light)
    monkeypatch.setattr(drawn_edges, "_TILE", 1000)
    assert np.abs(tiled - np.dstack(enlarged(small, size, matrix).light)).max() < 0.02


def test_a_cut_out_graphic_keeps_its_transparency_and_ends_at_its_edge() -> None:
    small = np.dstack([graphic(1), np.full((PX, PX), 255, np.uint8)])
    small[:, :20, 3] = 0
    made = enlarged(small, Size(PX * 3, PX * 3 + 10), Map(3, 0, 0, 3, 0, 5))
    assert made.alpha[:5].max() == 0 and made.alpha[-5:].max() == 0
    assert made.alpha[5:-5, :57].max() == 0 and made.alpha[5:-5, 63:].min() == 1


def drawn_to(size: Size, kernel: str, pixels: NDArray[np.uint8]) -> NDArray[np.uint8]:
    item = Item(backdrop="kept", kernel=kernel)  # type: ignore[arg-type]
    standard = Standard(canvas=Canvas(width=size.width, height=size.height), item=item)
    placement = lay_out([Subject(None, Size.of(pixels))], standard)[0]
    assert placement is not None
    return render_uncut(pixels, None, placement, np.ones((1, 1, 3), np.float32))


def test_whole_factors_repeat_pixels_and_others_draw_edges_anew_unless_a_rule_says_so() -> None:
    small = graphic(2)
    repeated = np.repeat(np.repeat(small, 3, 0), 3, 1)
    assert np.array_equal(drawn_to(Size(PX * 3, PX * 3), "auto", small), repeated)
    by_rule = drawn_to(Size(PX * 3, PX * 3), "drawn", small)
    assert not np.array_equal(by_rule, repeated)
    size = Size(PX * 3 + 20, PX * 3 + 20)
    assert np.array_equal(drawn_to(size, "auto", small), drawn_to(size, "drawn", small))
    assert not np.array_equal(drawn_to(size, "auto", small), drawn_to(size, "box", small))


@pytest.mark.parametrize("px", [16, 40, 200, 600])
def test_graphics_are_recognised_at_any_size_and_photos_of_few_colours_are_not(px: int) -> None:
    rng = np.random.default_rng(px)
    places = np.stack([cv2.GaussianBlur(rng.normal(size=(px, px)), (0, 0), 2.0) for _ in range(8)]).argmax(0)
    palette = rng.permutation(np.arange(8 * 3) * 10).reshape(8, 3).astype(np.uint8)
    assert is_hard_edged(palette[places])
    y, x = np.mgrid[0:px, 0:px]
    shade = np.dstack([x * 200 // px, y * 200 // px, (x + y) * 100 // px]) + rng.normal(0, 6, (px, px, 3))
    assert not is_hard_edged((np.clip(shade, 0, 255) // 32 * 8).astype(np.uint8))
