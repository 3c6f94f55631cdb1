"""The geodesic distance from the rim: outlines shut their inside off, gradients and soft shadows do not."""

import cv2
import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra import numpy as arrays

from zero_easel.core.clearing.barrier import barrier_of, spread


def paper(seed: int = 0) -> tuple[np.ndarray, np.ndarray]:
    """Seen and empty paper that falls off to the right, (120, 160, 3) linear light."""
    field = np.linspace(0.8, 0.5, 160)[None, :, None].repeat(120, 0).repeat(3, 2)
    grain = np.random.default_rng(seed).normal(1, 0.006, field.shape)
    return np.asarray(field * grain, np.float32), np.asarray(field, np.float32)


def test_an_outline_shuts_its_inside_off_even_where_that_looks_like_paper() -> None:
    seen, field = paper()
    cv2.ellipse(seen, (80, 60), (40, 30), 0, 0, 360, (0.5, 0.5, 0.5), 2)
    barrier = barrier_of(seen, field, 0.006)
    assert barrier[60, 80] > 1 and np.median(barrier[50:70, 60:100]) > 1
    assert barrier[5:15].max() < 0.2 and barrier[105:115].max() < 0.2


def test_a_soft_shadow_is_less_of_a_barrier_than_an_edge_of_the_same_depth() -> None:
    seen, field = paper()
    y, x = np.mgrid[0:120, 0:160]
    distance = np.hypot((y - 60) / 40, (x - 80) / 55)
    soft, hard = (1 - 0.25 * np.clip(k * (1 - distance), 0, 1) for k in (1, 40))
    behind = [barrier_of(np.asarray(seen * s[..., None], np.float32), field, 0.006)[60, 80] for s in (soft, hard)]
    assert behind[0] < 0.5 * behind[1] and behind[1] > 1


def test_an_item_that_reaches_the_rim_is_not_entered_from_there() -> None:
    seen, field = paper()
    seen[40:80, 100:] = (0.1, 0.3, 0.1)
    barrier = barrier_of(seen, field, 0.006)
    assert barrier[60, 158] > 1 and barrier[60, 130] > 1 and barrier[20, 158] < 0.2


@settings(max_examples=30, deadline=None)
@given(
    arrays.arrays(np.float32, (9, 11), elements=st.floats(0, 5, width=32)),
    arrays.arrays(np.float32, (9, 10), elements=st.floats(0, 5, width=32)),
    arrays.arrays(np.float32, (8, 11), elements=st.floats(0, 5, width=32)),
)
def test_no_step_is_longer_than_it_costs(start: np.ndarray, across: np.ndarray, down: np.ndarray) -> None:
    found = spread(start, across, down, 30)
    assert (found <= start + 1e-3).all()
    assert (np.abs(np.diff(found, axis=1)) <= across + 1e-3).all()
    assert (np.abs(np.diff(found, axis=0)) <= down + 1e-3).all()
