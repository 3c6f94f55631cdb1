"""Rendered scenes -> training cases: photos as they are, on other backdrops, bare, with and without an empty frame.

A scene's own exact coverage makes it possible to take its backdrop out: photo = a F + (1 - a) s B, with the shading s
known beside the item and continued under its rim. Another scene's empty frame then takes the place of B, which gives
every item hundreds of backdrops without rendering them.
"""

from multiprocessing import Pool
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.clearing.backdrop import FLOOR, Backdrop, estimate_backdrop, match_empty
from zero_easel.core.clearing.barrier import barrier_of
from zero_easel.core.clearing.features import SIDE
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.light.fill import fill_from


class Case(NamedTuple):
    """photo: (h, w, 3) float16 linear light. coverage: (h, w) uint8. At no more than SIDE px: field, (h', w', 3)
    float16, the backdrop in linear light, and barrier, (h', w') float16."""

    photo: np.ndarray
    field: np.ndarray
    noise: float
    known: bool
    coverage: np.ndarray
    barrier: np.ndarray


class Scene(NamedTuple):
    """A rendered scene and how many cases were made of it."""

    file: Path
    count: int

    def case(self, index: int) -> Case:
        """One of the cases, read anew: thousands would not fit into memory."""
        with np.load(self.file) as kept:
            return Case(*(kept[f"{index}.{name}"] for name in Case._fields))


def scenes_of(folder: Path, processes: int) -> list[Scene]:
    """All scenes in a folder with their cases, which are kept beside them."""
    numbers = sorted(p.stem for p in folder.glob("*.png") if p.stem.isdigit())
    with Pool(processes) as pool:
        return [s for s in pool.starmap(_kept, [(folder, n, numbers) for n in numbers], 8) if s]


