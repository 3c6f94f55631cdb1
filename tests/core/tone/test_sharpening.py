"""Sharpness that is added at the final size: what gains, and what must not."""

import cv2
import numpy as np
import pytest
from support import item_of

from zero_easel.core.finishing.render import draw, flat, render_uncut
from zero_easel.core.light.colour import to_linear
from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Placement, Subject
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Canvas, Item
from zero_easel.core.tone.sharpening import sharpened

WHITE = np.ones((1, 1, 3), np.float32)


def placed(subject: Subject, **rules: object) -> Placement:
    standard = Standard(canvas=Canvas(width=300, height=300), item=Item(**rules))  # type: ignore[arg-type]
    placement = lay_out([subject], standard)[0]
    assert placement is not None
    return placement


def disc() -> np.ndarray:
    y, x = np.mgrid[0:600, 0:600]
    return np.clip(200.5 - np.hypot(x - 299.5, y - 299.5), 0, 1).astype(np.float32)


@pytest.mark.parametrize("colour", [(200, 40, 40), (30, 30, 30), (235, 235, 230)])
def test_the_cut_edge_gets_no_rim_and_the_ground_stays(colour: tuple[int, int, int]) -> None:
    item = item_of(disc(), colour)
    plain, sharp = (
        flat(draw(item, placed(Subject(item.measures, item.frame), sharpening=amount)), WHITE) for amount in (0, 100)
    )
    cover = draw(item, placed(Subject(item.measures, item.frame))).cover
    away = cv2.distanceTransform((cover < 0.02).astype(np.uint8), cv2.DIST_L2, 3)
    assert (sharp[away >= 3] == 255).all()
    # An item of one colour has nothing to be sharpened: its edge is as it was.
    assert np.abs(sharp.astype(int) - plain).max() <= 0.03 * 255


def test_fine_detail_gains_and_even_parts_do_not() -> None:
    y, x = np.mgrid[0:600, 0:600]
    photo = np.where(((x // 5 + y // 5) % 2)[..., None] > 0, 150, 110).astype(np.uint8).repeat(3, 2)
    photo[:, :200] = 130
    made = {}
    for amount in (0, 50, 100):
        placement = placed(Subject(None, Size(600, 600)), backdrop="kept", sharpening=amount, kernel="lanczos")
        made[amount] = render_uncut(photo, None, placement, WHITE).astype(float)
    spread = {amount: float(pixels[20:-20, 120:280].std()) for amount, pixels in made.items()}
    assert 1.1 * spread[0] < spread[50] < spread[100]
    assert np.abs(made[100][:, :90] - made[0][:, :90]).max() <= 1
    roots = [np.sqrt(to_linear(made[amount].astype(np.uint8))).mean() for amount in (0, 100)]
    assert abs(roots[1] - roots[0]) < 0.003


def test_an_edge_overshoots_by_little_and_nothing_exceeds_white_or_alpha() -> None:
    step = np.tile(np.where(np.arange(60) < 30, 0.05, 0.8).astype(np.float32), (40, 1))
    soft = cv2.GaussianBlur(step, (0, 0), 1.0)
    made = sharpened([soft] * 3, 1.0)[0]
    assert made.max() <= 1 and made.min() >= 0
    assert 0.8 < made.max() < 0.8 * 1.35 and np.abs(np.diff(made, axis=1)).max() > np.abs(np.diff(soft, axis=1)).max()
    cover = np.full_like(soft, 0.5)
    assert max(plane.max() for plane in sharpened([soft * 0.5] * 3, 1.0, cover)) <= 0.5
    assert sharpened([soft] * 3, 0.0)[0] is soft
