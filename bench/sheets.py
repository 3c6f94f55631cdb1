"""A flat sheet photographed at an angle by a lens without faults, and bent like one with them: the truth is known."""

import io
from typing import Any

import cv2
import numpy as np
from PIL import Image

from zero_easel.core.light.geometry import Size
from zero_easel.core.light.rectify import Points, Rectification, to_rectified

FRAME = Size(1500, 1000)
FINER = 3


def corners_seen(
    aspect: float, turn: Any, *, focal: float = 1.4, away: float = 3.2, at: tuple[float, float] = (0.0, 0.0)
) -> Points:
    """Corners of a sheet of area 1, px of FRAME. turn: about the three axes, radians. focal: in widths of the frame.
    away, at: where its middle is, in its own lengths."""
    width, height = np.sqrt(aspect), 1 / np.sqrt(aspect)
    flat = np.array([[-1, -1, 0], [1, -1, 0], [1, 1, 0], [-1, 1, 0]]) * (width / 2, height / 2, 1)
    there = flat @ cv2.Rodrigues(np.array(turn, float))[0].T + (*at, away)
    return np.asarray(there[:, :2] / there[:, 2:] * focal * FRAME.width + np.array(FRAME) / 2)


def sheet(aspect: float) -> np.ndarray:
    """A printed sheet, (h, w, 3) uint8: a grid of lines on blue."""
    height = 1200
    width = round(height * aspect)
    drawn = np.full((height, width, 3), (40, 70, 140), np.uint8)
    for at in range(100, height, 200):
        drawn[at - 4 : at + 4] = (230, 220, 200)
    for at in range(100, width, 200):
        drawn[:, at - 4 : at + 4] = (230, 220, 200)
    return drawn


def photographed(aspect: float, corners: Points) -> np.ndarray:
    """A sheet lying so on light paper, (H, W, 3) uint8 of FRAME's size."""
    drawn = sheet(aspect)
    h, w = drawn.shape[:2]
    ends = np.array([[0, 0], [w, 0], [w, h], [0, h]], np.float32)
    there = np.diag([FINER, FINER, 1.0]) @ cv2.getPerspectiveTransform(ends, corners.astype(np.float32))
    large = (FRAME.width * FINER, FRAME.height * FINER)
    cover = cv2.warpPerspective(np.ones((h, w), np.float32), there, large, flags=cv2.INTER_AREA)
    seen = cv2.warpPerspective(drawn.astype(np.float32), there, large, flags=cv2.INTER_AREA)
    both = [cv2.resize(plane, tuple(FRAME), interpolation=cv2.INTER_AREA) for plane in (seen, cover)]
    paper = np.float32([228, 226, 224])
    noise = np.random.default_rng(5).normal(0, 1.5, (FRAME.height, FRAME.width, 3))
    return np.clip(both[0] + (1 - both[1][..., None]) * paper + noise, 0, 255).astype(np.uint8)


def bent_photo(straight: np.ndarray, rectification: Rectification) -> np.ndarray:
    """As a lens with such a bend would have taken it."""
    h, w = straight.shape[:2]
    y, x = np.mgrid[:h, :w] + 0.5
    places = to_rectified(np.c_[x.ravel(), y.ravel()], rectification, Size(w, h)).reshape(h, w, 2) - 0.5
    across, down = places[..., 0].astype(np.float32), places[..., 1].astype(np.float32)
    return np.asarray(cv2.remap(straight, across, down, cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE))


def jpeg(pixels: np.ndarray, camera: tuple[str, str, str, float] | None = None) -> bytes:
    """A JPEG; camera: maker, model, lens, mm that its file names."""
    picture, file = Image.fromarray(pixels), io.BytesIO()
    exif = picture.getexif()
    if camera:
        exif[271], exif[272] = camera[:2]
        exif.get_ifd(0x8769).update({0xA434: camera[2], 0x920A: camera[3]})
    picture.save(file, "JPEG", quality=93, exif=exif)
    return file.getvalue()
