"""What the empty backdrop would look like at each pixel, estimated from the photo itself or from an empty frame.

The backdrop is paper or cloth under lamps: its colour changes slowly. In the logarithm of linear light a lamp's
fall-off, a vignette and a colour cast are all additive and smooth, so one low-order polynomial per channel carries
them. It is fitted robustly, first to the frame's rim, then to all that agrees with it and hangs together with the
rim, so that the item and its shadow fall out by themselves.

Where a photo of the bare backdrop exists, only exposure, white balance, the lamps' drift and the camera's tone curve
are left to fit: the same fit to the ratio of the two, with a plane per channel, and a parabola over the empty frame's
own light, since a curve that bends near white makes of one exposure step many.
"""

from dataclasses import dataclass
from functools import lru_cache

import cv2
import numpy as np

from zero_easel.core.light.colour import Float, Mask, largest

FLOOR = 0.004
"""Added to linear light before the logarithm: about the black level's noise, keeps shadows finite."""
_FIT_SIDE = 128
_DEGREE = 4
# A stiff surface does not chase the item: terms of a total degree up to 2.
_STIFF = np.array([i + j <= 2 for i in range(_DEGREE + 1) for j in range(_DEGREE + 1 - i)])
_FAINT = 0.02
"""Changes of log light in an empty frame that are much smaller than this are taken for its noise."""
_CROSS = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]], np.uint8)


@dataclass(frozen=True)
class Backdrop:
    """An estimate of the empty backdrop, at the size of the picture it was made from.

    residual: (h, w, 3) float32, log(picture) - log(backdrop); 0 where the backdrop shows, negative in shadow.
    field: (h, w, 3) float32, the backdrop itself in linear light.
    explained: (h, w) bool, pixels that agree with the field and hang together with the frame's rim.
    noise: robust standard deviation of the residual where explained.
    known: whether the backdrop was photographed empty instead of estimated.
    """

    residual: Float
    field: Float
    explained: Mask
    noise: float
    known: bool = False


def estimate_backdrop(linear: Float, seed: Mask | None = None) -> Backdrop:
    """Fit the backdrop of a reduced picture, (h, w, 3) float32 linear light.

    seed: (h, w) bool, where to begin; the frame's rim if it is not given.
    """
    return _fitted(np.log(linear + FLOOR), None, seed)


def match_empty(linear: Float, empty: Float, estimate: Backdrop) -> Backdrop | None:
    """The backdrop of a reduced picture by an empty frame, both (h, w, 3) float32 linear light; None if it is another.

    It fits if it explains the photo's rim about as well as the smooth estimate made from the photo alone.
    """
    bare = _calmed(np.log(empty + FLOOR))
    matched = _fitted(np.log(linear + FLOOR), bare)
    h, w = linear.shape[:2]
    edge = rim(h, w, max(3, int(0.05 * min(h, w))))
    share, wanted = (float(b.explained[edge].mean()) for b in (matched, estimate))
    fits = share > max(0.4, 0.85 * wanted) and matched.noise < 1.3 * estimate.noise + 0.004
    return matched if fits and _follows(np.log(matched.field + FLOOR), bare) else None


def _follows(fitted: Float, bare: Float) -> bool:
    """Whether a fitted backdrop goes the way of the empty frame, instead of flattening what that one shows."""
    light, own = bare.mean(2) - bare.mean(), fitted.mean(2) - fitted.mean()
    spread = float(np.square(light).mean())
    return spread < 0.05**2 or 0.5 < float((light * own).mean()) / spread < 1.8


def _calmed(log: Float) -> Float:
    """The empty frame's log light less its own noise, edges kept: a guided filter (He et al., TPAMI 35(6), 2013)."""
    size = (2 * max(2, round(0.018 * max(log.shape[:2]))) + 1,) * 2
    mean = cv2.blur(log, size)
    variance = np.maximum(cv2.blur(log * log, size) - mean * mean, 0)
    keep = variance / (variance + _FAINT * _FAINT)
    return np.asarray(cv2.blur(keep, size) * log + cv2.blur((1 - keep) * mean, size), np.float32)


def _fitted(log: Float, empty: Float | None, seed: Mask | None = None) -> Backdrop:
    """Fit a smooth field to a log picture, or to its difference from the log picture of the empty backdrop."""
    h, w = log.shape[:2]
    bare = np.zeros_like(log) if empty is None else empty
    scale = min(1.0, _FIT_SIDE / max(h, w))
    size = (max(8, round(w * scale)), max(8, round(h * scale)))
    small = np.asarray(cv2.resize(log - bare, size, interpolation=cv2.INTER_AREA), np.float32)
    if empty is None:
        begin = None if seed is None else cv2.resize(seed.astype(np.uint8), size) > 0
        coefficients, noise = _grow_fit(small, _basis(size[1], size[0], _DEGREE), _STIFF, begin)
        fitted = _basis(h, w, _DEGREE) @ coefficients
    else:
        light = cv2.GaussianBlur(empty.mean(2), (0, 0), 0.01 * max(h, w))
        middle, spread = float(light.mean()), max(float(light.std()), 0.02)
        whole = _tone_basis((light - middle) / spread)
        shrunk = np.asarray(cv2.resize(light, size, interpolation=cv2.INTER_AREA), np.float32)
        coefficients, noise = _grow_fit(small, _tone_basis((shrunk - middle) / spread), np.ones(5, np.bool_), None)
        fitted = whole @ coefficients
    fitted = bare + fitted.reshape(h, w, 3).astype(np.float32)
    residual = log - fitted
    # Averaging on the way to the fitting size hides pixel noise: measure it again where it is used.
    explained = _explained(residual, noise, seed)
    noise = max(noise, _spread(residual[explained]))
    field = np.maximum(np.exp(fitted) - FLOOR, 0).astype(np.float32)
    return Backdrop(residual, field, _explained(residual, noise, seed), noise, empty is not None)


