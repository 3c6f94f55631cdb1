"""The curve behind the matrix, darker corners, and what a closer look tells."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.finishing.corners import darkened, falloff
from zero_easel.core.light.colour import to_linear
from zero_easel.core.light.space import between
from zero_easel.core.tone.spread import BINS, lost_drawn, reading_at, spread_of, toned_pixels
from zero_easel.core.tone.toning import Tone

AMOUNT = st.floats(-1, 1)


@settings(max_examples=60, deadline=None)
@given(AMOUNT, AMOUNT)
def test_curve_leaves_black_and_white_and_never_turns_round(contrast: float, shadows: float) -> None:
    tone = Tone(contrast=contrast, shadows=shadows)
    values = np.array(tone.table)
    assert values[0] == pytest.approx(0, abs=1e-5) and values[-1] == pytest.approx(1, abs=1e-5)
    assert (np.diff(values) >= -1e-6).all()
    light = [np.linspace(0, 0.5, 40, dtype=np.float32)] * 3
    cover = np.full(40, 0.5, np.float32)
    for plane in tone.curved(light, cover):
        assert plane.max() <= 0.5 + 1e-6 and plane.min() >= 0


def test_contrast_parts_light_from_dark_and_shadows_lift_the_dark() -> None:
    dark, light = (np.full(1, v, np.float32) for v in (0.05, 0.5))
    apart = [Tone(contrast=c).curved([dark, light, light]) for c in (-0.5, 0.0, 0.5)]
    steps = [float(made[1][0] / made[0][0]) for made in apart]
    assert steps[0] < steps[1] < steps[2]
    lifted = Tone(shadows=0.5).curved([dark, light, light])
    assert lifted[0][0] > 1.3 * dark[0] and lifted[1][0] < 1.2 * light[0]
    assert Tone().curved([dark])[0] is dark and Tone(contrast=0.2).does_nothing is False


def test_tone_within_a_wide_space_is_the_same_tone() -> None:
    tone = Tone.of(np.array([[1.1, 0.05, 0], [0, 0.9, 0], [0, 0.1, 1.2]]))
    colour = np.array([0.4, 0.3, 0.2])
    for space in ("wide", "raw"):
        wide = between("srgb", space) @ colour  # type: ignore[arg-type]
        back = between(space, "srgb") @ (tone.within(space).rows @ wide)  # type: ignore[arg-type]
        assert back == pytest.approx(tone.rows @ colour, abs=1e-4)


@pytest.mark.parametrize("kind", [np.uint8, np.uint16])
def test_corners_lose_what_is_asked_and_the_middle_nothing(kind: type) -> None:
    top = np.iinfo(kind).max
    white = np.full((90, 120, 4), top, kind)
    made = darkened(white, 0.25)
    light = to_linear(made[..., :3])
    assert (made[30:60, 45:75] == top).all() and (made[..., 3] == top).all()
    assert light[0, 0, 0] == pytest.approx(0.75, abs=0.01)
    assert darkened(white, 0) is white
    assert (np.diff(falloff(60, 60)[30, 30:]) >= 0).all()


def test_spread_counts_the_item_alone_and_what_is_lost() -> None:
    pixels = np.zeros((40, 40, 4), np.uint8)
    pixels[10:30, 10:30] = (90, 90, 90, 255)
    pixels[10:15, 10:30] = 255
    pixels[25:30, 10:30, :3] = 0
    seen = spread_of(pixels, Tone())
    assert seen.clipped == 0.25 and seen.blocked == 0.25
    assert sum(seen.before) == pytest.approx(1, abs=1e-3) and len(seen.after) == BINS
    brighter = Tone.of(np.eye(3) * 2)
    assert np.argmax(np.array(spread_of(pixels, brighter).after)[1:-1]) > np.argmax(np.array(seen.before)[1:-1])
    drawn = lost_drawn(pixels, Tone())
    assert (drawn[12, 15:25, 3] == 255).all() and not drawn[20, 15:25, 3].any() and not drawn[:8].any()
    assert not spread_of(np.zeros((8, 8, 4), np.uint8), Tone()).clipped


def test_numbers_at_a_place() -> None:
    photo = np.full((20, 30, 3), 118, np.uint8)
    before, after = reading_at(photo, 0.5, 0.5, Tone.of(np.eye(3) * 2))
    assert before.rgb == (118, 118, 118) and before.lab[0] == pytest.approx(50, abs=0.6)
    assert before.lab[1:] == pytest.approx((0, 0), abs=0.2) and after.rgb[0] > 155
    with pytest.raises(ValueError, match="not on the photo"):
        reading_at(photo, 1.2, 0.5, Tone())
    assert (toned_pixels(photo, Tone()) == photo).all()
