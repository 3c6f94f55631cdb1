"""White and exposure by the backdrop: each demo photo under casts and exposures that it was not taken with, and how far
its item's mean colour is then from the same photo's without them, in CIEDE2000, beside what leaving it as shot gives.

    .venv/bin/python bench/tone.py [--every 1] [--side 800] [--scenes 12]

A cast is a gain in the channels of a made-up sensor, which are not those of sRGB, for a light of so many kelvin; what
it lifts beyond white is clipped as in a camera's JPEG. Photos in which more than 2 % of the item are clipped so are
told apart: what is not in the file comes back by no rule.
"""

import argparse
import colorsys
from contextlib import suppress
from dataclasses import replace
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np

from zero_easel.core.items.measure import mean_light
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.photos.decoding import Photo, PhotoFacts, read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.tone.balance import Amounts, Known, balances, warmed
from zero_easel.core.tone.difference import delta_e, lab_of
from zero_easel.pipeline import clear

PHOTOS = Path(__file__).parent.parent / "src/zero_easel/demo/photos"
CAMERA = np.array([[0.72, 0.25, 0.03], [0.12, 0.80, 0.08], [0.03, 0.18, 0.79]])
ASKED = Amounts(white=True, exposure=True, level=0.6)
CHANGES: tuple[tuple[float, ...], ...] = (
    (2800, -1.0), (3200, -0.5), (4000, 0.0), (4000, -1.0), (9000, 0.0), (9000, -1.5), (6504, -1.5), (6504, 0.3),
    (6504, 1.5), (5000, -0.5, 60),
)  # fmt: skip
"""Kelvin, stops, and mired by which the light is warmer on the left."""
_CLIPPED = 0.02


class Seen(NamedTuple):
    """One photo under one change: Delta E of its item, as_shot: without any balance; overlap: of its cutout with that
    of the unchanged photo, intersection over union."""

    balanced: float
    as_shot: float
    clipped: bool
    overlap: float


class Look(NamedTuple):
    """CIE L*a*b* of an item balanced and as shot, the share of it that is clipped, its backdrop, and its matte over the
    whole frame."""

    balanced: np.ndarray
    as_shot: np.ndarray
    clipped: float
    backdrop: tuple[float, float, float] | None
    matte: np.ndarray


def under(photo: Photo, kelvin: float, stops: float, mixed: float = 0.0) -> Photo:
    """The photo as that camera sees it in another light. mixed: mired by which the light is warmer on the left than on
    the right."""
    h, w = photo.pixels.shape[:2]
    light = to_linear(photo.pixels).reshape(h, w, 3)
    sides = [_in_light(light, 1e6 / kelvin + way * mixed / 2, stops) for way in ((1, -1) if mixed else (0,))]
    if mixed:
        share = np.linspace(0, 1, w)[None, :, None]
        sides = [sides[0] * (1 - share) + sides[1] * share]
    return replace(photo, pixels=to_srgb8(np.clip(sides[0], 0, 1).astype(np.float32)))


def _in_light(light: np.ndarray, mired: float, stops: float) -> np.ndarray:
    lamp = warmed(mired - 1e6 / 6504) @ np.ones(3)
    gains = (CAMERA @ lamp) / (CAMERA @ np.ones(3))
    matrix = np.linalg.inv(CAMERA) @ np.diag(gains) @ CAMERA * 2.0**stops
    return np.asarray(light @ matrix.T)


def look_at(photo: Photo) -> Look | None:
    """Clear a photo anew and balance it; None without an item."""
    item = clear(photo)
    measures = item.measures
    if measures is None:
        return None
    made = balances([Known(measures.backdrop)], ASKED)[0]
    light = np.array(mean_light(item.pixels))
    balanced = lab_of(np.asarray(made.tone.rows @ light))
    return Look(balanced, lab_of(light), measures.clipped, measures.backdrop, item.whole()[..., 3] > 127)