def _tone_basis(light: Float) -> Float:
    """A plane, and a parabola over the standardised log light of the empty frame, (h, w) -> (h*w, 5)."""
    bent = np.clip(light, -4, 4).ravel()
    return np.column_stack([_basis(*light.shape, 1), bent, np.square(bent)])


def _spread(values: Float) -> float:
    return float(1.4826 * np.median(np.abs(values))) if values.size else 0.0


@lru_cache(8)
def _basis(h: int, w: int, degree: int) -> Float:
    """Products of Legendre polynomials up to a total degree, (h*w, terms): well conditioned on a full grid."""
    y, x = np.linspace(-1, 1, h), np.linspace(-1, 1, w)
    px, py = (np.polynomial.legendre.legvander(v, degree) for v in (x, y))
    terms = [np.outer(py[:, j], px[:, i]).ravel() for i in range(degree + 1) for j in range(degree + 1 - i)]
    return np.stack(terms, 1).astype(np.float32)


def _tukey_fit(basis: Float, values: Float, start: Float | None) -> tuple[Float, float]:
    """Robust least squares with Tukey's biweight (Huber, Robust Statistics, 1981), scale by median deviation."""
    weight, spread = _biweight(values - basis @ start) if start is not None else (np.ones(len(values), np.float32), 1.0)
    ridge = 1e-2 * np.eye(basis.shape[1], dtype=np.float32)
    coefficients = np.zeros((basis.shape[1], 3), np.float32)
    for _ in range(3 if start is not None else 6):
        weighted = (basis * weight[:, None]).T
        coefficients = np.linalg.solve(weighted @ basis + ridge, weighted @ values)
        weight, spread = _biweight(values - basis @ coefficients)
    return coefficients, spread


def _biweight(error: Float) -> tuple[Float, float]:
    worst = largest(np.abs(error))
    spread = max(float(1.4826 * np.median(worst)), 1e-3)
    return np.square(np.maximum(1 - np.square(worst / (4 * spread)), 0)), spread


def _grow_fit(log: Float, full: Float, stiff: Mask, seed: Mask | None) -> tuple[Float, float]:
    """Fit the rim or the seed, then whatever agrees and is connected to it, until that set settles.

    full: (h*w, terms). stiff: which terms the first rounds may use.
    """
    h, w = log.shape[:2]
    flat = log.reshape(-1, 3)
    members = rim(h, w, max(3, int(0.06 * min(h, w)))) if seed is None else seed
    coefficients, noise = np.zeros((full.shape[1], 3), np.float32), 0.01
    for step in range(12):
        terms = stiff if step < 2 else np.ones_like(stiff)
        index = members.ravel()
        # Once all terms are in, each round begins where the last one ended.
        fitted, spread = _tukey_fit(full[index][:, terms], flat[index], coefficients if step > 2 else None)
        coefficients = np.zeros((full.shape[1], 3), np.float32)
        coefficients[terms] = fitted
        noise = max(spread, 0.006)
        grown = _explained((flat - full @ coefficients).reshape(h, w, 3), noise, seed)
        if not grown.any():
            break
        settled = step > 3 and float((grown != members).mean()) < 0.001
        members = grown
        if settled:
            break
    return coefficients, noise


def _explained(residual: Float, noise: float, seed: Mask | None) -> Mask:
    h, w = residual.shape[:2]
    start = rim(h, w, 3) if seed is None else seed
    calm = largest(np.abs(cv2.GaussianBlur(residual, (0, 0), 1.5))) < 4 * noise
    opened = cv2.morphologyEx(calm.astype(np.uint8), cv2.MORPH_OPEN, _CROSS, iterations=2).astype(np.bool_)
    connected = touching(opened | (calm & start), rim(h, w, 1) if seed is None else seed)
    return np.asarray(cv2.erode(connected.astype(np.uint8), _CROSS, iterations=2).astype(np.bool_))


def rim(h: int, w: int, width: int) -> Mask:
    """(h, w) bool, true within `width` px of the frame."""
    mask = np.ones((h, w), np.bool_)
    mask[width : h - width, width : w - width] = False
    return mask


def touching(mask: Mask, start: Mask) -> Mask:
    """The connected parts of a mask that reach a start, (h, w) bool each."""
    count, labels = cv2.connectedComponents(mask.astype(np.uint8), connectivity=4)
    keep = np.bincount(labels[start], minlength=count) > 0
    keep[0] = False
    return np.asarray(keep[labels])
