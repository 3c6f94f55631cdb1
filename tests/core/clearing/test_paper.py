"""Paper that leaves some of the frame to table and room."""

import cv2
import numpy as np
import pytest

from zero_easel.core.clearing.backdrop import estimate_backdrop
from zero_easel.core.clearing.paper import Paper, fills_frame, find_papers
from zero_easel.core.clearing.region import decide
from zero_easel.core.clearing.shadow import shadow_of
from zero_easel.core.clearing.sight import look_at
from zero_easel.core.light.colour import to_srgb8
from zero_easel.core.light.geometry import Size

SHAPE = (360, 480)


def wooden_table(seed: int = 0) -> np.ndarray:
    """Streaks of wood below a plain wall, (360, 480, 3) linear light."""
    rng = np.random.default_rng(seed)
    grain = cv2.GaussianBlur(rng.normal(0, 1, SHAPE).astype(np.float32), (0, 0), sigmaX=40, sigmaY=1)
    light = np.array([0.25, 0.13, 0.06]) * np.exp(6 * grain[..., None])
    light[:60] = 0.35
    return light.astype(np.float32)


def on_table(corners: list[tuple[int, int]], item: bool = True, seed: int = 0) -> tuple[np.ndarray, np.ndarray]:
    """A photo, (360, 480, 3) uint8, of pale paper with a red ball and its shadow on it; and where the ball is."""
    light, sheet = wooden_table(seed), np.zeros(SHAPE, np.uint8)
    cv2.fillConvexPoly(sheet, np.array(corners, np.int32), 1)
    y, x = np.mgrid[0 : SHAPE[0], 0 : SHAPE[1]]
    paper = np.array([0.72, 0.7, 0.68]) * (1 - 0.0006 * (x - 240))[..., None]
    ball = np.hypot(x - 250, y - 190) < 42
    if item:
        paper = paper * (1 - 0.5 * np.exp(-(((x - 262) / 45) ** 2 + ((y - 232) / 14) ** 2)))[..., None]
        shade = 0.25 + 0.75 * np.clip(1 - np.hypot(x - 238, y - 175) / 60, 0, 1)
        paper = np.where(ball[..., None], np.array([0.55, 0.06, 0.04]) * shade[..., None], paper)
    light = np.where(sheet[..., None] > 0, paper, light) * np.random.default_rng(seed + 1).normal(1, 0.004, (*SHAPE, 1))
    return to_srgb8(light.astype(np.float32)), ball & item


INSIDE = [(110, 90), (400, 95), (410, 320), (100, 315)]
TO_THE_FRAME = [(120, 0), (390, 0), (450, 359), (60, 359)]


@pytest.mark.parametrize("corners", [INSIDE, TO_THE_FRAME])
@pytest.mark.parametrize("seed", [0, 5])
def test_what_stands_on_the_paper_is_the_item_not_the_paper(corners: list[tuple[int, int]], seed: int) -> None:
    photo, ball = on_table(corners, seed=seed)
    sight = look_at(photo, [])
    region = decide(sight, Size(480, 360), [])
    left, top, right, bottom = (round(v) for v in region.box)
    found = np.zeros(SHAPE, np.uint8)
    part = cv2.resize(region.item.astype(np.uint8), (right - left, bottom - top), interpolation=cv2.INTER_NEAREST)
    found[top:bottom, left:right] = part
    assert (found & ball).sum() / (found | ball).sum() > 0.93
    sheet = np.zeros(SHAPE, np.uint8)
    cv2.fillConvexPoly(sheet, np.array(corners, np.int32), 1)
    assert sight.sheet is not None
    seen = cv2.resize(sight.sheet.astype(np.uint8), SHAPE[::-1], interpolation=cv2.INTER_NEAREST)
    assert (seen & sheet).sum() / (seen | sheet).sum() > 0.95
    # The dark table is no shadow of the ball.
    shadow = cv2.resize(shadow_of(sight, region), SHAPE[::-1])
    assert shadow[sheet == 0].max() < 40 < shadow[(sheet > 0) & (found == 0)].max()


def test_bare_paper_on_a_table_carries_nothing() -> None:
    photo, _ = on_table(INSIDE, item=False)
    assert look_at(photo, []).sheet is None


def test_a_smooth_front_on_paper_that_fills_the_frame_is_no_paper() -> None:
    light = np.full((*SHAPE, 3), 0.7, np.float32)
    light[90:290, 120:360] = (0.3, 0.4, 0.6)
    light[150:200, 180:300] = (0.6, 0.1, 0.1)
    light *= np.random.default_rng(0).normal(1, 0.004, light.shape)
    assert fills_frame(estimate_backdrop(light.astype(np.float32)))
    sight = look_at(to_srgb8(light.astype(np.float32)), [])
    assert sight.sheet is None
    assert (decide(sight, Size(480, 360), []).item).sum() > 0


def paper_of(corners: list[tuple[int, int]]) -> Paper:
    light = np.full((*SHAPE, 3), 0.7, np.float32)
    sheet = np.zeros(SHAPE, np.uint8)
    cv2.fillConvexPoly(sheet, np.array(corners, np.int32), 1)
    return Paper(estimate_backdrop(light), sheet > 0)


def test_what_lies_along_the_papers_edge_is_trimmed_and_what_stands_free_stays() -> None:
    paper, odds = paper_of(INSIDE), np.full(SHAPE, -4, np.float32)
    odds[150:220, 200:280] = 4
    odds[88:105, 120:390] = 4
    assert not paper.carries(odds)
    trimmed = paper.trimmed(odds)
    assert not trimmed.sheet[100, 200] and trimmed.sheet[180, 240]
    odds[~trimmed.sheet] = -4
    assert trimmed.carries(odds)
    assert not trimmed.carries(np.full(SHAPE, -4, np.float32))
    assert not trimmed.carries(np.where(odds > 0, 0.1, -0.1).astype(np.float32))


def test_round_surfaces_within_the_frame_are_no_paper() -> None:
    light = wooden_table()
    cv2.circle(light, (250, 200), 120, (0.7, 0.7, 0.7), -1)
    assert not any(0.2 < paper.sheet.mean() < 0.35 for paper in find_papers(light))
    cv2.rectangle(light, (130, 100), (380, 310), (0.7, 0.7, 0.7), -1)
    assert any(0.28 < paper.sheet.mean() < 0.34 for paper in find_papers(light))
