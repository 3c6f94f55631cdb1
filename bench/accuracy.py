"""Cuts out the demo shop's photos and scores them against exact truth.

    .venv/bin/python bench/accuracy.py [--cutouts FOLDER] [--json FILE]

With --cutouts, existing cutouts STEM.png are scored instead. Prints a row per photo, then median and mean.
"""

import argparse
import json
import time
from pathlib import Path

import cv2
import numpy as np
from scoring import NAMES, score

from zero_easel.core.cutout import cutout
from zero_easel.core.photo import read_photo

ROOT = Path(__file__).parent.parent
PHOTOS = ROOT / "src/zero_easel/demo/photos"
TRUTH = ROOT / "tests/truth"


def main() -> None:
    """Score all photos with truth."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--cutouts", type=Path)
    parser.add_argument("--json", type=Path)
    args = parser.parse_args()
    rows = {}
    print(f"{'photo':<12}" + "".join(f"{n:>9}" for n in NAMES) + "  sure   seconds  why look")
    for file in sorted(TRUTH.glob("*.alpha.png")):
        stem = file.name.removesuffix(".alpha.png")
        truth = cv2.imread(str(file), cv2.IMREAD_GRAYSCALE)
        alpha, sure, seconds, flags = _existing(args.cutouts, stem) if args.cutouts else _fresh(stem)
        rows[stem] = score(alpha, truth) | {"confidence": sure, "seconds": seconds}
        print(f"{stem:<12}" + "".join(f"{rows[stem][n]:9.3f}" for n in NAMES)
              + f"  {sure:4.2f} {seconds:8.2f}  {', '.join(flags)}")  # fmt: skip
    for label, of in (("median", np.median), ("mean", np.mean)):
        values = "".join(f"{of([r[n] for r in rows.values()]):9.3f}" for n in (*NAMES, "confidence", "seconds"))
        print(f"{label:<12}{values}")
    if args.json:
        args.json.write_text(json.dumps(rows, indent=1))


def _fresh(stem: str) -> tuple[np.ndarray, float, float, list[str]]:
    photo = read_photo(PHOTOS / f"{stem}.JPG")
    started = time.perf_counter()
    cut = cutout(photo)
    seconds = time.perf_counter() - started
    return np.round(cut.matte * 255).astype(np.uint8), cut.confidence, seconds, [f.code for f in cut.flags]


def _existing(folder: Path, stem: str) -> tuple[np.ndarray, float, float, list[str]]:
    return cv2.imread(str(folder / f"{stem}.png"), cv2.IMREAD_UNCHANGED)[..., 3], 0.0, 0.0, []


if __name__ == "__main__":
    main()
