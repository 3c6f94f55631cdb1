"""How many strokes a cutout needs until it is right, drawn by a simulated hand.

    .venv/bin/python bench/strokes.py FOLDER [--most 8] [--json FILE]

FOLDER holds photos and truth/STEM.alpha.png, as for bench/broad.py. The hand looks at where cutout and truth differ,
takes the largest connected difference, and marks its middle, the point farthest from its rim, as what it is: with a
dot of half the room that there is, but no more than 1.5 % of the frame, and at least one px (as interactive
segmentation is measured: Xu et al., CVPR 2016; Sofiiuk et al., ICIP 2022). It stops at an overlap of 0.97. Photos that
need no stroke do not count.
"""

import argparse
import json
import time
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from accuracy import GOOD
from broad import known_photos, truth_of

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.photos.decoding import read_photo


def main() -> None:
    """Draw, count, print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folder", type=Path)
    parser.add_argument("--most", type=int, default=8)
    parser.add_argument("--json", type=Path)
    args = parser.parse_args()
    photos = known_photos(args.folder)
    with Pool() as pool:
        rows = pool.map(partial(strokes_of, most=args.most), photos, 1)
    counts = np.array([row["strokes"] for row in rows if row["strokes"]])
    print(
        f"{len(counts)} of {len(rows)} photos are below {GOOD} at first. Strokes to {GOOD}: {counts.mean():.2f} (mean)"
    )
    for most in (1, 2, 3, 5, args.most):
        print(f"  within {most}: {(counts <= most).mean():.0%}")
    if args.json:
        args.json.write_text(json.dumps(rows, indent=1))


def strokes_of(photo: Path, most: int) -> dict:
    """Strokes until the cutout is good, most + 1 if it never is, and the overlaps on the way."""
    cv2.setNumThreads(1)
    opened = read_photo(photo)
    truth = cv2.imread(str(truth_of(photo)), cv2.IMREAD_GRAYSCALE) > 127
    marks: list[Mark] = []
    overlaps, seconds = [], []
    while True:
        started = time.perf_counter()
        found = cutout(opened, marks=marks).whole()[..., 3] > 127
        seconds.append(time.perf_counter() - started)
        union = int((found | truth).sum())
        overlaps.append(float((found & truth).sum() / union) if union else 1.0)
        if overlaps[-1] >= GOOD or len(marks) > most:
            return {"photo": photo.stem, "strokes": len(marks), "overlaps": overlaps, "seconds": seconds}
        marks.append(next_mark(found, truth))


def next_mark(found: np.ndarray, truth: np.ndarray) -> Mark:
    """A dot in the middle of the largest difference between two (h, w) bool masks, which must differ."""
    wrong = (found != truth).astype(np.uint8)
    labels, facts = cv2.connectedComponentsWithStats(wrong, connectivity=4)[1:3]
    largest = labels == 1 + int(np.argmax(facts[1:, cv2.CC_STAT_AREA]))
    depth = cv2.distanceTransform(np.pad(largest, 1).astype(np.uint8), cv2.DIST_L2, 5)[1:-1, 1:-1]
    y, x = np.unravel_index(int(np.argmax(depth)), depth.shape)
    radius = float(np.clip(depth[y, x] / 2, 1, 0.015 * max(truth.shape)))
    return Mark(kind="item" if truth[y, x] else "backdrop", points=((x + 0.5, y + 0.5),), radius=radius)


if __name__ == "__main__":
    main()
