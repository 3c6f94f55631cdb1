"""Raw files: the light that their camera saw, also above white, and what it balanced away."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from raws import GAINS, dng
from support import AWKWARD, PHOTOS

from zero_easel.core.finishing.encode import encode_jpeg
from zero_easel.core.light.colour import to_linear
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.space import light_in
from zero_easel.core.photos.decoding import decode_photo, header_of, read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.tone.balance import kelvin_of, to_neutral, warmed
from zero_easel.core.tone.difference import delta_e, lab_of
from zero_easel.library.shoots import LARGE, examine
from zero_easel.library.store.vault import Vault


def scene() -> np.ndarray:
    """(600, 800, 3) linear light of a photo, averaged so that a mosaic of it can hold its detail."""
    light = to_linear(read_photo(PHOTOS / "BRYD0105.JPG").pixels)
    return np.asarray(light.reshape(600, 2, 800, 2, 3).mean((1, 3)))


def seen(data: bytes, name: str = "made.dng") -> np.ndarray:
    """Linear sRGB of a raw file, above white too."""
    photo = decode_photo(data, name, wide=True)
    assert photo.space == "raw"
    return light_in(to_linear(photo.pixels), "raw", "srgb")


def test_a_raw_file_and_its_twin_are_of_one_colour() -> None:
    light = scene()
    data = dng(light, holds=1.4)
    # What fills the sensor's green is white: by how much more light that was, its file does not say.
    apart = delta_e(lab_of(seen(data) * 1.4), lab_of(light))
    assert np.median(apart) < 1 and np.percentile(apart, 95) < 5
    narrow = decode_photo(data, "made.dng")
    assert narrow.space == "srgb" and np.median(delta_e(lab_of(to_linear(narrow.pixels) * 1.4), lab_of(light))) < 1


def test_light_above_white_is_kept_and_comes_back_when_a_photo_is_darkened() -> None:
    light = np.full((64, 64, 3), 0.5, np.float32)
    light[16:48, 16:48] = (1.6, 0.9, 0.8)
    data = dng(light)
    above = seen(data)[24:40, 24:40].mean((0, 1))
    assert above == pytest.approx((1.6, 0.9, 0.8), abs=0.04)
    assert decode_photo(data, "made.dng").pixels[32, 32].max() == 65535


def test_what_is_clipped_in_one_channel_does_not_turn_coloured() -> None:
    """White paper in light that fills the green channel: the others hold more, and it must not become magenta."""
    light = np.full((64, 64, 3), 0.4, np.float32)
    light[16:48, 16:48] = 1.5
    full = seen(dng(light, holds=1.0))[24:40, 24:40].mean((0, 1))
    assert full.min() > 0.97 and np.ptp(np.minimum(full, 1)) < 0.03


def test_the_light_that_was_balanced_away_is_told() -> None:
    plain = decode_photo(dng(np.full((64, 64, 3), 0.5)), "made.dng")
    assert plain.as_shot is not None and 6000 < kelvin_of(plain.as_shot) < 7100
    lamp = warmed(150) @ np.ones(3)
    # The same camera by lamplight, white as it balanced: its neutral is what the lamp is in its channels.
    known = decode_photo((AWKWARD / "raw-bayer.dng").read_bytes(), "raw-bayer.dng")
    assert known.as_shot is not None and np.ptp(to_neutral(known.as_shot) @ np.array(known.as_shot)) < 1e-3
    assert lamp[0] > lamp[2]


@pytest.mark.parametrize(("turn", "size"), [(1, (64, 48)), (3, (64, 48)), (6, (48, 64)), (8, (48, 64))])
def test_upright_from_the_header_on(turn: int, size: tuple[int, int], tmp_path) -> None:
    light = np.full((48, 64, 3), 0.2, np.float32)
    light[:24, :32] = 0.7  # one corner
    path = tmp_path / "made.dng"
    path.write_bytes(dng(light, turn=turn))
    header, photo = header_of(path), read_photo(path)
    assert header is not None and header.size == Size(*size) == Size(photo.facts.width, photo.facts.height)
    corner = {1: (0, 0), 3: (-1, -1), 6: (0, -1), 8: (-1, 0)}[turn]
    lightness = photo.pixels.mean(2)
    assert lightness[corner] > 1.3 * np.median(lightness)


def test_previews_are_half_the_sensor_and_say_the_true_size() -> None:
    photo = decode_photo(dng(scene()), "made.dng", preview=200)
    assert photo.pixels.shape == (300, 400, 3) and photo.shrink == 2
    assert (photo.facts.width, photo.facts.height) == (800, 600)


def test_the_picture_that_the_camera_stored_is_for_thumbnails_alone(tmp_path: Path) -> None:
    width, height = LARGE, LARGE // 4 * 2
    light = np.full((height, width, 3), 0.4, np.float32)
    red = np.zeros((height, width, 3), np.uint8)
    red[..., 0] = 220
    data = dng(light, beside=(encode_jpeg(red), width, height))
    glance = decode_photo(data, "made.dng", preview=100)
    assert glance.by_camera and glance.pixels[60, 80, 0] > 200 and glance.pixels[60, 80, 1] < 30
    assert (glance.facts.width, glance.facts.height) == (width, height)
    photo = decode_photo(data, "made.dng", wide=True)
    assert not photo.by_camera and light_in(to_linear(photo.pixels), "raw", "srgb")[60, 80] == pytest.approx(
        0.4, abs=0.01
    )
    # In the library: the thumbnail at once, what is looked at closely developed when it is asked for.
    vault = Vault(tmp_path)
    vault.prepare()
    facts = examine(vault, data, "made.dng")
    digest = str(facts["digest"])
    assert facts["format"] == "raw" and vault.thumbnail(digest).exists() and not vault.large(digest).exists()


@settings(max_examples=25, deadline=None)
@given(st.data())
def test_a_damaged_raw_file_gets_a_sentence(data: st.DataObject) -> None:
    whole = bytearray(dng(np.full((32, 32, 3), 0.5)))
    at = data.draw(st.integers(0, 300))
    whole[at : at + 8] = data.draw(st.binary(min_size=8, max_size=8))
    cut = bytes(whole[: data.draw(st.integers(0, len(whole)))])
    try:
        photo = decode_photo(cut, "D1.dng", wide=True)
        assert photo.pixels.dtype == np.uint16
    except PhotoError as error:
        assert "D1.dng" in str(error) and str(error).endswith(".") and "b'" not in str(error)


def test_gains_of_the_made_up_camera_are_what_white_is() -> None:
    grey = np.full((32, 32, 3), 0.4, np.float32)
    assert seen(dng(grey, gains=(0.7, 1.0, 0.5)))[16, 16] == pytest.approx(0.4, abs=0.01)
    assert seen(dng(grey))[16, 16] == pytest.approx(0.4, abs=0.01) and len(GAINS) == 3
