"""Scores cutouts over a folder of photos with exact truth, family by family.

    .venv/bin/python bench/broad.py FOLDER [--json FILE] [--diagram FILE] [--method grabcut]

FOLDER holds FAMILY-NN.jpg and truth/FAMILY-NN.alpha.png, as training/things/testset.py makes them. Silent is a cutout
below 0.97 that no one is shown; needless, one of 0.97 or better that is shown. --diagram draws how often cutouts of
each confidence are good (SVG). --method scores a reference of bench/references.py instead; it shows nothing to anyone.
"""

import argparse
import json
import time
from functools import partial
from itertools import groupby
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from accuracy import GOOD
from references import METHODS
from scoring import score

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.items.flag import DOUBTFUL
from zero_easel.core.photos.decoding import read_photo

_METHODS = {method.__name__: method for method in METHODS}


def main() -> None:
    """Score, print, keep."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--json", type=Path)
    parser.add_argument("--diagram", type=Path)
    parser.add_argument("--method", choices=list(_METHODS))
    args = parser.parse_args()
    photos = known_photos(args.folder)
    with Pool() as pool:
        rows = pool.map(partial(measure, method=args.method), photos, 1)
    print("\n".join(table(rows)))
    bins, error = reliability(rows)
    print(f"expected calibration error {error:.3f}")
    if args.diagram:
        args.diagram.write_text(diagram(bins))
    if args.json:
        args.json.write_text(json.dumps(rows, indent=1))


def known_photos(folder: Path) -> list[Path]:
    """The photos of a folder whose exact coverage is kept."""
    return sorted(p for p in folder.iterdir() if p.suffix.lower() == ".jpg" and truth_of(p).exists())


def truth_of(photo: Path) -> Path:
    """Where a photo's exact coverage is kept."""
    return photo.parent / "truth" / f"{photo.stem}.alpha.png"


def measure(photo: Path, method: str | None = None) -> dict:
    """The scores of one photo's cutout, ours or a reference's."""
    cv2.setNumThreads(1)
    truth = cv2.imread(str(truth_of(photo)), cv2.IMREAD_GRAYSCALE)
    opened = read_photo(photo)
    family = photo.stem.rpartition("-")[0]
    if method:
        row = score(_METHODS[method](opened.pixels, truth), truth)
        return {"photo": photo.stem, "family": family} | row | {"confidence": 1.0, "flags": [], "seconds": 0.0}
    started = time.perf_counter()
    item = cutout(opened)
    seconds = time.perf_counter() - started
    facts = {"confidence": item.confidence, "flags": [f.code for f in item.flags], "seconds": seconds}
    return {"photo": photo.stem, "family": family} | score(item.whole()[..., 3], truth) | facts


def table(rows: list[dict]) -> list[str]:
    """Markdown: a line for each family, and one for all."""
    head = "| family | median | mean | worst | 0.97 or better | silent | needless | edge |"
    lines = [head, "| --- |" + " ---: |" * 7]
    for family, group in groupby(sorted(rows, key=lambda r: r["family"]), key=lambda r: r["family"]):
        lines.append(_line(family or "-", list(group)))
    return [*lines, _line("all", rows)]


Bin = tuple[float, float, int]
"""Mean confidence, share that is good, number of cutouts."""


def reliability(rows: list[dict], count: int = 10) -> tuple[list[Bin], float]:
    """Cutouts by confidence, and the expected calibration error, the mean distance between confidence and the share
    that is good (Naeini, Cooper & Hauskrecht, AAAI 2015)."""
    sure, good = np.array([r["confidence"] for r in rows]), np.array([r["iou"] >= GOOD for r in rows])
    part = np.minimum((sure * count).astype(int), count - 1)
    bins = [(float(sure[part == k].mean()), float(good[part == k].mean()), int((part == k).sum()))
            for k in range(count) if (part == k).any()]  # fmt: skip
    return bins, sum(n * abs(s - g) for s, g, n in bins) / len(rows)


def diagram(bins: list[Bin]) -> str:
    """A reliability diagram as SVG: a disc for each bin, as large as its cutouts are many; ideally on the diagonal."""
    side, rim = 320, 44

    def at(sure: float, good: float) -> tuple[float, float]:
        return rim + sure * side, rim / 2 + (1 - good) * side

    lines = [f'<svg xmlns="http://www.w3.org/2000/svg" width="{side + rim + 20}" height="{side + rim + 22}" '
             'font-family="sans-serif" font-size="12">', '<rect width="100%" height="100%" fill="#fff"/>']  # fmt: skip
    (x0, y0), (x1, y1) = at(0, 0), at(1, 1)
    lines += [f'<path d="M{x0} {y1}V{y0}H{x1}M{x0} {y0}L{x1} {y1}" fill="none" stroke="#777"/>']
    for v in (0, 0.5, 1):
        (x, _), (_, y) = at(v, 0), at(0, v)
        lines += [f'<text x="{x}" y="{y0 + 16}" text-anchor="middle">{v:g}</text>',
                  f'<text x="{x0 - 8}" y="{y + 4}" text-anchor="end">{v:g}</text>']  # fmt: skip
    lines += [f'<text x="{(x0 + x1) / 2}" y="{y0 + 32}" text-anchor="middle">confidence</text>',
              f'<text transform="translate(14 {(y0 + y1) / 2}) rotate(-90)" text-anchor="middle">'
              "share that is good</text>"]  # fmt: skip
    for s, g, n in bins:
        x, y = at(s, g)
        lines += [f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{2 + np.sqrt(n):.1f}" fill="#c77700" fill-opacity=".7"/>',
                  f'<text x="{x + 5 + np.sqrt(n):.1f}" y="{y + 4:.1f}">{n}</text>']  # fmt: skip
    return "\n".join([*lines, "</svg>"]) + "\n"


def _line(name: str, rows: list[dict]) -> str:
    iou, sure = (np.array([r[n] for r in rows]) for n in ("iou", "confidence"))
    good, shown = iou >= GOOD, sure < DOUBTFUL
    numbers = [f"{v:.3f}" for v in (np.median(iou), iou.mean(), iou.min())]
    edge = np.median([r["edge"] for r in rows])
    counts = [f"{good.mean():.0%}", str(int((~good & ~shown).sum())), str(int((good & shown).sum()))]
    return f"| {name} | {' | '.join([*numbers, *counts])} | {edge:.2f} |"


if __name__ == "__main__":
    main()
