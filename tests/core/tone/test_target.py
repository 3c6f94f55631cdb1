"""The colour target: found wherever it lies, nowhere else, and what is left of wrong light after it."""

import numpy as np
import pytest
from support import PHOTOS
from targets import case, drawn_target, remaining

from zero_easel.core.light.colour import to_linear, to_srgb8, to_srgb16
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.tone.balance import warmed
from zero_easel.core.tone.target import calibrated, misfit, reference
from zero_easel.core.tone.target_finding import find_target


def test_found_under_any_light_and_from_any_side() -> None:
    rng = np.random.default_rng(23)
    background = read_photo(PHOTOS / "BRYD0104.JPG").pixels
    errors = [remaining(case(rng, background)) for _ in range(8)]
    known = [error for error in errors if error is not None]
    assert len(known) >= 7 and np.mean(known) < 1.5


@pytest.mark.slow
def test_a_hundred_targets_and_no_photo_without_one() -> None:
    rng = np.random.default_rng(231)
    backgrounds = [read_photo(path).pixels for path in sorted(PHOTOS.glob("*.JPG"))[4:16]]
    errors = [remaining(case(rng, backgrounds[n % 12])) for n in range(100)]
    known = [error for error in errors if error is not None]
    assert len(known) >= 98 and np.mean(known) < 1.5
    for path in sorted(PHOTOS.glob("*.JPG"))[:45]:
        assert find_target(read_photo(path).pixels) is None, path.name


@pytest.mark.parametrize("deep", [False, True])
def test_patches_are_read_in_order_whichever_way_up(deep: bool) -> None:
    sheet = np.full((700, 900, 3), 0.5, np.float32)
    target = drawn_target(90, np.random.default_rng(3))
    sheet[60 : 60 + target.shape[0], 80 : 80 + target.shape[1]] = target
    for turn in range(4):
        light = np.ascontiguousarray(np.rot90(sheet, turn))
        patches = find_target(to_srgb16(light) if deep else to_srgb8(light))
        assert patches is not None and np.abs(np.array(patches) - reference()).max() < 0.01


def test_squares_of_other_colours_are_no_target() -> None:
    rng = np.random.default_rng(5)
    for _ in range(12):
        sheet = np.full((600, 800, 3), 0.1, np.float32)
        for at in range(24):
            y, x = 60 + at // 6 * 110, 60 + at % 6 * 110
            sheet[y : y + 90, x : x + 90] = rng.uniform(0, 0.9, 3)
        assert find_target(to_srgb8(sheet)) is None
    assert find_target(np.full((64, 64, 3), 90, np.uint8)) is None


def test_matrix_takes_cast_exposure_and_falloff_away() -> None:
    cast = warmed(120) * 0.6
    x, y = np.arange(24) % 6 / 5 - 0.5, np.arange(24) // 6 / 3 - 0.5
    seen = (reference() @ cast.T) * np.exp(0.2 * x - 0.1 * y)[:, None]
    found = calibrated(seen.astype(np.float32))
    assert found is not None and found.error < 0.1
    assert np.allclose(np.reshape(found.matrix, (3, 3)) @ cast, np.eye(3), atol=0.01)
    assert misfit(to_linear(np.random.default_rng(1).integers(0, 250, (24, 3)).astype(np.uint8))) > 10


def test_clipped_patches_do_not_count_and_too_many_are_refused() -> None:
    seen = np.minimum(reference() * 1.6, 1)
    found = calibrated(seen)
    assert found is not None and found.error < 0.5
    assert calibrated(np.minimum(reference() * 12, 1)) is None
