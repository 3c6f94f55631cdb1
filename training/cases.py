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

from zero_easel.core.backdrop import FLOOR, Backdrop, estimate_backdrop, match_empty
from zero_easel.core.barrier import barrier_of
from zero_easel.core.colour import to_linear, to_srgb8
from zero_easel.core.fill import fill_from


class Case(NamedTuple):
    """photo: (h, w, 3) uint8. field: (h', w', 3) float16, logarithm of the backdrop. coverage: (h, w) uint8. barrier:
    (h, w) float16."""

    photo: np.ndarray
    field: np.ndarray
    noise: float
    known: bool
    coverage: np.ndarray
    barrier: np.ndarray


def cases_of(folder: Path, processes: int) -> list[list[Case]]:
    """All cases of all scenes in a folder, a list per scene, cached beside them."""
    numbers = sorted(p.stem for p in folder.glob("*.png") if p.with_suffix(".empty.jpg").exists())
    with Pool(processes) as pool:
        return [c for c in pool.starmap(_cached, [(folder, n, numbers) for n in numbers], 8) if c]


def _cached(folder: Path, number: str, numbers: list[str]) -> list[Case]:
    cache = folder / f"{number}.npz"
    cv2.setNumThreads(1)
    try:
        if not cache.exists():
            made = _cases(folder, number, numbers)
            np.savez(cache, **{f"{i}.{k}": v for i, c in enumerate(made) for k, v in c._asdict().items()})
        kept = np.load(cache)
        count = len(kept.files) // len(Case._fields)
        return [Case(*(kept[f"{i}.{k}"] for k in Case._fields)) for i in range(count)]
    except (OSError, TypeError, ValueError, cv2.error) as error:  # still being written, or degenerate
        print(f"{number}: {error}")
        return []


def _cases(folder: Path, number: str, numbers: list[str]) -> list[Case]:
    rng = np.random.default_rng(int(number))
    photo, empty = (_read(folder / f"{number}{end}.jpg") for end in ("", ".empty"))
    coverage = cv2.imread(str(folder / f"{number}.png"), cv2.IMREAD_GRAYSCALE)
    estimate = estimate_backdrop(photo)
    made = [_case(photo, estimate, coverage)]
    if known := match_empty(photo, empty, estimate):
        made.append(_case(photo, known, coverage))
    worse, blurred = _degraded(rng, photo, coverage)
    made.append(_case(worse, estimate_backdrop(worse), blurred))
    for _ in range(4):
        other = _read(folder / f"{rng.choice(numbers)}.empty.jpg")
        moved = _before(rng, photo, empty, coverage, other)
        estimate = estimate_backdrop(moved)
        known = match_empty(moved, other, estimate) if moved.shape == other.shape and rng.uniform() < 0.25 else None
        made.append(_case(moved, known or estimate, coverage))
    if rng.uniform() < 0.35:
        made.append(_case(empty, estimate_backdrop(empty), coverage * 0))
    return made


def _read(path: Path) -> np.ndarray:
    """A rendered picture in linear light, (h, w, 3) float32, freed of the grain that few samples per pixel leave.

    That grain is several times a camera's and would teach that faint edges mean nothing.
    """
    clean = path.with_suffix(".clean")
    if clean.exists():
        return to_linear(np.load(clean))
    picture = cv2.imread(str(path))
    fine = picture.astype(np.float32) - cv2.GaussianBlur(picture.astype(np.float32), (0, 0), 2)
    grain = 2 * float(np.percentile(np.sqrt(cv2.blur(fine * fine, (9, 9)).mean(2)), 30))
    picture = cv2.fastNlMeansDenoisingColored(picture, None, grain, grain, 5, 13)
    picture = np.ascontiguousarray(picture[..., ::-1])
    with clean.open("wb") as file:  # half a second each, and every empty frame is used several times
        np.save(file, picture)
    return to_linear(picture)


def _case(photo: np.ndarray, backdrop: Backdrop, coverage: np.ndarray) -> Case:
    log = np.log(backdrop.field + FLOOR)
    if not backdrop.known:
        log = cv2.resize(log, (log.shape[1] // 4, log.shape[0] // 4), interpolation=cv2.INTER_AREA)
    barrier = barrier_of(photo, backdrop.field, backdrop.noise).astype(np.float16)
    return Case(to_srgb8(photo), log.astype(np.float16), backdrop.noise, backdrop.known, coverage, barrier)


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
    changed = changed + rng.normal(0, 1, changed.shape) * np.sqrt(changed.clip(0) * 2e-4 + 1e-6) * rng.uniform(0, 4)
    shown = to_srgb8(changed.astype(np.float32))
    packed = cv2.imencode(".jpg", shown[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(35, 90))])[1]
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
        other = other[:, ::-1]
    # Light on the item follows the new backdrop's level half of the way, as the same exposure would have it.
    gain = 1.0 if rng.uniform() < 0.4 else float(np.median(other) / max(np.median(empty), 0.02)) ** 0.5
    moved = own * np.clip(gain, 0.3, 2.5) + (1 - a) * shading * other
    # The sum of two quantised pictures has lost grain; give back a little.
    moved = moved + rng.normal(0, 1, moved.shape) * np.sqrt(moved.clip(0) * 2e-4 + 1e-6) * rng.uniform(0, 0.7)
    return np.clip(moved, 0, 1).astype(np.float32)
