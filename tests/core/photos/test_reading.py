"""What is read off a photo before it is cleared."""

import cv2
import numpy as np
import pytest
import zxingcpp
from support import AWKWARD, PHOTOS

from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.photos.reading import edge_blur, is_soft, looks_like_card, read, read_codes

FORMATS = (zxingcpp.BarcodeFormat.Code128, zxingcpp.BarcodeFormat.EAN13, zxingcpp.BarcodeFormat.QRCode,
           zxingcpp.BarcodeFormat.DataMatrix)  # fmt: skip


@pytest.mark.parametrize("kind", FORMATS)
def test_each_kind_of_barcode_is_read(kind: zxingcpp.BarcodeFormat) -> None:
    text = "2900000412071" if kind == zxingcpp.BarcodeFormat.EAN13 else "BY-2104"
    symbol = np.asarray(zxingcpp.create_barcode(text, kind).to_image(scale=4))
    frame = np.full((900, 1200), 225, np.uint8)
    frame[300 : 300 + symbol.shape[0], 400 : 400 + symbol.shape[1]] = np.clip(symbol, 20, 225)
    assert read_codes(cv2.merge([frame] * 3)) == (text,)


def test_cards_are_told_from_items() -> None:
    cards = {"BRYD0101.JPG", "BRYD0128.JPG"}
    for name in (*cards, "BRYD0102.JPG", "BRYD0106.JPG", "BRYD0132.JPG", "BRYD0135.JPG", "BRYD0144.JPG"):
        assert looks_like_card(read_photo(PHOTOS / name).pixels) == (name in cards), name
    assert not looks_like_card(read_photo(AWKWARD / "empty-backdrop.JPG").pixels)


@pytest.mark.parametrize("sigma", [1.0, 2.0, 4.0])
def test_the_blur_of_an_edge_is_measured(sigma: float) -> None:
    step = np.full((400, 600, 3), 40, np.float32)
    step[:, 300:] = 220
    grained = cv2.GaussianBlur(step, (0, 0), sigma) + np.random.default_rng(1).normal(0, 1, step.shape)
    measured = edge_blur(np.clip(grained, 0, 255).astype(np.uint8))
    assert measured is not None and abs(measured - sigma) < 0.2 * sigma


def test_a_photo_out_of_focus_is_soft_and_a_bare_backdrop_has_no_edge() -> None:
    sharp, soft = read_photo(PHOTOS / "BRYD0102.JPG"), read_photo(AWKWARD / "out-of-focus.JPG")
    assert not is_soft(read(sharp.pixels).blur, 1600, 1200) and is_soft(read(soft.pixels).blur, 1600, 1200)
    assert edge_blur(np.full((300, 300, 3), 200, np.uint8)) is None and not is_soft(None, 10, 10)
    assert read(read_photo(AWKWARD / "sixteen-bit.tif").pixels).codes == ()
