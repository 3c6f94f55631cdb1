"""Finished pictures: light, grounds, shadows, and files that say the same."""

from dataclasses import replace

import numpy as np
import pytest
from support import item_of, render

from zero_easel.core.finishing.encode import CUTOUT_MARK, encode, encode_cutout, encode_tile
from zero_easel.core.finishing.render import draw
from zero_easel.core.items.item import CutItem
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.decoding import decode_photo
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.model import Deliverable, Standard
from zero_easel.core.standard.rules import Canvas, Item


def square(edge: float = 1.0) -> CutItem:
    """A red square of 100 px whose outermost px have some other coverage, in a photo of 200."""
    alpha = np.zeros((200, 200), np.float32)
    alpha[50:150, 50:150] = edge
    alpha[52:148, 52:148] = 1
    return item_of(alpha)


def standard(ground: str = "#FFFFFF", shadow: str = "drop", size: int = 100, share: float = 50) -> Standard:
    kind = "png" if ground == "transparent" else "jpeg"
    return Standard(
        canvas=Canvas(width=size, height=size, ground=ground),
        item=Item(share=share, margin=0, place="centre", shadow=shadow),  # type: ignore[arg-type]
        deliverables=(Deliverable(format=kind, quality=95),),  # type: ignore[arg-type]
    )


@pytest.mark.parametrize("ground", ["#FFFFFF", "#000000", "#3478AA"])
def test_a_half_covered_edge_mixes_light_and_not_code_values(ground: str) -> None:
    picture = render(square(0.5), standard(ground, size=200)).pixels
    seen = to_linear(picture[100, 50])
    red, behind = to_linear(np.uint8([200, 40, 40])), to_linear(picture[2, 2])
    assert np.abs(seen - (red + behind) / 2).max() < 0.03
    code = np.abs(picture[100, 50].astype(int) - (np.int_([200, 40, 40]) + picture[2, 2]) // 2)
    assert code.max() > 8 or ground == "#3478AA"


def test_reducing_never_makes_sparks_at_the_rim() -> None:
    picture = render(square(), standard("#000000", size=61)).pixels
    assert picture[..., 0].max() <= 202 and picture[..., 1:].max() <= 42


def test_a_transparent_ground_keeps_colour_clear_of_nothing() -> None:
    picture = render(square(0.3), standard("transparent", size=90)).pixels
    assert picture.shape == (90, 90, 4)
    assert not picture[picture[..., 3] == 0].any()
    faint = (picture[..., 3] > 20) & (picture[..., 3] < 200)
    assert faint.any() and np.abs(picture[faint][:, 0].astype(int) - 200).max() < 8


def shadowed(depth: int = 128) -> CutItem:
    """The square with a shadow to its right, over the whole photo at a quarter of its size."""
    shadow = np.zeros((50, 50), np.uint8)
    shadow[30:38, 36:48] = depth
    return replace(square(), shadow=shadow)


def test_the_natural_shadow_falls_where_it_fell_in_the_photo() -> None:
    bare, lit = (render(shadowed(), standard(shadow=s, size=200)).pixels for s in ("drop", "natural"))
    assert (bare[130:140, 160:180] == 255).all()
    assert np.abs(to_linear(lit[134, 170]) - (1 - 128 / 255)).max() < 0.02
    assert (lit[20:40, 20:180] == 255).all()
    assert (lit[60:140, 60:140] == bare[60:140, 60:140]).all()


def test_a_drawn_shadow_lies_under_the_item_on_any_ground() -> None:
    for ground in ("#FFFFFF", "#808080"):
        picture = render(square(), standard(ground, "drawn", 200)).pixels
        behind = picture[4, 4]
        assert (picture[152, 100] < behind).all()
        assert (picture[30, 100] == behind).all()


def test_a_shadow_on_nothing_is_black_that_lets_light_through() -> None:
    picture = render(shadowed(), standard("transparent", "natural", 200)).pixels
    assert picture[134, 170, 3] == pytest.approx(128, abs=3)
    assert not picture[134, 170, :3].any()


def test_an_empty_cutout_cannot_be_drawn() -> None:
    laid = lay_out([Subject(square().measures, Size(200, 200))], standard())[0]
    assert laid is not None
    with pytest.raises(ValueError, match="no item"):
        draw(CutItem.none(Size(20, 20), []), laid)


@pytest.mark.parametrize("kind", ["jpeg", "png", "webp", "avif", "tiff", "jpeg2000"])
def test_a_file_shows_the_picture_and_the_same_picture_gives_the_same_file(kind: str) -> None:
    y, x = np.mgrid[0:120, 0:160]
    pixels = np.dstack([x, y * 2, 255 - x]).astype(np.uint8)
    wanted = Deliverable(format=kind, quality=95)  # type: ignore[arg-type]
    data = encode(pixels, wanted).data
    assert data == encode(pixels.copy(), wanted).data
    seen = decode_photo(data, f"p{wanted.suffix}").pixels
    assert np.abs(seen.astype(int) - pixels).mean() < (0.01 if kind in ("png", "tiff") else 2.5)


def test_a_cutout_file_is_marked_and_keeps_sixteen_bits() -> None:
    rgba = np.zeros((40, 50, 4), np.uint16)
    rgba[10:30, 10:40] = (60000, 300, 20, 65535)
    data = encode_cutout(rgba)
    assert CUTOUT_MARK in data[:120]
    photo = decode_photo(data, "cut.png")
    assert photo.pixels.dtype == np.uint16 and photo.alpha is not None
    assert (photo.pixels[20, 20] == (60000, 300, 20)).all() and photo.alpha[20, 20] == 255


def test_a_tile_for_the_screen_is_exact() -> None:
    rgba = np.random.default_rng(1).integers(0, 256, (64, 64, 4), dtype=np.uint8)
    rgba[..., 3] |= 1
    seen = decode_photo(encode_tile(rgba), "tile.png")
    assert seen.alpha is not None
    assert (seen.pixels == rgba[..., :3]).all() and (seen.alpha == rgba[..., 3]).all()


def test_light_survives_the_way_to_code_values_and_back() -> None:
    codes = np.arange(256, dtype=np.uint8)
    assert (to_srgb8(to_linear(codes)) == codes).all()
    deep = to_linear(np.arange(0, 65536, 257, dtype=np.uint16))
    assert np.abs(deep - to_linear(codes)).max() < 1e-6
