"""Finished files as pages and sheets show them, whatever their format."""

import io
import re
import zipfile
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from zero_easel.core.finishing.encode import encode_png
from zero_easel.core.light.colour import Encoded
from zero_easel.core.photos.vips import pyvips

DIRECT = frozenset({".jpg", ".png", ".webp", ".avif", ".svg"})
"""Endings of files that browsers show by themselves."""


def shown_pixels(path: Path) -> Encoded:
    """(H, W, 3 or 4) uint8 sRGB of a finished file; of layers, all of them together; of an outline, its shape.

    Raises OSError or ValueError if it cannot be shown.
    """
    if path.suffix == ".svg":
        return _outline(path)
    data = path.read_bytes()
    if path.suffix == ".ora":
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            data = archive.read("mergedimage.png")
    if path.suffix == ".jp2":
        with Image.open(io.BytesIO(data)) as picture:
            return np.asarray(picture.convert("RGBA" if picture.mode in ("RGBA", "LA", "PA") else "RGB"))
    image = pyvips.Image.new_from_buffer(data, "")
    alpha = image[image.bands - 1] if image.hasalpha() else None
    colours = image[: image.bands - 1] if image.hasalpha() else image
    if colours.get_typeof("icc-profile-data"):
        colours = colours.icc_transform("srgb", embedded=True, intent="relative")
    elif colours.interpretation != "srgb":
        colours = colours.colourspace("srgb")
    pixels = np.asarray(colours.numpy(), np.uint8)
    pixels = np.repeat(np.atleast_3d(pixels)[..., :1], 3, 2) if np.atleast_3d(pixels).shape[2] < 3 else pixels
    if alpha is None:
        return np.ascontiguousarray(pixels[..., :3])
    levels = alpha.numpy()
    eight = (levels >> 8 if levels.dtype == np.uint16 else levels).astype(np.uint8)
    return np.dstack([pixels[..., :3], eight])


def shown_png(path: Path) -> bytes:
    """The same as PNG."""
    return encode_png(shown_pixels(path))


def _outline(path: Path) -> Encoded:
    """The filled outline, black on nothing: the path is this application's own, so reading it is simple."""
    text = path.read_text()
    box = re.search(r'viewBox="0 0 (\d+) (\d+)"', text)
    drawn = re.search(r'd="([^"]*)"', text)
    if box is None or drawn is None:
        raise ValueError("this is not an outline")
    alpha = np.zeros((int(box[2]), int(box[1])), np.uint8)
    lines = [
        np.round(np.array(re.findall(r"[\d.-]+", part), np.float64).reshape(-1, 2) * 16 - 8).astype(np.int32)
        for part in drawn[1].split("Z")
        if part.strip()
    ]
    cv2.fillPoly(alpha, lines, 255, lineType=cv2.LINE_AA, shift=4)
    return np.dstack([np.zeros((*alpha.shape, 3), np.uint8), alpha])
