"""Photos made smaller: for looking at, and for everything that needs no full size."""

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Encoded
from zero_easel.core.photos.vips import pyvips


def reduced(pixels: Encoded, side: int) -> Encoded:
    """The picture with its longer side at most `side` px, averaged over areas; never enlarged."""
    height, width = pixels.shape[:2]
    scale = min(1.0, side / max(height, width))
    size = (max(8, round(width * scale)), max(8, round(height * scale)))
    if scale == 1:
        return pixels
    if scale > 0.5:
        return np.asarray(cv2.resize(pixels, size, interpolation=cv2.INTER_AREA), pixels.dtype)
    # Whole pixels are averaged first, the rest is a short linear filter: several times faster on a large photo.
    image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels))
    small = image.resize(size[0] / width, vscale=size[1] / height, kernel="linear").numpy()
    if small.shape[1::-1] != size:
        small = cv2.resize(small, size, interpolation=cv2.INTER_AREA)
    return np.asarray(small, pixels.dtype)


def thumbnail(pixels: Encoded, longest: int) -> NDArray[np.uint8]:
    """Picture with neither side over `longest` px, (h, w, 3) uint8 sRGB; never enlarged."""
    image = pyvips.Image.new_from_array(np.ascontiguousarray(pixels), interpretation="srgb")
    if pixels.dtype == np.uint16:
        image = image.copy(interpretation="rgb16").colourspace("srgb")
    scale = min(1.0, longest / max(image.width, image.height))
    if scale < 1:
        image = image.resize(scale)
    return np.asarray(image.numpy(), np.uint8)
