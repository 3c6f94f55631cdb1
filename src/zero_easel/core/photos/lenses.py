"""How the lens of a photo bends straight lines, as measured by the lensfun project for many lenses.

The database ships with the package lensfunpy (data under CC BY-SA 3.0). A lens is taken only if camera and lens are
named by the file and one lens alone is meant.
"""

import re
from collections.abc import Sequence
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

import lensfunpy
import numpy as np
from PIL import Image

from zero_easel.core.light.geometry import Size

_EXIF, _WIDTH, _HEIGHT = 0x8769, 0xA002, 0xA003
_MAKE, _MODEL, _LENS, _FOCAL = 271, 272, 0xA434, 0x920A
_SAMPLED, _WIDER = Size(301, 201), 1.5
"""px of the stand-in for a frame on which a lens is asked how it bends, and how many times wider: what the bend brought
into the photo lay beyond it."""
_ASKED = lensfunpy.ModifyFlags.DISTORTION | lensfunpy.ModifyFlags.SCALE
_SHAPES = 0.01
"""How much the proportions of picture and sensor may differ: more was cropped, and the lens's middle is unknown."""
_MUCH = 1e-4
"""Share of the half diagonal below which a lens bends nothing that could be seen."""


class KnownLens(NamedTuple):
    """name: of the lens. focal: mm. radial: as core.light.rectify has it, all 0 for a lens that bends nothing."""

    name: str
    focal: float
    radial: tuple[float, float, float]


class _Taken(NamedTuple):
    """What a camera wrote about itself."""

    maker: str
    camera: str
    lens: str
    focal: float
    cropped: bool


def lens_in(path: Path) -> KnownLens | None:
    """The lens of a camera file, of which only the header is read; None where that does not name it, its bend is not
    known, or the file cannot be read."""
    taken = _taken(path)
    if taken is None or taken.cropped:
        return None
    cameras = _database().find_cameras(taken.maker, taken.camera)
    if not cameras:
        return None
    lens = _meant(_database().find_lenses(cameras[0], None, taken.lens or None), taken)
    if lens is None or not lens.min_focal * 0.99 <= taken.focal <= lens.max_focal * 1.01:
        return None
    radial = _radial(lens, cameras[0].crop_factor, taken.focal)
    return None if radial is None else KnownLens(lens.model, taken.focal, radial)


@cache
def _database() -> Any:
    return lensfunpy.Database()


def _taken(path: Path) -> _Taken | None:
    try:
        with Image.open(path) as picture:
            exif, size = picture.getexif(), picture.size
            inner = exif.get_ifd(_EXIF)
            maker, camera, lens = (_text(v) for v in (exif.get(_MAKE), exif.get(_MODEL), inner.get(_LENS)))
            focal = float(inner.get(_FOCAL) or exif.get(_FOCAL) or 0)
            sensor = (float(inner.get(_WIDTH) or 0), float(inner.get(_HEIGHT) or 0))
    except Exception:
        # Whatever a reader of strangers' files stumbles over: nothing is known of the lens.
        return None
    if not (camera and focal > 0):
        return None
    both = sorted(size), sorted(sensor)
    cropped = min(sensor) > 0 and abs(both[0][1] / both[0][0] / (both[1][1] / both[1][0]) - 1) > _SHAPES
    return _Taken(maker, camera, lens, focal, cropped)


def _text(value: Any) -> str:
    return str(value or "").strip("\0 ")


def _meant(lenses: Sequence[Any], taken: _Taken) -> Any | None:
    """The one lens that is meant: of several that one which is called the same, or the camera's own."""
    rectilinear = [lens for lens in lenses if lens.type == lensfunpy.LensType.RECTILINEAR]
    if len(rectilinear) == 1:
        return rectilinear[0]
    for lens in rectilinear:
        if taken.lens and _plain(lens.model, lens.maker) == _plain(taken.lens, lens.maker):
            return lens
    return None


def _plain(name: str, maker: str) -> str:
    """A lens's name without its maker's, spaces and signs."""
    return re.sub(r"[^a-z0-9]", "", name.casefold().replace(maker.casefold(), ""))


def _radial(lens: Any, crop: float, focal: float) -> tuple[float, float, float] | None:
    """lensfun has several models of different radii; on any of them it says where a point comes from."""
    asked = lensfunpy.Modifier(lens, crop, *_SAMPLED)
    asked.initialize(focal, 8.0, distance=1000.0, scale=1 / _WIDER, flags=_ASKED)
    places = asked.apply_geometry_distortion()
    if places is None:
        return None
    middle = (np.array(_SAMPLED) - 1) / 2
    unit = float(np.hypot(*_SAMPLED)) / 2
    straight = (np.stack(np.meshgrid(*(np.arange(side) for side in _SAMPLED)), -1) - middle) * _WIDER
    r = np.hypot(*straight.reshape(-1, 2).T) / unit
    bent = np.hypot(*(places - middle).reshape(-1, 2).T) / unit
    far = r > 0.05
    terms = np.stack([r, r**2, r**3, r**4], 1)[far]
    first, *others = np.linalg.lstsq(terms, bent[far], rcond=None)[0]
    k1, k2, k3 = (round(float(k / first), 6) for k in others)
    return (k1, k2, k3) if max(abs(k1), abs(k2), abs(k3)) > _MUCH else (0.0, 0.0, 0.0)