def made_scenes(rng: np.random.Generator, count: int) -> list[Photo]:
    """Saturated items that fill four fifths of their frame, before grey paper with some texture: no model of the
    renderer's, and nothing that a constant was chosen on."""
    photos = []
    for at in range(count):
        h, w = 600, 800
        y, x = np.mgrid[0:h, 0:w]
        paper = 0.55 * np.exp(0.2 * (x / w - 0.5) * rng.normal() + 0.15 * (y / h - 0.5) * rng.normal())
        light = paper[..., None] * np.ones(3) * (1 + 0.01 * rng.normal(size=(h, w, 1)))
        colour = np.array(colorsys.hsv_to_rgb(at / count, rng.uniform(0.75, 0.95), 1)) ** 2.2 * rng.uniform(0.25, 0.6)
        power = rng.uniform(2, 6)
        inside = np.abs((x - w / 2) / (0.46 * w)) ** power + np.abs((y - h / 2) / (0.455 * h)) ** power < 1
        shade = 0.75 + 0.35 * (x / w) - 0.2 * (y / h)
        light[inside] = (shade[..., None] * colour)[inside]
        pixels = to_srgb8(cv2.GaussianBlur(np.clip(light, 0, 1).astype(np.float32), (0, 0), 0.8))
        photos.append(Photo(f"made {at}", pixels, None, PhotoFacts(0, "JPEG", w, h, 8, 1, "", 0.0, None)))
    return photos


def demo_photos(every: int, side: int) -> list[Photo]:
    """The demo's, smaller."""
    photos = []
    for path in sorted(PHOTOS.glob("*.[jJ][pP][gG]"))[::every]:
        with suppress(PhotoError):
            photo = read_photo(path)
            scale = side / max(photo.pixels.shape)
            pixels = cv2.resize(photo.pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
            photos.append(replace(photo, pixels=pixels))
    return photos


def table(photos: list[Photo]) -> list[Look]:
    """Print what becomes of photos in other light; returns how they are in their own."""
    own = [(photo, look) for photo in photos if (look := look_at(photo)) and look.backdrop]
    print("| light, K | stops | mixed, mired | median | 90 % | worst | as shot, median | clipped, median | overlap |")
    print("| ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: |")
    every: list[Seen] = []
    for change in CHANGES:
        found = [seen for photo, look in own if (seen := _compared(look, look_at(under(photo, *change))))]
        every += found
        _row(" | ".join(f"{v:g}" for v in (*change, 0)[:3]), found)
    _row("all | | ", every)
    return [look for _, look in own]


def _compared(right: Look, now: Look | None) -> Seen | None:
    if now is None:
        return None
    apart = [float(delta_e(colour, right.balanced)) for colour in (now.balanced, now.as_shot)]
    overlap = float((now.matte & right.matte).sum() / max((now.matte | right.matte).sum(), 1))
    return Seen(apart[0], apart[1], now.clipped > _CLIPPED, overlap)


def _row(words: str, found: list[Seen]) -> None:
    whole = [one.balanced for one in found if not one.clipped] or [float("nan")]
    lost = [one.balanced for one in found if one.clipped]
    clipped = f"{np.median(lost):.1f} ({len(lost)} of {len(found)})" if lost else ""
    overlap = np.median([one.overlap for one in found])
    print(
        f"| {words} | {np.median(whole):.2f} | {np.percentile(whole, 90):.2f} | {max(whole):.2f} | "
        f"{np.median([one.as_shot for one in found]):.1f} | {clipped} | {overlap:.3f} |"
    )


def main() -> None:
    """Print both tables, and how far a shoot's whites and neutral items are from each other."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--every", type=int, default=1)
    parser.add_argument("--side", type=int, default=800)
    parser.add_argument("--scenes", type=int, default=12)
    args = parser.parse_args()
    looks = table(demo_photos(args.every, args.side))
    print("\nSaturated items that fill 80 % of the frame:\n")
    table(made_scenes(np.random.default_rng(17), args.scenes))
    made = balances([Known(look.backdrop) for look in looks], ASKED)
    lights = np.array([look.backdrop for look in looks])
    after = np.array([one.tone.rows @ light for one, light in zip(made, lights, strict=True)])
    print()
    for words, lab in (("as shot", lab_of(lights)), ("balanced", lab_of(after))):
        apart = delta_e(lab, np.median(lab, 0))
        said = f"median {np.median(apart):.2f}, worst {apart.max():.2f} Delta E from their middle"
        print(f"backdrops of {len(lab)} photos {words}: {said}")
    grey = [look for look in looks if np.hypot(*look.balanced[1:]) < 5]
    for words, labs in (("as shot", [one.as_shot for one in grey]), ("balanced", [one.balanced for one in grey])):
        chroma = np.hypot(*np.array(labs)[:, 1:].T)
        print(f"{len(grey)} neutral items {words}: chroma median {np.median(chroma):.2f}, worst {chroma.max():.2f}")


if __name__ == "__main__":
    main()
