"""What is read off a photo before its backdrop is cleared: barcodes, whether it shows a code card, how sharp it is."""

from typing import NamedTuple, TypeAlias

import cv2
import numpy as np
import zxingcpp

from zero_easel.core.light.colour import Encoded, Float

_FORMATS = "Code128,EAN13,QRCode,DataMatrix"
_SEEN = 1600
"""Longer side in px at which barcodes are looked for first; a card fills a good part of its frame."""
_COARSE = 640
"""Longer side in px at which a card's print is told from an item. The limits below were chosen on the demo shop's 15
cards, as they are, blurred, covered and underexposed, against its 30 photos and 44 rendered scenes; the nearest item on
the wrong side has a third of the ink, or twice the colour."""
_STROKE = 41
_GLANCE = (16, 12)
Look: TypeAlias = bytes
"""Levels of light at a glance, _GLANCE of them."""
_INK, _SHEET = 0.55, 150
_PIECES, _LARGEST, _LEAST_INK, _MOST_COLOUR = 7, 0.6, 0.0015, 0.09
_CLIPPED = 254
DARK = 125
"""Paper at this level, sRGB, gets a fifth of the light of one at 240."""
_REBLUR = 1.0
_EDGES = 1000
SOFT = 1.4
"""Edges wider than this, in px of a picture whose longer side is 2000 px, look out of focus when delivered."""


class Reading(NamedTuple):
    """codes: texts of the barcodes in the photo. card_like: whether it looks like a printed card, readable or not.
    blur: how wide the sharpest edges are (standard deviation of a Gaussian), px of the photo; None without edges.
    look: light and dark at a glance (look_of), by which cards of one shoot resemble each other. target: linear sRGB of
    the 24 patches of a colour target that it shows, grey: of a grey card; None if it shows none. paper: level of its
    brightest tenth, sRGB 0..255; clipped: share of its px of which no colour is told any more, 0..1."""

    codes: tuple[str, ...] = ()
    card_like: bool = False
    blur: float | None = None
    look: Look = b""
    target: tuple[tuple[float, float, float], ...] | None = None
    grey: tuple[float, float, float] | None = None
    paper: float | None = None
    clipped: float | None = None


def read(pixels: Encoded) -> Reading:
    """Read an upright photo, (H, W, 3) uint8 or uint16 sRGB."""
    eight = pixels if pixels.dtype == np.uint8 else (pixels >> 8).astype(np.uint8)
    card = looks_like_card(eight)
    paper, clipped = light_of_paper(eight)
    codes = read_codes(eight, thorough=card)
    return Reading(codes, card, edge_blur(eight), look_of(eight), paper=paper, clipped=clipped)


def light_of_paper(pixels: Encoded) -> tuple[float, float]:
    """paper and clipped of a picture, (H, W, 3) uint8; see Reading."""
    small = _reduced(pixels, _COARSE)
    return float(np.percentile(small.max(2), 90)), round(float((small.min(2) >= _CLIPPED).mean()), 4)


def is_dark(paper: float | None) -> bool:
    """Whether a photo is so dark that its white would show noise: its paper two stops under what is usual."""
    return paper is not None and paper < DARK


def read_codes(pixels: Encoded, thorough: bool = True) -> tuple[str, ...]:
    """Texts of Code 128, EAN-13, QR and Data Matrix symbols in a picture, (H, W, 3) uint8, each once.

    thorough: look at full size as well if nothing was found in the reduced picture.
    """
    grey = cv2.cvtColor(np.ascontiguousarray(pixels), cv2.COLOR_RGB2GRAY)
    small = _reduced(grey, _SEEN)
    found = _symbols(small)
    if not found and thorough:
        # Faint print: the brightest fifth of the range is stretched to all of it; then every pixel there is.
        found = _symbols(cv2.createCLAHE(4.0, (8, 8)).apply(small)) or (_symbols(grey) if small is not grey else ())
    return found


