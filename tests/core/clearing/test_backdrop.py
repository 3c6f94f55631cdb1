"""The empty backdrop and its features."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from zero_easel.core.clearing.backdrop import estimate_backdrop, match_empty, rim, touching
from zero_easel.core.clearing.barrier import barrier_of
from zero_easel.core.clearing.features import CHANNELS, features_of
from zero_easel.core.clearing.network import ask_network
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.light.fill import fill_from
from zero_easel.core.light.hex_colour import parse_hex


def paper(colour: tuple[float, float, float], height: int = 180, width: int = 240, noise: float = 0.01) -> np.ndarray:
    y, x = np.mgrid[0:height, 0:width]
    fall = 1 - 0.3 * x / width - 0.2 * ((y / height) - 0.3) ** 2
    rng = np.random.default_rng(5)
    light = fall[..., None] * np.array(colour) * (1 + noise * rng.standard_normal((height, width, 3)))
    return np.asarray(np.clip(light, 0, 1), np.float32)


@pytest.mark.parametrize("colour", [(0.85, 0.84, 0.82), (0.2, 0.21, 0.2), (0.1, 0.35, 0.2), (0.02, 0.02, 0.022)])
def test_paper_of_any_colour_is_explained_under_an_item(colour: tuple[float, float, float]) -> None:
    clean = paper(colour, noise=0)
    seen = paper(colour)
    seen[60:130, 80:160] = (0.4, 0.05, 0.3)
    backdrop = estimate_backdrop(seen)
    error = np.abs(np.log(backdrop.field + 0.01) - np.log(clean + 0.01))
    assert error.max() < 0.08
    assert not backdrop.explained[70:120, 90:150].any()
    assert backdrop.explained[:40].mean() > 0.9


def seen_as(linear: np.ndarray) -> np.ndarray:
    backdrop = estimate_backdrop(linear)
    barrier = barrier_of(linear, backdrop.field, backdrop.noise)
    return features_of(linear, backdrop.field, barrier, backdrop.noise, backdrop.known)


def test_features_do_not_change_with_exposure() -> None:
    seen = paper((0.6, 0.6, 0.6))
    seen[60:130, 80:160] = (0.3, 0.05, 0.2)
    once, half = (seen_as(light) for light in (seen, np.asarray(seen / 2, np.float32)))
    assert once.shape == (CHANNELS, 180, 240) and once.dtype == np.float32
    assert np.abs(once[:3] - half[:3]).mean() < 0.02


def test_the_network_answers_at_the_size_that_it_was_asked() -> None:
    seen = paper((0.8, 0.8, 0.8), 101, 167)
    seen[30:75, 50:110] = (0.05, 0.1, 0.4)
    probability = ask_network(seen_as(seen))
    assert probability.shape == (101, 167)
    assert probability.min() >= 0 and probability.max() <= 1
    assert probability[52, 80] > 0.8 and probability[5, 5] < 0.1


@settings(max_examples=40, deadline=None)
@given(arrays.arrays(np.float32, (23, 31, 3), elements=st.floats(0, 1, width=32)), st.integers(0, 600))
def test_filling_keeps_what_is_known_and_stays_in_its_range(values: np.ndarray, unknown: int) -> None:
    known = np.ones(23 * 31, np.bool_)
    known[: min(unknown, 23 * 31 - 1)] = False
    known = known.reshape(23, 31)
    filled = fill_from(values, known)
    assert np.allclose(filled[known], values[known], atol=1e-4)
    assert filled.min() >= values[known].min() - 1e-3 and filled.max() <= values[known].max() + 1e-3


def test_linear_light_and_back_is_the_same_picture() -> None:
    ramp = np.arange(256, dtype=np.uint8)
    assert np.array_equal(to_srgb8(to_linear(ramp)), ramp)
    assert to_linear(np.array([65535], np.uint16))[0] == pytest.approx(1)


def test_hex_colours() -> None:
    assert parse_hex("#abc") == parse_hex("AABBCC") == (0xAA, 0xBB, 0xCC)
    for bad in ("", "#12", "#12345g", "red"):
        with pytest.raises(ValueError, match="is not a colour"):
            parse_hex(bad)


def test_only_what_reaches_the_frame_touches_it() -> None:
    mask = np.zeros((20, 20), np.bool_)
    mask[0:5, 3] = mask[10:14, 10:14] = True
    assert touching(mask, rim(20, 20, 1)).sum() == 5
    assert rim(20, 20, 2).sum() == 400 - 256


def test_an_empty_frame_explains_what_no_smooth_field_can() -> None:
    room = paper((0.7, 0.7, 0.7), noise=0)
    room[90:] *= 0.5
    rng = np.random.default_rng(7)
    empty, seen = (np.asarray(room * (1 + 0.01 * rng.standard_normal(room.shape)), np.float32) for _ in range(2))
    seen = np.asarray(seen * np.array([0.8, 0.85, 0.9]), np.float32)
    seen[60:130, 80:160] = (0.4, 0.05, 0.3)
    estimate = estimate_backdrop(seen)
    known = match_empty(seen, empty, estimate)
    assert known is not None and known.known
    clean = room * np.array([0.8, 0.85, 0.9])
    error = np.abs(np.log(known.field + 0.01) - np.log(clean + 0.01))
    assert np.percentile(error, 99) < 0.06
    assert match_empty(seen, empty[::-1].copy(), estimate) is None
