"""From photos under casts to pictures: the item's colour comes back, and has no say itself."""

from dataclasses import replace

import cv2
import numpy as np
import pytest
from support import PHOTOS, photo_of

from zero_easel.core.finishing.render import draw, flat
from zero_easel.core.items.item import CutItem
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.photos.decoding import Photo, read_photo
from zero_easel.core.placing.layout import asks_for_cutout, cuts_nothing, is_by_row, lay_out
from zero_easel.core.placing.placement import Placement, Subject
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Item
from zero_easel.core.tone.difference import delta_e, lab_of
from zero_easel.pipeline import clear

CAMERA = np.array([[0.72, 0.25, 0.03], [0.12, 0.80, 0.08], [0.03, 0.18, 0.79]])
"""A made-up sensor: in its own channels a light is a gain, and in sRGB's it is not."""
CASTS = {"lamp": (1.5, 1.0, 0.42), "shade": (0.82, 1.0, 1.3), "dim": (1.0, 1.0, 1.0)}
BY_BACKDROP = Standard(item=Item(white="backdrop", exposure="backdrop", backdrop_light=60))


def small(name: str) -> Photo:
    photo = read_photo(PHOTOS / f"{name}.JPG")
    scale = 640 / max(photo.pixels.shape)
    return replace(photo, pixels=cv2.resize(photo.pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA))


def under(photo: Photo, gains: tuple[float, ...], stops: float) -> Photo:
    matrix = np.linalg.inv(CAMERA) @ np.diag(gains) @ CAMERA * 2.0**stops
    light = to_linear(photo.pixels).reshape(-1, 3) @ matrix.T
    return replace(photo, pixels=to_srgb8(np.clip(light, 0, 1).astype(np.float32)).reshape(photo.pixels.shape))


def placed(item: CutItem, standard: Standard = BY_BACKDROP) -> Placement:
    placement = lay_out([Subject(item.measures, item.frame)], standard)[0]
    assert placement is not None
    return placement


def drawn(item: CutItem, standard: Standard = BY_BACKDROP) -> np.ndarray:
    """Mean CIE L*a*b* of the item in its picture."""
    made = draw(item, placed(item, standard))
    pixels = flat(made, np.ones((1, 1, 3), np.float32))
    return np.asarray(lab_of(to_linear(pixels)[made.cover > 0.99].mean(0)))


@pytest.mark.parametrize("name", ["BRYD0120", pytest.param("BRYD0144", marks=pytest.mark.slow)])
def test_items_keep_their_colour_under_lamps_and_in_shade(name: str) -> None:
    photo = small(name)
    right = drawn(clear(photo))
    differences = []
    for gains in CASTS.values():
        item = clear(under(photo, gains, -1.1))
        assert float(delta_e(drawn(item, Standard()), right)) > 6  # as shot it is another colour
        differences.append(float(delta_e(drawn(item), right)))
    assert np.median(differences) < 1.5 and max(differences) < 4


@pytest.mark.parametrize("colour", [(0.55, 0.02, 0.02), (0.02, 0.05, 0.45), (0.02, 0.3, 0.03)])
def test_a_saturated_item_that_fills_the_frame_has_no_say(colour: tuple[float, float, float]) -> None:
    rng = np.random.default_rng(1)
    light = np.full((480, 640, 3), (0.62, 0.6, 0.55))
    y, x = np.mgrid[0:480, 0:640]
    inside = ((x - 320) / 290) ** 2 + ((y - 245) / 212) ** 2 < 1
    light[inside] = colour
    light *= 1 + rng.normal(0, 0.01, light.shape)
    item = clear(photo_of(to_srgb8(light.astype(np.float32))))
    assert item.measures is not None and item.measures.area > 0.5 * 480 * 640
    backdrop = item.measures.backdrop
    assert backdrop is not None and np.allclose(backdrop, (0.62, 0.6, 0.55), rtol=0.04)


def test_paper_that_is_clipped_in_red_is_told_by_what_is_whole_of_it() -> None:
    photo = small("BRYD0144")
    whole = clear(under(photo, CASTS["lamp"], -1.1)).measures
    clipped = clear(under(photo, CASTS["lamp"], -0.3)).measures
    assert whole is not None and clipped is not None and whole.backdrop and clipped.backdrop
    assert np.allclose(
        np.array(clipped.backdrop) / clipped.backdrop[1], np.array(whole.backdrop) / whole.backdrop[1], rtol=0.12
    )
    far_over = clear(under(photo, CASTS["lamp"], 2.0)).measures
    assert far_over is not None and far_over.backdrop is None and far_over.clipped > 0.02


def test_what_cannot_be_brought_back_is_said() -> None:
    item = clear(under(small("BRYD0144"), CASTS["lamp"], 2.0))
    texts = " ".join(note.text for note in placed(item).notes)
    assert "clipped" in texts and "left as it is" in texts and placed(item).tone.does_nothing
    assert not any(note.calls and note.kind == "light" for note in placed(clear(small("BRYD0120"))).notes)


def test_measuring_asks_for_cutouts_and_for_the_row_only_where_a_rule_does() -> None:
    kept = Item(backdrop="kept", cover_around="middle")
    assert cuts_nothing(Standard(item=kept)) and not is_by_row(BY_BACKDROP)
    lit = kept.model_copy(update={"white": "backdrop"})
    assert not cuts_nothing(Standard(item=lit)) and asks_for_cutout(lit, by_hand=True)
    for more in ({"balance": "shoot"}, {"exposure": "backdrop"}):
        assert is_by_row(Standard(item=Item.model_validate({"white": "backdrop"} | more)))
