"""Bytes before a run: from a sample, with a range that holds."""

from types import SimpleNamespace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.runs.estimate import estimate_of


def shoot(count: int, measured: int, noise: float, seed: int) -> tuple[list[SimpleNamespace], float]:
    """Pictures whose bytes follow from a hint but for some noise; the first few, spread evenly, are known."""
    rng = np.random.default_rng(seed)
    hints = np.exp(rng.normal(9, 0.5, count))
    sizes = np.round(hints * 7.5 * np.exp(rng.normal(0, noise, count)))
    order = np.argsort(hints)[:: max(1, count // max(1, measured))][:measured]
    wanted = [
        SimpleNamespace(
            hint=float(hints[at]), bytes=int(sizes[at]) if at in order else None,
            photo=SimpleNamespace(id=at, original=SimpleNamespace(bytes=1000)),
        )
        for at in range(count)
    ]  # fmt: skip
    return wanted, float(sizes.sum())


@settings(max_examples=60)
@given(st.integers(8, 40), st.integers(0, 10_000))
def test_the_total_is_near_and_the_range_holds_nearly_always(measured: int, seed: int) -> None:
    wanted, truth = shoot(200, measured, 0.15, seed)
    found = estimate_of("shop", wanted)  # type: ignore[arg-type]
    assert found.total == pytest.approx(truth, rel=0.3) and found.low <= found.total <= found.high
    assert found.count == 200 and found.known == measured and found.before == 200_000


def test_nineteen_ranges_of_twenty_hold_the_truth() -> None:
    held, off = 0, []
    for seed in range(200):
        wanted, truth = shoot(100, 12, 0.15, seed)
        found = estimate_of("shop", wanted)  # type: ignore[arg-type]
        held += found.low <= truth <= found.high
        off.append(abs(found.total / truth - 1))
    assert held >= 188 and np.median(off) < 0.04 and np.percentile(off, 95) < 0.11


def test_what_is_known_is_certain_and_what_has_no_hint_is_usual() -> None:
    wanted, truth = shoot(20, 20, 0.2, 1)
    found = estimate_of("shop", wanted)  # type: ignore[arg-type]
    assert (found.total, found.low, found.high) == (truth, truth, truth)
    for one in wanted[:5]:
        one.bytes, one.hint = None, 0.0
    rough = estimate_of("shop", wanted)  # type: ignore[arg-type]
    assert rough.total == pytest.approx(truth, rel=0.4) and rough.low < rough.total < rough.high
    nothing = estimate_of("shop", [one for one in wanted if one.bytes is None])  # type: ignore[arg-type]
    assert nothing.total == 0 and nothing.known == 0


def test_one_of_ten_that_was_weighed_makes_nothing_certain() -> None:
    """Whether or not there is anything to tell the others by."""
    for hint in (0.0, 5000.0):
        wanted, _ = shoot(10, 1, 0.2, 3)
        for one in wanted:
            one.hint = hint
        found = estimate_of("shop", wanted)  # type: ignore[arg-type]
        size = next(one.bytes for one in wanted if one.bytes is not None)
        assert found.known == 1 and found.total == pytest.approx(10 * size)
        assert found.low < 0.8 * found.total and found.high > 1.2 * found.total
