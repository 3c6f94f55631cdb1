"""Confidence and reasons."""

from dataclasses import fields, replace

import numpy as np
import pytest
from support import photo_of

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.clearing.doubt.signals import Signals, confidence_of

CALM = Signals(**{field.name: 0.0 for field in fields(Signals)})


def before_paper(*boxes: tuple[int, int, int, int], ink: int = 50) -> np.ndarray:
    """Dark blocks (top, bottom, left, right) on pale paper, (480, 640, 3) uint8."""
    pixels = np.full((480, 640, 3), 215.0)
    for top, bottom, left, right in boxes:
        pixels[top:bottom, left:right] = (ink, ink * 0.8, ink * 0.7)
    return np.clip(pixels + np.random.default_rng(4).normal(0, 1, pixels.shape), 0, 255).astype(np.uint8)


def said(pixels: np.ndarray) -> dict[str, str]:
    return {flag.code: flag.text for flag in cutout(photo_of(pixels)).flags}


@pytest.mark.parametrize("name", [field.name for field in fields(Signals)])
def test_no_signal_of_trouble_raises_confidence(name: str) -> None:
    levels = [confidence_of(replace(CALM, **{name: v})) for v in (0, 0.2, 0.5, 1)]
    assert levels == sorted(levels, reverse=True)


def test_confidence_without_trouble_is_high_and_with_much_low() -> None:
    assert confidence_of(CALM) > 0.75
    assert confidence_of(replace(CALM, unsure=0.3, differing=0.3)) < 0.1


def test_a_plain_item_is_trusted_without_a_word() -> None:
    cut = cutout(photo_of(before_paper((150, 350, 200, 440))))
    assert cut.confidence > 0.5
    assert not {"no-item", "touches-edge", "several-parts"} & {flag.code for flag in cut.flags}


def test_two_parts_are_counted_in_words() -> None:
    assert "two separate parts" in said(before_paper((150, 350, 120, 260), (180, 340, 340, 470)))["several-parts"]


@pytest.mark.parametrize(("box", "side"), [((150, 350, 0, 260), "left"), ((150, 480, 200, 400), "bottom")])
def test_an_item_at_the_frame_names_the_side(box: tuple[int, int, int, int], side: str) -> None:
    assert f"the {side} edge" in said(before_paper(box))["touches-edge"]


def test_an_empty_frame_of_another_place_is_said_to_be_unused() -> None:
    pixels = before_paper((150, 350, 200, 440))
    y, x = np.mgrid[0:480, 0:640]
    other = np.repeat(((x // 40 + y // 40) % 2 * 120 + 60)[..., None], 3, 2).astype(np.uint8)
    cut = cutout(photo_of(pixels), [other])
    assert "empty-unused" in [flag.code for flag in cut.flags]
    fitting = cutout(photo_of(pixels), [before_paper()])
    assert "empty-unused" not in [flag.code for flag in fitting.flags]
