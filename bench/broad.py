"""Scores cutouts over a folder of photos with exact truth, family by family.

    .venv/bin/python bench/broad.py FOLDER [--json FILE]

FOLDER holds FAMILY-NN.jpg and truth/FAMILY-NN.alpha.png, as training/things/testset.py makes them. Silent is a cutout
below 0.97 that no one is shown; needless, one of 0.97 or better that is shown.
"""

import argparse
import json
import time
from itertools import groupby
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from accuracy import GOOD
from scoring import score

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.items.flag import DOUBTFUL
from zero_easel.core.photos.decoding import read_photo


def main() -> None:
    """Score, print, keep."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--json", type=Path)
    args = parser.parse_args()
    photos = known_photos(args.folder)
    with Pool() as pool:
        rows = pool.map(measure, photos, 1)
    print("\n".join(table(rows)))
    if args.json:
        args.json.write_text(json.dumps(rows, indent=1))


def known_photos(folder: Path) -> list[Path]:
    """The photos of a folder whose exact coverage is kept."""
    return sorted(p for p in folder.iterdir() if p.suffix.lower() == ".jpg" and truth_of(p).exists())


def truth_of(photo: Path) -> Path:
    """Where a photo's exact coverage is kept."""
    return photo.parent / "truth" / f"{photo.stem}.alpha.png"


def measure(photo: Path) -> dict:
    """The scores of one photo's cutout."""
    cv2.setNumThreads(1)
    truth = cv2.imread(str(truth_of(photo)), cv2.IMREAD_GRAYSCALE)
    opened = read_photo(photo)
    started = time.perf_counter()
    item = cutout(opened)
    seconds = time.perf_counter() - started
    family = photo.stem.rpartition("-")[0]
    facts = {"confidence": item.confidence, "flags": [f.code for f in item.flags], "seconds": seconds}
    return {"photo": photo.stem, "family": family} | score(item.whole()[..., 3], truth) | facts


def table(rows: list[dict]) -> list[str]:
    """Markdown: a line for each family, and one for all."""
    head = "| family | median | mean | worst | 0.97 or better | silent | needless | edge |"
    lines = [head, "| --- |" + " ---: |" * 7]
    for family, group in groupby(sorted(rows, key=lambda r: r["family"]), key=lambda r: r["family"]):
        lines.append(_line(family or "-", list(group)))
    return [*lines, _line("all", rows)]


def _line(name: str, rows: list[dict]) -> str:
    iou, sure = (np.array([r[n] for r in rows]) for n in ("iou", "confidence"))
    good, shown = iou >= GOOD, sure < DOUBTFUL
    numbers = [f"{v:.3f}" for v in (np.median(iou), iou.mean(), iou.min())]
    edge = np.median([r["edge"] for r in rows])
    counts = [f"{good.mean():.0%}", str(int((~good & ~shown).sum())), str(int((good & shown).sum()))]
    return f"| {name} | {' | '.join([*numbers, *counts])} | {edge:.2f} |"


if __name__ == "__main__":
    main()
