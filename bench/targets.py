"""How well colour target and grey card are found and used: drawn into photos under other light, from other places,
with noise.

python bench/targets.py [--cases 100] [--seed 1] [--grey]: found, false ones in the photos without it, what remains.
"""

import argparse
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.light.colour import Encoded, Float, to_linear, to_srgb8
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.photos.reducing import reduced
from zero_easel.core.tone.balance import to_neutral, warmed
from zero_easel.core.tone.difference import delta_e, lab_of
from zero_easel.core.tone.grey_card import find_grey_card
from zero_easel.core.tone.target import calibrated, reference
from zero_easel.core.tone.target_finding import find_target

SUFFIXES = (".jpg", ".jpeg", ".png", ".webp")
PHOTOS = Path(__file__).parent.parent / "src/zero_easel/demo/photos"


class Case(NamedTuple):
    """pixels: the photo, (H, W, 3) uint8. cast: (3, 3) on linear light that it was taken under."""

    pixels: Encoded
    cast: np.ndarray


def drawn_target(patch: int, rng: np.random.Generator) -> Float:
    """The target from the front, linear light, with its dark frame."""
    gap = round(patch * rng.uniform(0.08, 0.22))
    edge = round(patch * rng.uniform(0.2, 0.5))
    step = patch + gap
    sheet = np.full((4 * step - gap + 2 * edge, 6 * step - gap + 2 * edge, 3), rng.uniform(0.02, 0.05), np.float32)
    for at, colour in enumerate(reference()):
        y, x = edge + at // 6 * step, edge + at % 6 * step
        sheet[y : y + patch, x : x + patch] = colour
    return sheet


def drawn_card(rng: np.random.Generator) -> Float:
    """A grey card from the front, linear light: 18 %, or a little off."""
    height, width = 600, int(rng.integers(450, 1000))
    return np.full((height, width, 3), rng.uniform(0.16, 0.2), np.float32)


def paper(rng: np.random.Generator) -> Encoded:
    """A bare backdrop, (H, W, 3) uint8: paper of some brightness, lit from one side, with a fibre."""
    y, x = np.mgrid[:1200, :1600] / 1600 - 0.4
    slope = rng.normal(0, 0.35, 2)
    fibre = cv2.GaussianBlur(rng.normal(0, 1, y.shape), (0, 0), rng.uniform(0.6, 3)) * rng.uniform(0, 0.02)
    light = rng.uniform(0.35, 0.85) * np.exp(slope[0] * x + slope[1] * y + fibre)
    tint = np.exp(rng.normal(0, 0.012, 3))
    return to_srgb8(np.clip(light[..., None] * tint, 0, 1).astype(np.float32))


def case(rng: np.random.Generator, background: Encoded, sheet: Float | None = None) -> Case:
    """One random photo of the target, or of another sheet."""
    scene = to_linear(reduced(background, int(rng.integers(1100, 2200))))
    h, w = scene.shape[:2]
    sheet = drawn_target(90, rng) if sheet is None else sheet
    th, tw = sheet.shape[:2]
    width = rng.uniform(0.22, 0.8) * min(w, h * tw / th)
    corners = np.array([[0, 0], [tw, 0], [tw, th], [0, th]], float) - (tw / 2, th / 2)
    corners *= width / tw
    turn = np.radians(rng.choice([0, 90, 180, 270]) + rng.normal(0, 12))
    corners = corners @ np.array([[np.cos(turn), np.sin(turn)], [-np.sin(turn), np.cos(turn)]])
    corners += rng.uniform(-0.09, 0.09, (4, 2)) * width
    corners *= min(1.0, *(0.97 * np.array([w, h]) / np.ptp(corners, axis=0)))
    low, high = -corners.min(0), (w, h) - corners.max(0)
    corners += [rng.uniform(min(a, b), max(a, b)) for a, b in zip(low, high, strict=True)]
    source = np.array([[0, 0], [tw, 0], [tw, th], [0, th]], np.float32)
    place = cv2.getPerspectiveTransform(source, corners.astype(np.float32))
    small = cv2.warpPerspective(sheet, place, (w, h), flags=cv2.INTER_AREA)
    over = cv2.warpPerspective(np.ones((th, tw), np.float32), place, (w, h))[..., None]
    light = scene * (1 - over) + small * over
    light *= np.exp(np.linspace(-0.1, 0.1, w) * rng.normal(0, 1))[None, :, None]
    mired = rng.uniform(1e6 / 9000, 1e6 / 2800) - 1e6 / 6504
    tint = np.diag([1.0, np.exp(rng.normal(0, 0.04)), 1.0])
    cast = tint @ warmed(mired) * 2 ** rng.uniform(-1.5, 0.4)
    light = np.clip(light @ cast.T, 0, None).astype(np.float32)
    light = cv2.GaussianBlur(light, (0, 0), rng.uniform(0.3, 2.0))
    noise = rng.uniform(0, 0.012)
    light += rng.normal(0, 1, light.shape).astype(np.float32) * noise * np.sqrt(np.maximum(light, 0.002))
    coded = cv2.imencode(".jpg", to_srgb8(light)[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, int(rng.integers(75, 98))])[1]
    return Case(np.ascontiguousarray(cv2.imdecode(coded, cv2.IMREAD_COLOR)[..., ::-1]), cast)


