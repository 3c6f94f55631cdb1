"""Handing over for further work: an OpenRaster file with item, shadow and ground apart, and an SVG of the outline."""

import io
import zipfile
from collections.abc import Sequence
from typing import NamedTuple
from xml.sax.saxutils import escape, quoteattr

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.finishing.encode import encode_png
from zero_easel.core.light.colour import Encoded, Float
from zero_easel.core.standard.information import Metadata

_WHEN = (1980, 1, 1, 0, 0, 0)
"""The same files always give the same archive."""
_THUMBNAIL = 256


class Layer(NamedTuple):
    """name, and (H, W, 3 or 4) uint8 sRGB pixels of the whole canvas."""

    name: str
    pixels: Encoded


def openraster(layers: Sequence[Layer], merged: Encoded, density: float) -> bytes:
    """An OpenRaster file (freedesktop.org, baseline 0.0.5), the uppermost layer first. merged: all of them together."""
    height, width = merged.shape[:2]
    rows = "".join(
        f'<layer name={quoteattr(layer.name)} src="data/layer{at}.png" x="0" y="0" opacity="1.0" '
        'visibility="visible" composite-op="svg:src-over"/>'
        for at, layer in enumerate(layers)
    )
    resolution = f'xres="{round(density)}" yres="{round(density)}"'
    stack = (
        "<?xml version='1.0' encoding='UTF-8'?>"
        f'<image version="0.0.5" w="{width}" h="{height}" {resolution}><stack>{rows}</stack></image>'
    )
    scale = min(1.0, _THUMBNAIL / max(width, height))
    size = (max(1, round(width * scale)), max(1, round(height * scale)))
    files = [
        ("mimetype", b"image/openraster"),
        ("stack.xml", stack.encode()),
        *((f"data/layer{at}.png", encode_png(layer.pixels)) for at, layer in enumerate(layers)),
        ("mergedimage.png", encode_png(merged)),
        ("Thumbnails/thumbnail.png", encode_png(np.asarray(cv2.resize(merged, size, interpolation=cv2.INTER_AREA)))),
    ]
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_STORED) as archive:
        for name, data in files:
            archive.writestr(zipfile.ZipInfo(name, _WHEN), data)
    return buffer.getvalue()


def shadow_layer(shadow: Float) -> Encoded:
    """(H, W, 4): black that lets some light through. shadow: (H, W), the share of light that the ground loses."""
    pixels = np.zeros((*shadow.shape, 4), np.uint8)
    pixels[..., 3] = np.round(np.clip(shadow, 0, 1) * 255)
    return pixels


def outline_svg(cover: Float, density: float, card: Metadata) -> bytes:
    """The item's outline, where the matte is one half, as one SVG path with its holes (fill rule even-odd).

    cover: (H, W) alpha, 0..1. Coordinates are px of the canvas, with two digits.
    """
    height, width = cover.shape
    parts = " ".join(_path(points) for points in outlines(cover))
    title = f"<title>{escape(card.title)}</title>" if card.title else ""
    about = f"<desc>{escape(card.description)}</desc>" if card.description else ""
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" '
        f'width="{width / density:.4f}in" height="{height / density:.4f}in" viewBox="0 0 {width} {height}">'
        f'{title}{about}<path id="item" fill-rule="evenodd" d="{parts}"/></svg>\n'
    ).encode()


def outlines(cover: Float) -> list[NDArray[np.float64]]:
    """Closed lines at level one half, (n, 2) x and y in px, to a fraction of a pixel; the middle of the first pixel
    lies at 0.5, 0.5. Specks of less than two px are left out."""
    rows, columns = np.flatnonzero(cover.any(1)), np.flatnonzero(cover.any(0))
    if not len(rows):
        return []
    left, top = int(columns[0]), int(rows[0])
    # Finer than the px, so that the whole pixels of the contour finder lie close to the true line.
    padded = np.pad(cover[top : rows[-1] + 1, left : columns[-1] + 1], 1)
    finer = cv2.resize(padded, None, fx=_FINER, fy=_FINER, interpolation=cv2.INTER_LINEAR)
    inside = (finer >= 0.5).astype(np.uint8)
    found, _ = cv2.findContours(inside, cv2.RETR_CCOMP, cv2.CHAIN_APPROX_NONE)
    lines = []
    for contour in found:
        points = contour[:, 0, :].astype(np.float64)
        if len(points) < 4 * _FINER or abs(cv2.contourArea(contour)) < 2 * _FINER**2:
            continue
        points = _on_level(finer, points)
        simple = cv2.approxPolyDP(points.astype(np.float32)[:, None], 0.12 * _FINER, True)[:, 0].astype(np.float64)
        lines.append((simple + 0.5) / _FINER + (left - 1, top - 1))
    return lines


_FINER = 3


def _on_level(alpha: Float, points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Points moved along the slope of alpha to where it is one half, by half a pixel at most."""
    slope_x, slope_y = cv2.Sobel(alpha, cv2.CV_32F, 1, 0, scale=1 / 8), cv2.Sobel(alpha, cv2.CV_32F, 0, 1, scale=1 / 8)
    x, y = points[:, 0].astype(int), points[:, 1].astype(int)
    gx, gy = slope_x[y, x].astype(np.float64), slope_y[y, x].astype(np.float64)
    steep = np.maximum(gx**2 + gy**2, 1e-6)
    by = np.clip((0.5 - alpha[y, x]) / steep, -8, 8)
    shift = np.clip(np.stack([gx * by, gy * by], 1), -1, 1)
    return np.asarray(points + shift)


def _path(points: NDArray[np.float64]) -> str:
    first, *others = (f"{x:.2f} {y:.2f}" for x, y in points)
    return f"M{first}L{' '.join(others)}Z"
