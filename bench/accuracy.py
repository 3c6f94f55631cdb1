"""Scores cutouts of the demo shop's photos against exact truth, beside three references, and writes docs/accuracy.md.

    .venv/bin/python bench/accuracy.py [--variations] [--json FILE] [--cutouts FOLDER] [--write]

--variations adds changed versions of all photos. --cutouts scores existing FOLDER/STEM.png instead. --write puts the
tables between the marks in docs/accuracy.md. The references' scores are those that bench/references.py kept.
"""

import argparse
import json
import time
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from references import KEPT
from scoring import NAMES, PHOTOS, ROOT, TRUTH, score, stems
from variations import variations

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.items.flag import DOUBTFUL
from zero_easel.core.photos.decoding import Photo, decode_photo, read_photo

PAGE = ROOT / "docs/accuracy.md"
GOOD = 0.97
"""IoU of a cutout that needs no correction."""
_MARK = "<!-- {} of the tables that bench/accuracy.py writes -->"


def main() -> None:
    """Score, print, and write what was asked for."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--variations", action="store_true")
    parser.add_argument("--cutouts", type=Path)
    parser.add_argument("--json", type=Path)
    parser.add_argument("--write", action="store_true")
    args = parser.parse_args()
    with Pool() as pool:
        jobs = [(stem, args.variations, args.cutouts) for stem in stems()]
        rows = {(row["photo"], row["as"]): row for found in pool.starmap(measure, jobs, 1) for row in found}
    rows |= {(row["photo"], row["as"]): row for row in json.loads(KEPT.read_text())}
    tables = "\n\n".join(report(rows))
    print(tables)
    if args.json:
        args.json.write_text(json.dumps(list(rows.values()), indent=1))
    if args.write:
        write(tables)


def measure(stem: str, varied: bool, cutouts: Path | None) -> list[dict]:
    """All rows of one photo: as taken, and every variation."""
    cv2.setNumThreads(1)
    truth = cv2.imread(str(TRUTH / f"{stem}.alpha.png"), cv2.IMREAD_GRAYSCALE)
    if cutouts:
        alpha = cv2.imread(str(cutouts / f"{stem}.png"), cv2.IMREAD_UNCHANGED)[..., 3]
        return [_row(stem, "as taken", alpha, truth)]
    photo = read_photo(PHOTOS / f"{stem}.JPG")
    rows = [cleared(stem, "as taken", photo, truth)]
    if varied:
        seed = int("".join(c for c in stem if c.isdigit()))
        for name, pixels, changed in variations(photo.pixels, truth, seed):
            rows.append(cleared(stem, name, _photo(pixels), changed))
    return rows


def cleared(stem: str, kind: str, photo: Photo, truth: np.ndarray) -> dict:
    """Score of our own cutout."""
    started = time.perf_counter()
    item = cutout(photo)
    seconds = time.perf_counter() - started
    row = _row(stem, kind, item.whole()[..., 3], truth)
    return row | {"confidence": item.confidence, "seconds": seconds, "why": [f.code for f in item.flags]}


def _row(stem: str, kind: str, alpha: np.ndarray, truth: np.ndarray) -> dict:
    return {"photo": stem, "as": kind} | score(alpha, truth)


def _photo(pixels: np.ndarray) -> Photo:
    packed = cv2.imencode(".png", pixels[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])[1]
    return decode_photo(packed.tobytes(), "variation.png")


def report(rows: dict[tuple[str, str], dict]) -> list[str]:
    """The tables as Markdown."""
    own = [row for row in rows.values() if row["as"] == "as taken"]
    parts = [_table(("photo", *NAMES, "sure", "why look"), [_said(row) for row in own])]
    kinds = list(dict.fromkeys(kind for _, kind in rows))
    summary = []
    for kind in kinds:
        of = [row for row in rows.values() if row["as"] == kind]
        iou = np.array([row["iou"] for row in of])
        cells = [f"{np.median([row[n] for row in of]):.3f}" for n in NAMES]
        summary.append(
            (kind.replace("_", " "), *cells, f"{iou.mean():.3f}", f"{iou.min():.3f}", f"{(iou >= GOOD).mean():.0%}")
        )
    parts.append(_table(("median of", *NAMES, "mean iou", "worst iou", f"{GOOD} or better"), summary))
    grabcut = {row["photo"]: row["sad"] for row in rows.values() if row["as"] == "grabcut"}
    worse = [row["photo"] for row in own if row["sad"] >= grabcut.get(row["photo"], np.inf)]
    parts.append(f"SAD as taken is below GrabCut's on {len(own) - len(worse)} of {len(own)} photos.")
    judged = [row for row in rows.values() if "confidence" in row]
    if judged:
        parts += calibration(judged)
    return parts


def _said(row: dict) -> tuple[str, ...]:
    sure = f"{row['confidence']:.2f}" if "confidence" in row else ""
    return (row["photo"], *(f"{row[n]:.3f}" for n in NAMES), sure, ", ".join(row.get("why", [])))


def calibration(rows: list[dict]) -> list[str]:
    """How often cutouts of each confidence are good, and what is doubted rightly and wrongly."""
    sure, good = np.array([r["confidence"] for r in rows]), np.array([r["iou"] >= GOOD for r in rows])
    bins = [(0, 0.2), (0.2, 0.4), (0.4, 0.5), (0.5, 0.7), (0.7, 0.9), (0.9, 1.01)]
    lines = []
    for low, high in bins:
        here = (sure >= low) & (sure < high)
        if here.any():
            lines.append(
                (
                    f"{low:.1f} to {min(high, 1):.1f}",
                    str(here.sum()),
                    f"{sure[here].mean():.2f}",
                    f"{good[here].mean():.2f}",
                )
            )
    silent = [r for r in rows if r["iou"] < GOOD and r["confidence"] >= DOUBTFUL]
    named = "; ".join(f"{r['photo']} {r['as']} (iou {r['iou']:.3f}, sure {r['confidence']:.2f})" for r in silent)
    shown = int(((sure < DOUBTFUL) & good).sum())
    said = (
        f"Of {len(rows)} cutouts {(~good).sum()} are below {GOOD}; {len(silent)} of these have confidence {DOUBTFUL} "
        f"or more{f': {named}' if silent else ''}. Of the {good.sum()} good ones {shown} "
        f"({shown / max(1, good.sum()):.0%}) are shown for a look."
    )
    return [_table(("confidence", "cutouts", "mean confidence", "share that is good"), lines), said]


def _table(head: tuple[str, ...], rows: list[tuple[str, ...]]) -> str:
    lines = [" | ".join(head), " | ".join("---" if i == 0 else "---:" for i in range(len(head)))]
    return "\n".join(f"| {line} |" for line in [*lines, *(" | ".join(row) for row in rows)])


def write(tables: str) -> None:
    """Put the tables into the page."""
    begin, end = _MARK.format("Begin"), _MARK.format("End")
    before, rest = PAGE.read_text().split(begin)
    PAGE.write_text(f"{before}{begin}\n\n{tables}\n\n{end}{rest.split(end)[1]}")


if __name__ == "__main__":
    main()
