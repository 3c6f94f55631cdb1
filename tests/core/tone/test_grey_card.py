"""Grey cards found under other light, from other places, with noise; and goods that are none."""

import cv2
import numpy as np
import pytest
from support import PHOTOS
from targets import case, drawn_card, grey_remaining, paper

from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.tone.grey_card import find_grey_card


def test_cards_are_found_and_are_neutral_then() -> None:
    rng = np.random.default_rng(11)
    errors = [grey_remaining(case(rng, paper(rng), drawn_card(rng))) for _ in range(8)]
    known = [error for error in errors if error is not None]
    assert len(known) >= 7 and max(known) < 3.5 and float(np.median(known)) < 1.6


@pytest.mark.parametrize("name", ["BRYD0105", "BRYD0110", "BRYD0114", "BRYD0121", "BRYD0144"])
def test_goods_are_none(name: str) -> None:
    assert find_grey_card(read_photo(PHOTOS / f"{name}.JPG").pixels) is None


def test_what_has_another_colour_or_is_no_sheet_is_none() -> None:
    base = np.full((600, 900, 3), 215, np.uint8)
    grey, blue, ball, striped, box = (base.copy() for _ in range(5))
    cv2.rectangle(grey, (300, 150), (600, 420), (117, 117, 117), -1)
    cv2.rectangle(blue, (300, 150), (600, 420), (100, 117, 135), -1)
    cv2.circle(ball, (450, 300), 150, (117, 117, 117), -1, cv2.LINE_AA)
    striped[150:420, 300:600] = np.where(np.arange(300)[None, :, None] // 8 % 2, 105, 130)
    box[150:420, 300:600] = np.linspace(70, 150, 270)[:, None, None] ** 1.0
    box[280:300, 300:600] = 90
    assert find_grey_card(grey) is not None
    assert [find_grey_card(one) for one in (blue, ball, striped, base, box)] == [None] * 5
    assert find_grey_card(grey.astype(np.uint16) * 257) is not None
