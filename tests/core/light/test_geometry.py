"""Composed maps against the steps that they are made of."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.light.geometry import Map

lengths = st.floats(-4000, 4000)
factors = st.floats(0.05, 8)
steps = st.lists(
    st.one_of(
        st.builds(Map.moved, lengths, lengths),
        st.builds(Map.scaled, factors, factors),
        st.builds(Map.turned, st.floats(-360, 360), lengths, lengths),
    ),
    min_size=1,
    max_size=5,
)
points = st.lists(st.tuples(st.floats(0, 6000), st.floats(0, 6000)), min_size=1, max_size=6).map(np.array)


@given(steps, points)
def test_a_composed_map_equals_its_steps_one_after_the_other(chain: list[Map], at: np.ndarray) -> None:
    composed, stepped = Map(), at
    for step in chain:
        composed, stepped = composed.then(step), step.apply(stepped)
    size = max(1.0, float(np.abs(stepped).max()), *(abs(v) for v in composed))
    assert np.abs(composed.apply(at) - stepped).max() <= 1e-6 * max(1, size / 1e5)
    assert composed.scale == pytest.approx(np.prod([step.scale for step in chain]), rel=1e-9)


@given(steps, points)
def test_the_inverse_leads_back(chain: list[Map], at: np.ndarray) -> None:
    composed = Map()
    for step in chain:
        composed = composed.then(step)
    there = composed.apply(at)
    # What was reduced and moved far away comes back with fewer digits.
    digits = 1e-9 * (1 + np.abs(there).max()) / min(1, composed.scale) + 1e-7
    assert np.abs(composed.inverse().apply(there) - at).max() < digits * 100


def test_turning_is_clockwise_about_its_point() -> None:
    right = Map.turned(90, 10, 20).apply(np.array([[15.0, 20.0], [10.0, 20.0]]))
    assert np.allclose(right, [[10, 25], [10, 20]])
    assert not Map.turned(3).level and Map.scaled(2, 3).level
