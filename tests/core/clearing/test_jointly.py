"""Surfaces decided as wholes."""

import itertools

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.clearing.jointly import jointly, minimum_cut, outline_costs

SHAPE = (240, 320)


def cost_of(item: np.ndarray, opinion: np.ndarray, across: np.ndarray, down: np.ndarray) -> float:
    parted = (item[:, 1:] != item[:, :-1], item[1:] != item[:-1])
    contradicted = np.abs(opinion)[item != (opinion > 0)].sum()
    return float(contradicted + across[parted[0]].sum() + down[parted[1]].sum())


@settings(max_examples=30, deadline=None)
@given(st.integers(0, 2**32 - 1))
def test_no_division_of_a_small_grid_costs_less(seed: int) -> None:
    rng = np.random.default_rng(seed)
    opinion = rng.choice([-2.0, -1.0, 1.0, 2.0], (3, 3))
    across, down = rng.integers(0, 3, (3, 2)).astype(float), rng.integers(0, 3, (2, 3)).astype(float)
    certain = rng.uniform(size=(3, 3)) < rng.choice([0, 0.4])
    found = minimum_cut(opinion, across, down, certain)
    assert (found == (opinion > 0))[certain].all()
    every = (np.array(bits).reshape(3, 3) for bits in itertools.product([False, True], repeat=9))
    least = min(cost_of(e, opinion, across, down) for e in every if (e == (opinion > 0))[certain].all())
    assert cost_of(found, opinion, across, down) <= least + 1e-9


def mug() -> tuple[np.ndarray, np.ndarray]:
    """A pale block on paper that is a little darker, (240, 320, 3) linear light, and where it is."""
    item = np.zeros(SHAPE, bool)
    item[60:200, 90:230] = True
    light = np.where(item, 0.80, 0.70)[..., None] + np.random.default_rng(1).normal(0, 0.002, (*SHAPE, 3))
    return light.astype(np.float32), item


def test_half_a_mug_becomes_a_whole_one() -> None:
    light, item = mug()
    odds = np.where(item, 2.5, -4).astype(np.float32)
    odds[60:200, 90:150] = -1.2
    found = jointly(odds, light)
    assert ((found > 0) == item).mean() > 0.99
    assert (found[~item] == odds[~item]).mean() > 0.99


def test_shadow_without_an_edge_goes_back_to_the_paper() -> None:
    light, item = mug()
    y, x = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]]
    shadow = np.exp(-(((y - 200) / 25.0) ** 2 + ((x - 245) / 30.0) ** 2))
    light = np.where(item[..., None], light, light * (1 - 0.3 * shadow)[..., None]).astype(np.float32)
    odds = np.where(item, 4, -4).astype(np.float32)
    odds[~item & (shadow > 0.6)] = 0.8
    found = jointly(odds, light)
    assert (found[~item] > 0).mean() < 0.002


def test_texture_on_the_item_does_not_make_paper_of_it() -> None:
    light, item = mug()
    grain = np.random.default_rng(2).normal(0, 0.08, (*SHAPE, 1)).astype(np.float32)
    light = np.where(item[..., None], 0.5 * light * (1 + grain), light).astype(np.float32)
    odds = np.where(item, 3.5, -4).astype(np.float32)
    odds[60:76, 90:230] = 0.7
    assert ((jointly(odds, light) > 0) == item).mean() > 0.995


def test_what_the_network_is_certain_of_and_what_is_thin_stays() -> None:
    light, item = mug()
    wires = np.zeros(SHAPE, bool)
    wires[20:40:6, 20:300] = True
    odds = np.where(item | wires, 4.5, -4.5).astype(np.float32)
    assert ((jointly(odds, light) > 0) == (item | wires)).all()


def test_an_outline_is_cheap_on_an_edge_and_dear_on_a_surface() -> None:
    light, item = mug()
    across, _ = outline_costs(light, ~item)
    assert np.median(across[100:160, 229]) < 0.5 * np.median(across[100:160, 150:200])
