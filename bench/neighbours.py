"""What a corrected photo is worth to the others of its shoot.

    .venv/bin/python bench/neighbours.py FOLDER [--json FILE]

FOLDER holds SHOOT-VIEW.jpg and truth/SHOOT-VIEW.alpha.png, as training/things/shoots.py makes them. In each shoot every
photo below 0.97 that the simulated hand of bench/strokes.py makes right within six strokes is a teacher once: what it
teaches is tried on all others of the shoot that are below 0.97. Better and worse mean by more than 0.003 of overlap.
Offered is what gets surer by 0.1, as the application does.
"""

import argparse
import json
from itertools import groupby
from multiprocessing import Pool
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from accuracy import GOOD
from broad import known_photos, truth_of
from strokes import next_mark

from zero_easel.core.clearing.cutout import finished
from zero_easel.core.clearing.lesson import lesson_of, marks_by
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.clearing.matte import edge_of
from zero_easel.core.clearing.region import Region, decide
from zero_easel.core.clearing.sight import Sight, look_again, look_at
from zero_easel.core.light.colour import Encoded
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.decoding import read_photo

_MOST, _NOTABLE, _SURER = 6, 0.003, 0.1


class Seen(NamedTuple):
    """A photo with some marks."""

    sight: Sight
    region: Region
    overlap: float
    confidence: float
    found: np.ndarray


def main() -> None:
    """Try, count, print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--json", type=Path)
    args = parser.parse_args()
    shoots = [list(g) for _, g in groupby(known_photos(args.folder), key=lambda p: p.stem.rpartition("-")[0])]
    with Pool() as pool:
        rows = [row for found in pool.imap(of_shoot, shoots, 1) for row in found]
    for name, part in (("all that change", rows), ("offered", [r for r in rows if r["surer"] >= _SURER])):
        before, after = (np.array([r[k] for r in part]) for k in ("before", "after"))
        better, worse = (after > before + _NOTABLE).sum(), (after < before - _NOTABLE).sum()
        print(
            f"{name}: {len(part)}, overlap {before.mean():.3f} -> {after.mean():.3f}, {better} better, {worse} worse, "
            f"{(after >= GOOD).sum()} good now"
        )
    if args.json:
        args.json.write_text(json.dumps(rows, indent=1))


def of_shoot(photos: list[Path]) -> list[dict]:
    """A row for each photo that each teacher changes."""
    cv2.setNumThreads(1)
    opened = {p: (read_photo(p).pixels, cv2.imread(str(truth_of(p)), cv2.IMREAD_GRAYSCALE) > 127) for p in photos}
    first = {p: seen(pixels, truth, look_at(pixels, []), []) for p, (pixels, truth) in opened.items()}
    wrong = [p for p in photos if first[p].overlap < GOOD]
    rows = []
    for teacher in wrong:
        right = corrected(*opened[teacher], first[teacher])
        if right.overlap < GOOD:
            continue
        lesson = lesson_of(right.sight, right.region)
        for other in wrong:
            before = first[other]
            marks = marks_by(lesson, before.sight, before.region) if other != teacher else []
            if marks:
                after = seen(*opened[other], before.sight, marks)
                rows.append({"teacher": teacher.stem, "photo": other.stem, "before": before.overlap,
                             "after": after.overlap, "surer": after.confidence - before.confidence})  # fmt: skip
    return rows


def corrected(pixels: Encoded, truth: np.ndarray, now: Seen) -> Seen:
    """A photo after the hand's strokes."""
    marks: list[Mark] = []
    first = now.sight
    while now.overlap < GOOD and len(marks) < _MOST:
        marks.append(next_mark(now.found, truth))
        now = seen(pixels, truth, first, marks)
    return now


def seen(pixels: Encoded, truth: np.ndarray, sight: Sight, marks: list[Mark]) -> Seen:
    """A photo with marks; sight: without."""
    frame = Size.of(pixels)
    again = look_again(sight, marks, frame)
    region = decide(again, frame, marks)
    item = finished(pixels, again, region, edge_of(again, region), marks)
    found = item.whole()[..., 3] > 127
    union = int((found | truth).sum())
    return Seen(again, region, float((found & truth).sum() / union) if union else 1.0, item.confidence, found)


if __name__ == "__main__":
    main()
