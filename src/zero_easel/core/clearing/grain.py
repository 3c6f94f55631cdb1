"""The noise of a photo, measured on its bare backdrop at full size."""

import cv2
import numpy as np
from numpy.typing import NDArray

from zero_easel.core.clearing.region import Region
from zero_easel.core.clearing.shadow import in_frame
from zero_easel.core.light.colour import to_linear
from zero_easel.core.light.space import light_in
from zero_easel.core.photos.decoding import Photo
from zero_easel.core.tone.noise import Noise, noise_in

_TILE = 64
"""Side in px of the parts that are looked at."""
_PARTS, _ENOUGH = 20, 6
_SHADED = 30
"""Share of light, in 255ths, that a shadow may take away: noise is the same there."""
_CLIPPED = 0.97


def grain_of(photo: Photo, region: Region, shadow: NDArray[np.uint8]) -> Noise | None:
    """Noise of a photo where its backdrop lies bare; None where too little of it does, or it is clipped."""
    height, width = photo.pixels.shape[:2]
    rows, columns = height // _TILE, width // _TILE
    if min(rows, columns) < 3:
        return None
    h, w = shadow.shape
    covered = (in_frame(region, (h, w)) | (shadow > _SHADED)).astype(np.uint8)
    covered = cv2.dilate(covered, np.ones((5, 5), np.uint8)).astype(np.float32)
    bare = cv2.resize(covered, (columns, rows), interpolation=cv2.INTER_AREA) <= 0
    places = np.argwhere(bare)
    if len(places) < _ENOUGH:
        return None
    tiles = []
    for row, column in places[np.linspace(0, len(places) - 1, min(_PARTS, len(places))).astype(int)]:
        part = photo.pixels[row * _TILE : (row + 1) * _TILE, column * _TILE : (column + 1) * _TILE]
        light = light_in(to_linear(part), photo.space, "srgb")
        if float(np.percentile(light, 99)) < _CLIPPED:
            tiles.append(light)
    return noise_in(tiles) if len(tiles) >= _ENOUGH else None
