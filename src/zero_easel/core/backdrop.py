"""What the empty backdrop would look like at each pixel, estimated from the photo itself.

The backdrop is paper or cloth under lamps: its colour changes slowly. In the logarithm of linear light a lamp's
fall-off, a vignette and a colour cast are all additive and smooth, so one low-order polynomial per channel carries
them. It is fitted robustly, first to the frame's rim, then to all that agrees with it and hangs together with the
rim, so that the item and its shadow fall out by themselves.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np
from scipy import ndimage as ndi

from zero_easel.core.colour import Float, Mask, largest

FLOOR = 0.004
"""Added to linear light before the logarithm: about the black level's noise, keeps shadows finite."""
_FIT_SIDE = 192
_DEGREE = 4


@dataclass(frozen=True)
class Backdrop:
    """An estimate of the empty backdrop, at the size of the picture it was made from.

    residual: (h, w, 3) float32, log(picture) - log(backdrop); 0 where the backdrop shows, negative in shadow.
    field: (h, w, 3) float32, the backdrop itself in linear light.
    explained: (h, w) bool, pixels that agree with the field and hang together with the frame's rim.
    noise: robust standard deviation of the residual where explained.
    """

    residual: Float
    field: Float
    explained: Mask
    noise: float


def estimate_backdrop(linear: Float) -> Backdrop:
    """Fit the backdrop of a reduced picture, (h, w, 3) float32 linear light."""
    h, w = linear.shape[:2]
    log = np.log(linear + FLOOR)
    scale = min(1.0, _FIT_SIDE / max(h, w))
    size = (max(8, round(w * scale)), max(8, round(h * scale)))
    small = np.asarray(cv2.resize(log, size, interpolation=cv2.INTER_AREA), np.float32)
    coefficients, noise = _grow_fit(small)
    fitted = (_basis(h, w, _DEGREE) @ coefficients).reshape(h, w, 3).astype(np.float32)
    residual = log - fitted
    # Averaging on the way to the fitting size hides pixel noise: measure it again where it is used.
    explained = _explained(residual, noise)
    noise = max(noise, _spread(residual[explained]))
    return Backdrop(residual, (np.exp(fitted) - FLOOR).astype(np.float32), _explained(residual, noise), noise)


def _spread(values: Float) -> float:
    return float(1.4826 * np.median(np.abs(values))) if values.size else 0.0


@lru_cache(8)
def _basis(h: int, w: int, degree: int) -> Float:
    """Products of Legendre polynomials up to a total degree, (h*w, terms): well conditioned on a full grid."""
    y, x = np.linspace(-1, 1, h), np.linspace(-1, 1, w)
    px, py = (np.polynomial.legendre.legvander(v, degree) for v in (x, y))
    terms = [np.outer(py[:, j], px[:, i]).ravel() for i in range(degree + 1) for j in range(degree + 1 - i)]
    return np.stack(terms, 1).astype(np.float32)


def _tukey_fit(basis: Float, values: Float) -> tuple[Float, float]:
    """Robust least squares with Tukey's biweight (Huber, Robust Statistics, 1981), scale by median deviation."""
    weight = np.ones(len(values), np.float32)
    ridge = 1e-2 * np.eye(basis.shape[1], dtype=np.float32)
    coefficients, spread = np.zeros((basis.shape[1], 3), np.float32), 1.0
    for _ in range(6):
        weighted = (basis * weight[:, None]).T
        coefficients = np.linalg.solve(weighted @ basis + ridge, weighted @ values)
        worst = largest(np.abs(values - basis @ coefficients))
        spread = max(float(1.4826 * np.median(worst)), 1e-3)
        weight = np.square(np.clip(1 - np.square(worst / (4 * spread)), 0, None))
    return coefficients, spread


def _grow_fit(log: Float) -> tuple[Float, float]:
    """Fit the rim, then whatever agrees and is connected to the rim, until that set settles."""
    h, w = log.shape[:2]
    full, flat = _basis(h, w, _DEGREE), log.reshape(-1, 3)
    # The first terms in order of total degree <= 2, for the first rounds: a stiff surface does not chase the item.
    stiff = np.array([i + j <= 2 for i in range(_DEGREE + 1) for j in range(_DEGREE + 1 - i)])
    members = rim(h, w, max(3, int(0.06 * min(h, w))))
    coefficients, noise = np.zeros((full.shape[1], 3), np.float32), 0.01
    for step in range(12):
        terms = stiff if step < 2 else np.ones_like(stiff)
        index = members.ravel()
        fitted, spread = _tukey_fit(full[index][:, terms], flat[index])
        coefficients = np.zeros((full.shape[1], 3), np.float32)
        coefficients[terms] = fitted
        noise = max(spread, 0.006)
        grown = _explained((flat - full @ coefficients).reshape(h, w, 3), noise)
        if not grown.any():
            break
        settled = step > 3 and float((grown != members).mean()) < 0.001
        members = grown
        if settled:
            break
    return coefficients, noise


def _explained(residual: Float, noise: float) -> Mask:
    h, w = residual.shape[:2]
    calm = largest(np.abs(cv2.GaussianBlur(residual, (0, 0), 1.5))) < 4 * noise
    opened = ndi.binary_opening(calm, iterations=2) | (calm & rim(h, w, 3))
    connected = touching_rim(opened)
    return np.asarray(ndi.binary_erosion(connected, iterations=2, border_value=1))


def rim(h: int, w: int, width: int) -> Mask:
    """(h, w) bool, true within `width` px of the frame."""
    mask = np.ones((h, w), np.bool_)
    mask[width : h - width, width : w - width] = False
    return mask


def touching_rim(mask: Mask) -> Mask:
    """The connected parts of a mask that reach the frame."""
    labels, count = ndi.label(mask)
    border = np.concatenate([labels[0], labels[-1], labels[:, 0], labels[:, -1]])
    keep = np.zeros(count + 1, np.bool_)
    keep[border] = True
    keep[0] = False
    return np.asarray(keep[labels])
