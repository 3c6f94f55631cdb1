"""What is decided on: reduced pictures, parts of them in exact places, and features that no camera changes."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.clearing.backdrop import FLOOR, estimate_backdrop
from zero_easel.core.clearing.features import CHANNELS, SIDE, features_of
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.clearing.sight import look_again, look_at
from zero_easel.core.light.colour import channel_sum, to_linear, to_srgb8
from zero_easel.core.light.geometry import Size, Window
from zero_easel.core.light.windows import part_of, size_within
from zero_easel.core.photos.reducing import reduced

SIDES = st.integers(40, 900)


@settings(max_examples=30, deadline=None)
@given(SIDES, SIDES, st.integers(16, 500), st.sampled_from([np.uint8, np.uint16]))
def test_reducing_keeps_shape_depth_and_light(height: int, width: int, side: int, kind: type) -> None:
    rng = np.random.default_rng(height * 1000 + width)
    top = np.iinfo(kind).max
    ramp = np.linspace(0.2, 0.8, width)[None, :, None] * np.ones((height, 1, 3))
    pixels = (top * np.clip(ramp + rng.normal(0, 0.02, ramp.shape), 0, 1)).astype(kind)
    small = reduced(pixels, side)
    assert small.dtype == kind
    if side >= max(height, width):
        assert small is pixels
        return
    assert max(small.shape[:2]) == max(side, 8) and min(small.shape[:2]) >= 8
    assert small.shape[0] / height == pytest.approx(small.shape[1] / width, abs=max(0.6 / height, 0.6 / width, 8 / 40))
    assert small.mean() / top == pytest.approx(pixels.mean() / top, abs=0.012)


@settings(max_examples=40, deadline=None)
@given(st.floats(0, 0.6), st.floats(0, 0.6), st.floats(0.2, 0.4), st.floats(0.2, 0.4), st.integers(20, 700))
def test_a_part_lies_where_it_lay(left: float, top: float, wide: float, tall: float, side: int) -> None:
    h, w = 240, 320
    y, x = np.mgrid[0:h, 0:w] + 0.5
    places = np.dstack([x / w, y / h, 0 * x]).astype(np.float32)
    window = Window(left, top, left + wide, top + tall)
    size = size_within(window, Size(w, h), side)
    part = part_of(places, window, size)
    assert part.shape == (size[1], size[0], 3)
    middle = part[size[1] // 4 : -size[1] // 4, size[0] // 4 : -size[0] // 4]
    columns = window.left + (np.arange(size[0]) + 0.5) / size[0] * wide
    rows = window.top + (np.arange(size[1]) + 0.5) / size[1] * tall
    # When much is averaged, the window's ends are rounded to whole pixels.
    assert np.abs(middle[..., 0] - columns[size[0] // 4 : -size[0] // 4]).max() < 1.01 / w
    assert np.abs(middle[..., 1] - rows[size[1] // 4 : -size[1] // 4, None]).max() < 1.01 / h


def scene(item: bool, seed: int = 0) -> np.ndarray:
    """Pale paper that falls off to one side, with or without a dark block, (300, 400, 3) linear light."""
    light = np.linspace(0.75, 0.5, 400)[None, :, None] * np.array([1, 0.98, 0.95]) * np.ones((300, 1, 1))
    if item:
        light[110:210, 150:230] = (0.1, 0.05, 0.03)
    grain = np.random.default_rng(seed).normal(1, 0.004, light.shape)
    return np.asarray(light * grain, np.float32)


def test_exposure_and_white_balance_drop_out_of_the_differences() -> None:
    seen, field = scene(True), scene(False, 1)
    gain = np.array([0.7, 0.9, 1.2], np.float32)
    barrier = np.zeros(seen.shape[:2], np.float32)
    # The floor under the logarithm is scaled along: it is there for black alone.
    first = features_of(seen, field, barrier, 0.01, False)
    second = features_of((seen + FLOOR) * gain - FLOOR, (field + FLOOR) * gain - FLOOR, barrier, 0.01, False)
    assert first.shape == (CHANNELS, 300, 400) and first.dtype == np.float32
    assert np.abs(first[:6] - second[:6]).max() < 1e-3
    assert np.abs(first[6:9] - second[6:9]).max() > 0.05


def test_a_window_says_where_in_the_frame_it_lies() -> None:
    seen, barrier = scene(True), np.zeros((300, 400), np.float32)
    whole = features_of(seen, seen, barrier, 0.01, False)
    part = Window(0.25, 0.5, 0.75, 1.0)
    half = features_of(seen[150:, 100:300], seen[150:, 100:300], barrier[150:, 100:300], 0.01, False, part)
    assert np.allclose(half[9:11], whole[9:11, 150:, 100:300], atol=1e-4)


def test_the_window_holds_the_item_and_is_looked_at_again() -> None:
    sight = look_at(to_srgb8(scene(True)), [])
    assert sight.window.left < 150 / 400 and sight.window.right > 230 / 400
    assert sight.window.top < 110 / 300 and sight.window.bottom > 210 / 300
    assert sight.close is not None and max(sight.close.evidence.shape) == SIDE
    whole = sight.far.joined()
    h, w = whole.shape
    assert whole[int(0.53 * h), int(0.47 * w)] > 2 and (whole[: h // 6] < -2).all()
    assert sight.empty_fits is None


def test_an_empty_frame_is_used_if_it_fits_and_only_then() -> None:
    photo = to_srgb8(scene(True))
    fitting = to_srgb8(scene(False, 2) * np.float32(0.9))
    assert look_at(photo, [fitting]).empty_fits is True
    other = scene(False, 3)
    other[:, 200:] *= (0.3, 0.5, 0.9)
    assert look_at(photo, [to_srgb8(other)]).empty_fits is False
    assert look_at(photo, [fitting[:, :200]]).empty_fits is False  # another shape of frame


def test_the_backdrop_goes_on_behind_the_item() -> None:
    backdrop = estimate_backdrop(to_linear(to_srgb8(scene(True))))
    assert np.abs(backdrop.field / scene(False, 1) - 1).max() < 0.05
    assert not backdrop.explained[115:205, 155:225].any() and backdrop.explained[:90].mean() > 0.95


def test_sums_over_channels_are_sums() -> None:
    values = np.random.default_rng(1).normal(0, 1, (7, 5, 3)).astype(np.float32)
    assert np.allclose(channel_sum(values), values.sum(2), atol=1e-6)
    assert channel_sum(values[:, 2]).shape == (7,)


def test_marks_are_looked_at_in_the_whole_photo_and_in_a_window_around_them() -> None:
    pixels = to_srgb8(scene(True))
    frame = Size.of(pixels)
    sight = look_at(pixels, [])
    assert look_again(sight, [Mark(kind="exact-item", points=((5, 5),))], frame) is sight
    corner = Mark(kind="item", points=((380.5, 20.5),), radius=6)
    again = look_again(sight, [corner], frame)
    assert again.window.right >= 380 / 400 and again.window.top <= 20 / 300
    assert again.close is not None and again.near is not None
    assert again.close.things.shape == again.near.linear.shape[:2]
    assert again.far.joined()[20, 380] > sight.far.joined()[20, 380] + 1


def test_a_mark_just_beyond_a_wide_window_is_looked_at_too() -> None:
    light = scene(False)
    light[110:210, 30:330] = (0.1, 0.05, 0.03)
    pixels = to_srgb8(light)
    frame = Size.of(pixels)
    sight = look_at(pixels, [])
    x, y = sight.window.right * 400 + 1, (sight.window.top + sight.window.bottom) / 2 * 300
    assert 350 < x < 395
    again = look_again(sight, [Mark(kind="item", points=((x, y),), radius=0.5)], frame)
    assert again.window.right * 400 > x
