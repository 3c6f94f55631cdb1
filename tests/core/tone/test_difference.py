"""Colour differences against the published pairs, and L*a*b*."""

import numpy as np
import pytest

from zero_easel.core.tone.difference import delta_e, lab_of

PAIRS = (
    ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425),
    ((50, 3.1571, -77.2803), (50, 0, -82.7485), 2.8615),
    ((50, 2.8361, -74.0200), (50, 0, -82.7485), 3.4412),
    ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0000),
    ((50, 2.4900, -0.0010), (50, -2.4900, 0.0009), 7.1792),
    ((50, -0.0010, 2.4900), (50, 0.0009, -2.4900), 4.8045),
    ((50, 2.5, 0), (73, 25, -18), 27.1492),
    ((50, 2.5, 0), (50, 3.2592, 0.3350), 1.0000),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
)
"""From the test data of Sharma, Wu and Dalal, 2005."""


@pytest.mark.parametrize(("one", "other", "expected"), PAIRS)
def test_differences_are_those_of_the_paper(one: tuple[float, ...], other: tuple[float, ...], expected: float) -> None:
    a, b = np.array(one, np.float64), np.array(other, np.float64)
    assert float(delta_e(a, b)) == pytest.approx(expected, abs=1e-4)
    assert float(delta_e(b, a)) == pytest.approx(expected, abs=1e-4)
    assert float(delta_e(a, a)) == 0


def test_white_and_black_have_no_colour_and_many_are_measured_at_once() -> None:
    lab = lab_of(np.array([[1, 1, 1], [0, 0, 0], [0.18, 0.18, 0.18], [1, 0, 0]], np.float32))
    assert np.allclose(lab[0], (100, 0, 0), atol=0.02) and np.allclose(lab[1], 0, atol=0.02)
    assert lab[2][0] == pytest.approx(49.5, abs=0.1) and np.abs(lab[2][1:]).max() < 0.02
    assert np.allclose(lab[3], (53.24, 80.09, 67.20), atol=0.1)
    assert delta_e(lab, lab[::-1]).shape == (4,)
