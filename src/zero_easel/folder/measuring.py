"""Finished pictures measured by the checks of a standard, whoever made them."""

from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.finishing.checking import Checked, Facts, checked, opened
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.photos.decoding import BYTE_LIMIT, decode_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import Standard

_UNTOLD = ("enlargement", "plain", "neutral", "colour")
"""What a finished picture does not tell: it is known only where it was made."""
_OTHER = 10
"""Levels of 255 by which a px differs from the ground at least to be of the item."""


class FileMeasured(NamedTuple):
    """A file, by which deliverable it was measured, how it met each check, which checks cannot be told of it, and why
    it could not be measured at all, as a sentence, or ""."""

    path: Path
    deliverable: str
    rows: Sequence[Checked] = ()
    untold: Sequence[str] = ()
    fault: str = ""

    @property
    def ok(self) -> bool:
        """Whether it meets all that could be measured."""
        return not self.fault and all(row.ok for row in self.rows)


def measure_file(path: Path, standard: Standard, name: str = "") -> FileMeasured:
    """A finished picture held against the checks of a standard. name: of the deliverable that it is; without one the
    first that has its ending."""
    wanted = _deliverable(path, standard, name)
    if wanted is None:
        asked = f"is called {name}" if name else f"ends in {path.suffix or 'nothing'}"
        return FileMeasured(path, name, fault=f"{path.name}: no deliverable of the standard {asked}.")
    asked_for = [check for check in standard.checks if check.is_for(wanted.name)]
    untold = [check.rule for check in asked_for if check.rule in _UNTOLD]
    try:
        if path.stat().st_size > BYTE_LIMIT:
            return FileMeasured(path, wanted.name, fault=f"{path.name} is larger than what is read.")
        data = path.read_bytes()
        if wanted.kind.pixels:
            # Of a file that was cut off other readers show what there is, and grey.
            decode_photo(data, path.name)
        facts = _facts(path.name, data) if wanted.kind.pixels else Facts(path.name, Size(1, 1))
        rows = checked(data, wanted, facts, [check for check in asked_for if check.rule not in _UNTOLD])
    except OSError as error:
        return FileMeasured(path, wanted.name, fault=f"{path.name} cannot be read: {error.strerror or error}.")
    except PhotoError as error:
        return FileMeasured(path, wanted.name, fault=str(error))
    except (ValueError, KeyError):
        return FileMeasured(path, wanted.name, fault=f"{path.name} is no picture of a format that is delivered.")
    return FileMeasured(path, wanted.name, rows, untold)


def _deliverable(path: Path, standard: Standard, name: str) -> Deliverable | None:
    ending = {".jpeg": ".jpg", ".tif": ".tiff"}.get(path.suffix.lower(), path.suffix.lower())
    fitting = [one for one in standard.deliverables if (one.name == name if name else _ends(one) == ending)]
    return next(iter(fitting), None)


def _ends(wanted: Deliverable) -> str:
    suffix = wanted.kind.suffix
    return {".jpeg": ".jpg", ".tif": ".tiff"}.get(suffix, suffix)


def _facts(name: str, data: bytes) -> Facts:
    """What can be seen on the picture itself. Raises ValueError if it cannot be opened."""
    pixels = opened(data).pixels
    height, width = pixels.shape[:2]
    levels = np.asarray(pixels / (257 if pixels.dtype == np.uint16 else 1), np.float32)
    covered = _covered(levels)
    rows, columns = np.flatnonzero(covered.any(1)), np.flatnonzero(covered.any(0))
    if not rows.size:
        return Facts(name, Size(width, height))
    left, top = float(columns[0]), float(rows[0])
    box = Box(left, top, float(columns[-1] + 1), float(rows[-1] + 1))
    sides = {"top": covered[0], "bottom": covered[-1], "left": covered[:, 0], "right": covered[:, -1]}
    cut = tuple(f"reaches the {side} edge" for side, rim in sides.items() if rim.any())
    return Facts(name, Size(width, height), box, cut)


def _covered(levels: NDArray[np.float32]) -> NDArray[np.bool_]:
    """(H, W): what is not the ground: not transparent, or else unlike the corners, which lie on it."""
    if levels.shape[2] in (2, 4) and levels[..., -1].min() < 255:
        return np.asarray(levels[..., -1] > _OTHER)
    colours = levels[..., :3] if levels.shape[2] >= 3 else levels[..., :1]
    ground = np.median(np.stack([colours[y, x] for y in (0, -1) for x in (0, -1)]), axis=0)
    return np.asarray(np.abs(colours - ground).max(2) > _OTHER)
