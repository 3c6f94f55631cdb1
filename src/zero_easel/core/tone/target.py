"""The colour target: 24 patches of known colour in six columns and four rows, and what brings a photo of it to them.

The colours are those of McCamy, Marcus and Davidson, A color-rendition chart, J. Appl. Photogr. Eng. 2(3), 1976, in
sRGB as later measurements of the chart give them.
"""

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from zero_easel.core.light.colour import Float, to_linear
from zero_easel.core.tone.difference import delta_e, lab_of
from zero_easel.core.tone.toning import Nine

COLUMNS, ROWS = 6, 4
PATCHES = np.array(
    [
        *((115, 82, 68), (194, 150, 130), (98, 122, 157), (87, 108, 67), (133, 128, 177), (103, 189, 170)),
        *((214, 126, 44), (80, 91, 166), (193, 90, 99), (94, 60, 108), (157, 188, 64), (224, 163, 46)),
        *((56, 61, 150), (70, 148, 73), (175, 54, 60), (231, 199, 31), (187, 86, 149), (8, 133, 161)),
        *((243, 243, 242), (200, 200, 200), (160, 160, 160), (122, 122, 121), (85, 85, 85), (52, 52, 52)),
    ],
    np.uint8,
)
"""(24, 3) sRGB, row by row, the greys last."""
_CLIPPED = 0.985
"""Light from which a patch may hold less than there was."""
_ENOUGH = 14
"""Patches that must be whole."""

Patches = tuple[tuple[float, float, float], ...]
"""Linear sRGB of the 24 patches as photographed, in order."""


class Calibration(NamedTuple):
    """matrix: nine numbers on linear sRGB, row by row. error: mean Delta E 2000 of the patches that remains."""

    matrix: Nine
    error: float


def reference() -> Float:
    """(24, 3) linear sRGB."""
    return to_linear(PATCHES)


def calibrated(patches: Patches | Float) -> Calibration | None:
    """The matrix that brings a photographed target to its colours, exposure included; None where too much of it is
    clipped. The light may fall off evenly across it. What is made least is the sum of squared distances in CIE L*a*b*,
    loosely, so that one patch in a reflection does not decide."""
    # Not with the module: a quarter of a second at each start, for what few commands do.
    from scipy.optimize import least_squares

    seen, wanted = np.asarray(patches, np.float64), reference().astype(np.float64)
    whole = seen.max(1) < _CLIPPED
    if whole.sum() < _ENOUGH:
        return None
    seen, wanted = seen[whole], wanted[whole]
    x, y = np.arange(24) % COLUMNS / (COLUMNS - 1) - 0.5, np.arange(24) // COLUMNS / (ROWS - 1) - 0.5
    across = np.stack([x, y], -1)[whole]
    labs = lab_of(wanted.astype(np.float32))

    def distances(p: NDArray[np.float64]) -> NDArray[np.float64]:
        """Of all whole patches, CIE L*a*b* one after the other."""
        return np.asarray((lab_of(_corrected(seen, p, across)) - labs).ravel(), np.float64)

    found = least_squares(distances, _start(seen, wanted), loss="soft_l1", f_scale=3.0, diff_step=[1e-4], max_nfev=60)
    error = float(delta_e(lab_of(_corrected(seen, found.x, across)), labs).mean())
    a, b, c, d, e, f, g, h, i = (round(float(v), 6) for v in found.x[:9])
    return Calibration((a, b, c, d, e, f, g, h, i), round(error, 2))


def misfit(patches: Float) -> float:
    """How far 24 colours are from being the target's under some light: mean Delta E after the best matrix in plain
    least squares, which is quick; large if too many are clipped."""
    seen, wanted = patches.astype(np.float64), reference().astype(np.float64)
    whole = seen.max(1) < _CLIPPED
    if whole.sum() < _ENOUGH:
        return 100.0
    seen, wanted = seen[whole], wanted[whole]
    fixed = _corrected(seen, _start(seen, wanted), np.zeros((len(seen), 2)))
    return float(delta_e(lab_of(fixed), lab_of(wanted.astype(np.float32))).mean())


def _start(seen: NDArray[np.float64], wanted: NDArray[np.float64]) -> NDArray[np.float64]:
    """The matrix by weighted least squares, and no falloff."""
    weight = 1 / (wanted.mean(1, keepdims=True) + 0.05)
    matrix = np.linalg.lstsq(seen * weight, wanted * weight, rcond=None)[0].T
    return np.concatenate([matrix.ravel(), np.zeros(2)])


def _corrected(seen: NDArray[np.float64], p: NDArray[np.float64], across: NDArray[np.float64]) -> Float:
    falloff = np.exp(across @ p[9:])[:, None]
    return np.asarray(np.maximum((seen * falloff) @ p[:9].reshape(3, 3).T, 0), np.float32)