def looks_like_card(pixels: Encoded) -> bool:
    """Whether a picture, (H, W, 3) uint8, shows print on a colourless sheet: many dark colourless pieces, none of
    which holds most of the ink."""
    picture = _reduced(pixels, _COARSE).astype(np.float32)
    light = picture.max(2)
    top = max(float(np.percentile(light, 95)), 1.0)
    light *= 230 / top
    dark = picture.min(2) * (230 / top)
    # The sheet as it would be without any stroke narrower than the window.
    sheet = cv2.morphologyEx(light, cv2.MORPH_CLOSE, np.ones((_STROKE, _STROKE), np.uint8))
    colour = (light - dark) / np.maximum(sheet, 1)
    ink = (light < _INK * sheet) & (sheet > _SHEET) & (colour < 0.15)
    _, _, facts, _ = cv2.connectedComponentsWithStats(ink.astype(np.uint8), connectivity=8)
    areas = facts[1:, cv2.CC_STAT_AREA]
    if (areas >= 6).sum() < _PIECES or areas.max() > _LARGEST * areas.sum() or ink.mean() < _LEAST_INK:
        return False
    rows, columns = (np.percentile(at, (2, 98)).astype(int) for at in np.nonzero(ink))
    within = colour[rows[0] : rows[1] + 1, columns[0] : columns[1] + 1]
    return float(np.percentile(within, 97)) < _MOST_COLOUR


def look_of(pixels: Encoded) -> Look:
    """A picture, (H, W, 3) uint8, at a glance: 16 x 12 levels of light in 0..255, against its brightest parts."""
    small = cv2.resize(_reduced(pixels, _COARSE), _GLANCE, interpolation=cv2.INTER_AREA).astype(np.float32).min(2)
    levels = np.round(np.clip(small / max(float(small.max()), 1.0), 0, 1) ** 0.5 * 255)
    return bytes(levels.astype(np.uint8).ravel())


def edge_blur(pixels: Encoded) -> float | None:
    """Width of a photo's sharpest edges: standard deviation in px of the Gaussian that a step was blurred by.

    From how much weaker the gradient becomes when the photo is blurred once more (Zhuo & Sim, Defocus map estimation
    from a single image, Pattern Recognition 2011). pixels: (H, W, 3) uint8. None if there is nothing with an edge.
    """
    grey = pixels[..., 1].astype(np.float32)
    if max(grey.shape) > 4000:
        # The middle of a large photo is where the item is.
        h, w = grey.shape
        grey = grey[h // 6 : -(h // 6), w // 6 : -(w // 6)]
    first = _slope(cv2.GaussianBlur(grey, (0, 0), 0.5))
    second = _slope(cv2.GaussianBlur(grey, (0, 0), float(np.hypot(0.5, _REBLUR))))
    count = min(_EDGES, first.size // 200)
    strong = np.argpartition(second, -count, axis=None)[-count:]
    weakest = float(second.flat[strong].min())
    if weakest < 1.5:
        return None
    ratio = np.maximum(first.flat[strong] / second.flat[strong], 1.0001)
    own = _REBLUR / np.sqrt(ratio**2 - 1)
    variance = np.maximum(own**2 - 0.25, 0.04)
    # The sharpest quarter of the strong edges: what lies deeper in the scene is soft in any good photo.
    return round(float(np.sqrt(np.percentile(variance, 25))), 2)


def is_soft(blur: float | None, width: int, height: int) -> bool:
    """Whether a photo of this size with this edge_blur looks out of focus at 2000 px."""
    return blur is not None and blur * min(1.0, 2000 / max(width, height, 1)) > SOFT


def _slope(grey: Float) -> Float:
    across = cv2.Sobel(grey, cv2.CV_32F, 1, 0, ksize=3, scale=0.25)
    down = cv2.Sobel(grey, cv2.CV_32F, 0, 1, ksize=3, scale=0.25)
    return np.asarray(cv2.magnitude(across, down), np.float32)


def _reduced(picture: Encoded, side: int) -> Encoded:
    height, width = picture.shape[:2]
    scale = side / max(height, width)
    if scale >= 1:
        return picture
    size = (max(8, round(width * scale)), max(8, round(height * scale)))
    return np.asarray(cv2.resize(picture, size, interpolation=cv2.INTER_AREA), picture.dtype)


def _symbols(grey: Encoded) -> tuple[str, ...]:
    found = zxingcpp.read_barcodes(np.ascontiguousarray(grey), formats=zxingcpp.barcode_formats_from_str(_FORMATS))
    return tuple(dict.fromkeys(symbol.text.strip() for symbol in found if symbol.text.strip()))
