"""Raw files of cameras, developed by LibRaw: as the camera balanced them, between its own black and white levels.

The brightest that a sensor holds lies above the white of a balanced picture, by a different factor in each channel. All
of it is kept, with white at half of the range; only where the sensor itself was full in some channels, these are
blended from the others.
"""

import io
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from typing import Any, NamedTuple

import cv2
import numpy as np
import rawpy
from PIL import Image

from zero_easel.core.light.colour import Encoded, Mask
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.space import Space
from zero_easel.core.photos.opening import PhotoError, check_dimensions
from zero_easel.core.photos.vips import pyvips

RAW_SUFFIXES = frozenset({".dng", ".cr2", ".cr3", ".nef", ".nrw", ".arw", ".raf", ".orf", ".rw2", ".pef", ".srw"})
"""Endings of the files that LibRaw is asked for."""
_TURNS = {3: 3, 5: 8, 6: 6}
"""LibRaw's turns as values of EXIF."""
_FULL = 0.985
"""Share of a sensor's range at which it holds no more."""
_ABOVE = 2.0
"""Light above white that is kept, times white."""


class Developed(NamedTuple):
    """pixels: (H, W, 3) upright. size: of the whole picture, px. turn: EXIF value. as_shot: linear sRGB of the light
    that the camera balanced away, as bright as white; None where it does not say. by_camera: this is the picture
    that the camera stored beside, in colours of its own."""

    pixels: Encoded
    size: Size
    turn: int
    taken: datetime | None
    as_shot: tuple[float, float, float] | None
    by_camera: bool = False


def develop(data: bytes, name: str, space: Space, preview: int = 0) -> Developed:
    """Develop a raw file into sRGB, (H, W, 3) uint16, or into the space of raw files. preview: px of the longer side
    that are enough for looking at: the picture that the camera stored beside is taken if it has as many, and its frame;
    half of the sensor's px otherwise. Raises PhotoError."""
    with _opened(data, name) as raw:
        size, turn = _size(raw), _TURNS.get(int(raw.sizes.flip), 1)
        facts = (size, turn, raw.other.timestamp if raw.other else None, _as_shot(raw))
        if preview and (stored := _stored(raw, size, preview)) is not None:
            return Developed(stored, *facts, by_camera=True)
        half = bool(preview) and max(size) >= 2 * preview
        return Developed(_developed(raw, _settings(raw, space), half, size), *facts)


def raw_header(data: bytes, name: str) -> tuple[Size, datetime | None]:
    """Upright size in px, and when it was taken. Raises PhotoError."""
    with _opened(data, name) as raw:
        return _size(raw), raw.other.timestamp if raw.other else None


@contextmanager
def _opened(data: bytes, name: str) -> Iterator[Any]:
    try:
        with rawpy.imread(io.BytesIO(data)) as raw:
            check_dimensions(raw.sizes.width, raw.sizes.height, name)
            yield raw
    except rawpy.LibRawFileUnsupportedError as error:
        raise PhotoError(f"{name} is a raw file of a kind that cannot be read here, or is damaged.") from error
    except PhotoError:
        raise
    except Exception as error:
        # Whatever a decoder stumbles over in a raw file: there is no picture to be had from it.
        raise PhotoError(f"{name} is a damaged raw file.") from error


def _size(raw: Any) -> Size:
    across, down = raw.sizes.iwidth, raw.sizes.iheight
    return Size(down, across) if raw.sizes.flip in (5, 6) else Size(across, down)


def _settings(raw: Any, space: Space) -> dict[str, Any]:
    """LibRaw fits the most sensitive channel's brightest into the range; brightness brings white to where it belongs
    whatever the light was. Its habit of lifting a dark photo by its brightest px is off: a row is exposed alike."""
    balance = np.array(raw.camera_whitebalance[:3], float)
    known = bool((balance > 0).all())
    used = balance if known else np.array(raw.daylight_whitebalance[:3], float)
    least = float(used.max() / used.min()) if (used > 0).all() else 1.0
    levels = [level for level in raw.camera_white_level_per_channel or () if level > 0]
    return {
        "use_camera_wb": known,
        "output_bps": 16,
        "no_auto_bright": True,
        "adjust_maximum_thr": 0.0,
        "user_sat": min(levels) if levels else None,
        "highlight_mode": rawpy.HighlightMode.Ignore,
        "bright": least if space == "srgb" else least / _ABOVE,
        "gamma": (2.4, 12.92),
        "output_color": rawpy.ColorSpace.sRGB if space == "srgb" else rawpy.ColorSpace.ProPhoto,
    }


def _developed(raw: Any, settings: dict[str, Any], half: bool, size: Size) -> Encoded:
    """LibRaw's blending takes for clipped whatever is above the least sensitive channel's white, also where the sensor
    was not full: it is let in only where that was."""
    made = raw.postprocess(**settings, half_size=half)
    full = _full(raw, size)
    if full is None or full.any():
        blended = raw.postprocess(**settings | {"highlight_mode": rawpy.HighlightMode.Blend}, half_size=half)
        if full is None:
            return np.ascontiguousarray(blended)
        where = cv2.resize(full.astype(np.uint8), made.shape[1::-1], interpolation=cv2.INTER_NEAREST) > 0
        made[where] = blended[where]
    return np.ascontiguousarray(made)


def _full(raw: Any, size: Size) -> Mask | None:
    """(H, W) upright: where some px nearby holds no more than its white level; None where the sensor's own px cannot be
    seen, or lie otherwise than the picture's."""
    if raw.raw_type != rawpy.RawType.Flat:
        return None
    levels = raw.raw_image_visible
    black = float(np.mean(raw.black_level_per_channel))
    known = [level for level in raw.camera_white_level_per_channel or () if level > 0]
    white = float(min(known) if known else raw.white_level)
    full = levels >= black + _FULL * (white - black)
    full = cv2.dilate(full.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    upright = np.rot90(full, {3: 2, 5: 1, 6: 3}.get(int(raw.sizes.flip), 0))
    return upright if Size.of(upright) == size else None


def _as_shot(raw: Any) -> tuple[float, float, float] | None:
    """What the camera's neutral is by daylight: its colours are known for daylight's balance."""
    balance, daylight = (np.array(v[:3], float) for v in (raw.camera_whitebalance, raw.daylight_whitebalance))
    if not ((balance > 0).all() and (daylight > 0).all()):
        return None
    light = np.asarray(raw.color_matrix, float)[:3, :3] @ (daylight / balance)
    if not (light > 0).all():
        return None
    red, green, blue = (round(float(v), 5) for v in light / light.max())
    return red, green, blue


def _stored(raw: Any, size: Size, preview: int) -> Encoded | None:
    """The JPEG that a camera stored beside, upright, if it is large enough and shows the same."""
    try:
        thumb = raw.extract_thumb()
    except rawpy.LibRawError:
        return None
    if thumb.format != rawpy.ThumbFormat.JPEG:
        return None
    try:
        with Image.open(io.BytesIO(thumb.data), formats=("JPEG",)) as seen:
            own_turn = seen.getexif().get(0x0112)
        image = pyvips.Image.new_from_buffer(thumb.data, "")
        if not own_turn:
            image.set_type(pyvips.GValue.gint_type, "orientation", _TURNS.get(int(raw.sizes.flip), 1))
        pixels = np.ascontiguousarray(image.autorot().colourspace("srgb").numpy()[..., :3])
    except (OSError, pyvips.Error):
        return None
    h, w = pixels.shape[:2]
    same = abs(w / h - size.width / size.height) < 0.03
    return pixels if same and max(h, w) >= preview else None
