"""White and exposure from backdrops, and small amounts."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.tone.balance import Amounts, Known, balances, is_lamp_or_daylight, kelvin_of, to_neutral, warmed
from zero_easel.core.tone.difference import TO_XYZ, lab_of
from zero_easel.core.tone.toning import Tone, saturated

LIGHT = st.tuples(*[st.floats(0.05, 1.0)] * 3)
PAPER, LAMP, WINDOW = (0.8, 0.8, 0.8), (0.9, 0.62, 0.28), (0.62, 0.7, 0.85)


def known(*lights: tuple[float, float, float] | None) -> list[Known]:
    """What is known of photos of which only the backdrops are."""
    return [Known(light) for light in lights]


def seen(tone: Tone, colour: tuple[float, ...]) -> np.ndarray:
    return tone.rows @ np.array(colour)


@settings(max_examples=80, deadline=None)
@given(LIGHT)
def test_what_is_to_be_neutral_becomes_a_grey_of_the_same_light(colour: tuple[float, float, float]) -> None:
    grey = to_neutral(colour) @ np.array(colour)
    assert np.ptp(grey) < 2e-3 * max(colour) and TO_XYZ[1] @ grey == pytest.approx(TO_XYZ[1] @ colour, rel=1e-3)


def test_backdrops_under_different_lamps_come_to_one_white_and_light() -> None:
    asked = Amounts(white=True, exposure=True, level=0.7)
    for light, made in zip((PAPER, LAMP, WINDOW), balances(known(PAPER, LAMP, WINDOW), asked), strict=True):
        assert not made.note and np.allclose(seen(made.tone, light), 0.7, atol=2e-3)
    only_white = balances(known(LAMP), Amounts(white=True))[0]
    assert TO_XYZ[1] @ seen(only_white.tone, LAMP) == pytest.approx(TO_XYZ[1] @ LAMP, rel=1e-3)
    only_exposure = balances(known(LAMP, WINDOW), Amounts(exposure=True))
    lights = [TO_XYZ[1] @ seen(made.tone, light) for made, light in zip(only_exposure, (LAMP, WINDOW), strict=True)]
    assert lights[0] == pytest.approx(lights[1], rel=1e-3)


def test_coloured_paper_darkness_and_the_unknown_are_left_and_named() -> None:
    asked = Amounts(white=True)
    green, red, dark = (0.1, 0.5, 0.12), (0.7, 0.06, 0.05), (0.004, 0.004, 0.004)
    made = balances(known(PAPER, green, red, dark, None), asked)
    assert [one.tone.does_nothing for one in made[1:]] == [True] * 4
    assert [("coloured" in one.note, "dark" in one.note, "no backdrop" in one.note) for one in made[1:]] == [
        (True, False, False), (True, False, False), (False, True, False), (False, False, True),
    ]  # fmt: skip
    assert all(is_lamp_or_daylight(light) for light in (PAPER, LAMP, WINDOW))


def test_what_a_person_calls_neutral_is_believed_whatever_its_colour() -> None:
    green = (0.1, 0.5, 0.12)
    left, said = balances([Known(green), Known(green, by_hand=True)], Amounts(white=True))
    assert left.tone.does_nothing and "coloured" in left.note
    assert not said.note and np.ptp(seen(said.tone, green)) < 1e-3


def test_one_matrix_for_the_shoot_is_the_middle_one_and_names_who_is_far_from_it() -> None:
    made = balances(known(PAPER, PAPER, LAMP, PAPER), Amounts(white=True, together=True))
    assert len({one.tone for one in made}) == 1 and np.allclose(seen(made[0].tone, PAPER), 0.8, atol=2e-3)
    assert [bool(one.note) for one in made] == [False, False, True, False] and "Delta E" in made[2].note


def test_amounts_by_hand_change_light_colour_and_warmth_and_nothing_where_they_are_nothing() -> None:
    assert balances(known(None), Amounts())[0].tone.does_nothing
    assert np.allclose(balances(known(None), Amounts(brightness=1))[0].tone.rows, 2 * np.eye(3))
    grey = seen(balances(known(None), Amounts(saturation=0))[0].tone, (0.9, 0.2, 0.1))
    assert np.ptp(grey) < 1e-6
    assert np.allclose(saturated(1.0), np.eye(3))
    warm, cool = (lab_of(np.asarray(warmed(by) @ np.ones(3)))[2] for by in (30, -30))
    assert warm > 5 and cool < -5
    assert abs(lab_of(np.asarray(warmed(30) @ np.ones(3)))[0] - 100) < 0.5


@pytest.mark.parametrize("light", [PAPER, (1.0, 0.72, 0.42), (0.8, 0.9, 1.0), (1.0, 0.6, 0.25)])
def test_the_light_s_temperature_is_told(light: tuple[float, float, float]) -> None:
    # McCamy, Correlated color temperature as an explicit function of chromaticity coordinates, 1992.
    x, y, z = TO_XYZ @ light
    n = (x / (x + y + z) - 0.3320) / (0.1858 - y / (x + y + z))
    kelvin = 449 * n**3 + 3525 * n**2 + 6823.3 * n + 5520.33
    assert abs(kelvin_of(light) - kelvin) < 0.03 * kelvin


@settings(max_examples=40, deadline=None)
@given(st.lists(st.floats(0, 1), min_size=3, max_size=3), st.floats(0, 1), LIGHT)
def test_no_light_exceeds_what_alpha_lets_through(
    colour: list[float], alpha: float, backdrop: tuple[float, float, float]
) -> None:
    tone = balances(known(backdrop), Amounts(white=True, exposure=True, level=0.9, saturation=1.5))[0].tone
    planes = [np.full((2, 2), value * alpha, np.float32) for value in colour]
    made = tone.on(planes, np.full((2, 2), alpha, np.float32))
    assert all(plane.min() >= 0 and plane.max() <= np.float32(alpha) for plane in made)


def test_light_of_a_given_temperature_becomes_white() -> None:
    plain = balances([Known()], Amounts(kelvin=6504))[0].tone
    assert np.allclose(plain.rows, np.eye(3), atol=1e-3)
    warm, cool = (seen(balances([Known()], Amounts(kelvin=k))[0].tone, (0.5, 0.5, 0.5)) for k in (9000, 3200))
    assert warm[0] > warm[2] * 1.2 and cool[2] > cool[0] * 1.2
    magenta = seen(balances([Known()], Amounts(kelvin=6504, tint=20))[0].tone, (0.5, 0.5, 0.5))
    assert magenta[1] < min(magenta[0], magenta[2])


@pytest.mark.parametrize("kelvin", [2800, 4000, 5500, 8000])
def test_a_raw_file_s_own_light_is_where_its_temperature_counts_from(kelvin: float) -> None:
    """Said to be of the temperature that the camera balanced away, a photo stays as it is."""
    lamp = np.linalg.inv(balances([Known()], Amounts(kelvin=kelvin))[0].tone.rows) @ np.full(3, 0.5)
    as_shot = tuple(lamp / lamp.max())
    same = balances([Known(as_shot=as_shot)], Amounts(kelvin=kelvin))[0].tone
    assert np.allclose(seen(same, (0.5, 0.5, 0.5)), 0.5, atol=0.01)


def test_a_colour_target_says_how_colours_are_seen_and_backdrops_what_is_white() -> None:
    target = tuple((np.eye(3) * 1.5).ravel())
    row = [Known(LAMP, target=target), Known(LAMP, by_hand=True, target=target), Known(LAMP)]
    by_target, by_hand, without = balances(row, Amounts(white=True))
    assert np.ptp(seen(by_target.tone, LAMP)) < 2e-3 and max(seen(by_target.tone, LAMP)) > 0.9
    assert np.allclose(balances([row[0]], Amounts())[0].tone.rows, np.eye(3) * 1.5)
    assert np.ptp(seen(by_hand.tone, LAMP)) < 2e-3 and np.ptp(seen(without.tone, LAMP)) < 2e-3
    assert "no colour target" in without.note and not by_target.note
    exposed = balances([Known(LAMP, target=target), Known(WINDOW, target=target)], Amounts(exposure=True, level=0.6))
    lights = [TO_XYZ[1] @ seen(one.tone, light) for one, light in zip(exposed, (LAMP, WINDOW), strict=True)]
    assert lights == pytest.approx([0.6, 0.6], rel=1e-3)