def _kept(folder: Path, number: str, numbers: list[str]) -> Scene | None:
    file = folder / f"{number}.npz"
    cv2.setNumThreads(1)
    try:
        if not file.exists():
            made = _cases(folder, number, numbers)
            np.savez(file, **{f"{i}.{k}": v for i, c in enumerate(made) for k, v in c._asdict().items()})
        with np.load(file) as kept:
            return Scene(file, len(kept.files) // len(Case._fields))
    except (OSError, TypeError, ValueError, cv2.error) as error:  # still being written, or degenerate
        print(f"{number}: {error}")
        return None


def _cases(folder: Path, number: str, numbers: list[str]) -> list[Case]:
    rng = np.random.default_rng(int(number))
    photo, empty = (_read(folder / f"{number}.{which}.png") for which in ("photo", "empty"))
    coverage = cv2.imread(str(folder / f"{number}.png"), cv2.IMREAD_GRAYSCALE)
    photo = _with_clean_rim(photo, coverage)
    made = [_case(_uneven(rng, photo), coverage), _case(_uneven(rng, photo), coverage, _uneven(rng, empty))]
    made.append(_case(*_degraded(rng, photo, coverage)))
    for _ in range(3):
        other = _read(folder / f"{rng.choice(numbers)}.empty.png")
        moved = _uneven(rng, _before(rng, photo, empty, coverage, other))
        given = other if moved.shape == other.shape and rng.uniform() < 0.4 else None
        made.append(_case(moved, coverage, given))
    if rng.uniform() < 0.35:
        made.append(_case(empty, coverage * 0))
    return made


def _read(path: Path) -> np.ndarray:
    """A rendered picture of 16 bits in linear light, (h, w, 3) float32."""
    picture = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    return to_linear(np.ascontiguousarray(picture[..., ::-1]))


def _with_clean_rim(photo: np.ndarray, coverage: np.ndarray) -> np.ndarray:
    """The photo with its mixed pixels mixed anew: averaging among alike neighbours has left their noise as it was."""
    a = (coverage / np.float32(255))[..., None]
    behind = fill_from(photo, coverage == 0)
    own = np.clip((photo - (1 - a) * behind) / np.maximum(a, 0.15), 0, 1)
    front = fill_from(own, np.where(a > 0.98, 1, 0.05 * a * a)[..., 0].astype(np.float32))
    return np.where((a > 0.01) & (a < 0.99), a * front + (1 - a) * behind, photo).astype(np.float32)


def _case(photo: np.ndarray, coverage: np.ndarray, empty: np.ndarray | None = None) -> Case:
    """A photo and what is known about its backdrop, as the application would see it."""
    seen = _reduced(photo)
    backdrop: Backdrop = estimate_backdrop(seen)
    if empty is not None:
        backdrop = match_empty(seen, _reduced(empty), backdrop) or backdrop
    barrier = barrier_of(seen, backdrop.field, backdrop.noise)
    field = np.minimum(backdrop.field, 6e4).astype(np.float16)
    return Case(photo.astype(np.float16), field, backdrop.noise, backdrop.known, coverage, barrier.astype(np.float16))


def _reduced(photo: np.ndarray) -> np.ndarray:
    h, w = photo.shape[:2]
    scale = SIDE / max(h, w)
    return cv2.resize(photo, (round(w * scale), round(h * scale)), interpolation=cv2.INTER_AREA)


def _degraded(rng: np.random.Generator, photo: np.ndarray, coverage: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The photo as a worse camera would have taken it: cast, falling light, soft focus, noise, JPEG."""
    h, w = coverage.shape
    x, y = np.linspace(-1, 1, w)[None, :, None], np.linspace(-1, 1, h)[:, None, None]
    tilt = np.exp(x * rng.normal(0, 0.25) + y * rng.normal(0, 0.25))
    changed = photo * tilt * np.exp(rng.normal(0, 0.15, 3)) * np.exp(rng.uniform(-0.7, 0.3))
    if rng.uniform() < 0.6:
        sigma = rng.uniform(0.4, 2)
        changed = cv2.GaussianBlur(changed, (0, 0), sigma)
        coverage = cv2.GaussianBlur(coverage, (0, 0), sigma)
    changed = _grained(rng, changed, rng.uniform(0, 4))
    shown = to_srgb8(changed.astype(np.float32))
    packed = cv2.imencode(".jpg", shown[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(35, 97))])[1]
    return to_linear(np.ascontiguousarray(cv2.imdecode(packed, cv2.IMREAD_COLOR)[..., ::-1])), coverage


def _before(
    rng: np.random.Generator, photo: np.ndarray, empty: np.ndarray, coverage: np.ndarray, other: np.ndarray
) -> np.ndarray:
    """The same item, shadow and light in front of another backdrop."""
    a = (coverage / np.float32(255))[..., None]
    shading = np.minimum((photo + FLOOR) / (empty + FLOOR), 3)
    shading = np.where(a > 0, fill_from(shading, coverage == 0), shading)
    own = np.clip(photo - (1 - a) * shading * empty, 0, a)
    if other.shape != photo.shape:
        other = cv2.resize(other, photo.shape[1::-1], interpolation=cv2.INTER_AREA)
    if rng.uniform() < 0.5:
        other = np.ascontiguousarray(other[:, ::-1])
    # Light on the item follows the new backdrop's level half of the way, as the same exposure would have it.
    gain = 1.0 if rng.uniform() < 0.4 else float(np.median(other) / max(np.median(empty), 0.02)) ** 0.5
    moved = own * np.clip(gain, 0.3, 2.5) + (1 - a) * shading * other
    return np.clip(_grained(rng, moved, rng.uniform(0, 0.5)), 0, 1).astype(np.float32)


def _uneven(rng: np.random.Generator, photo: np.ndarray) -> np.ndarray:
    """With the soft blotches that paper, dust and noise reduction leave, on item and paper; often next to none."""
    h, w = photo.shape[:2]
    blotches = np.zeros_like(photo)
    for sigma in (rng.uniform(0.5, 1.5), rng.uniform(2, 5)):
        field = rng.normal(0, 1, (h, w, 1)) + 0.5 * rng.normal(0, 1, (h, w, 3))
        field = cv2.GaussianBlur(field.astype(np.float32), (0, 0), sigma)
        blotches += field / field.std() * np.exp(rng.uniform(np.log(0.0006), np.log(0.004)))
    return np.clip(photo * (1 + blotches), 0, 1).astype(np.float32)


def _grained(rng: np.random.Generator, photo: np.ndarray, amount: float) -> np.ndarray:
    """With a sensor's noise, whose variance grows with the light."""
    return photo + rng.normal(0, 1, photo.shape) * np.sqrt(photo.clip(0) * 2e-4 + 1e-6) * amount