def remaining(one: Case) -> float | None:
    """Mean Delta E of the target's true colours under the case's light after the correction that was found; None if
    the target was not."""
    patches = find_target(one.pixels)
    found = calibrated(patches) if patches else None
    if found is None:
        return None
    seen = reference() @ one.cast.T.astype(np.float32)
    whole = seen.max(1) < 0.98
    fixed = seen @ np.array(found.matrix, np.float32).reshape(3, 3).T
    return float(delta_e(lab_of(fixed[whole]), lab_of(reference()[whole])).mean())


def grey_remaining(one: Case) -> float | None:
    """Delta E of a light grey under the case's light from neutral after the card found in it was made neutral; None if
    none was found."""
    found = find_grey_card(one.pixels)
    if found is None:
        return None
    seen = to_neutral(found) @ (one.cast @ np.full(3, 0.5))
    level = float(seen @ (0.2126, 0.7152, 0.0722))
    return float(delta_e(lab_of(np.float32(seen)), lab_of(np.full(3, level, np.float32))))


def damaged(path: Path) -> bool:
    """Whether a file gives no picture."""
    try:
        read_photo(path)
    except PhotoError:
        return True
    return False


def main() -> None:
    """Run and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--cases", type=int, default=100)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--without", type=Path, nargs="*", default=[PHOTOS])
    parser.add_argument("--grey", action="store_true", help="the grey card instead of the target")
    asked = parser.parse_args()
    photos = sorted(
        path for folder in asked.without for path in folder.rglob("*") if path.suffix.lower() in (".jpg", ".jpeg")
    )
    rng = np.random.default_rng(asked.seed)
    backgrounds = [read_photo(path).pixels for path in sorted(PHOTOS.glob("*.JPG"))[:12]]
    errors = []
    for n in range(asked.cases):
        behind = backgrounds[n % len(backgrounds)]
        if asked.grey:
            errors.append(grey_remaining(case(rng, behind if n % 4 == 3 else paper(rng), drawn_card(rng))))
        else:
            errors.append(remaining(case(rng, behind)))
    known = np.array([error for error in errors if error is not None])
    worst = f"90 % {np.percentile(known, 90):.2f}, worst {known.max():.2f}"
    print(f"found in {len(known)} of {len(errors)}; mean Delta E {known.mean():.2f}, {worst}")
    print("missed:", [at for at, error in enumerate(errors) if error is None])
    find = find_grey_card if asked.grey else find_target
    looked = {path.name: find(read_photo(path).pixels) for path in photos if not damaged(path)}
    false = [name for name, shown in looked.items() if shown]
    print(f"false in {len(false)} of {len(looked)} photos without it: {false}")


if __name__ == "__main__":
    main()
