"""Fits the confidence: how probable a good cutout (IoU of 0.97 or more) is, given what is measured on it.

    PYTHONPATH=bench .venv/bin/python training/calibrate.py build/fitting bench/scenes

Each folder holds photos and their exact coverage, as for bench/broad.py, of things that no network was trained on and
that nothing is measured on afterwards (things/testset.py --side fitting). Beside them, every second photo of the demo
shop takes part with all its variations (bench/variations.py); the other half is left to check by. Prints the weights
for src/zero_easel/core/clearing/doubt/signals.py and how well they do on the half that was left out.
"""

import argparse
from dataclasses import astuple, fields
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from accuracy import GOOD
from broad import known_photos, truth_of
from scipy.optimize import minimize
from scoring import PHOTOS, TRUTH, stems
from variations import variations

from zero_easel.core.clearing.doubt.signals import Signals, signals_of
from zero_easel.core.clearing.matte import edge_of
from zero_easel.core.clearing.region import decide
from zero_easel.core.clearing.sight import look_at
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.decoding import read_photo

Row = tuple[str, np.ndarray, float]


def main() -> None:
    """Measure, fit, print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folders", type=Path, nargs="+")
    args = parser.parse_args()
    with Pool() as pool:
        known = [photo for folder in args.folders for photo in known_photos(folder)]
        scenes = [row for rows in pool.imap(of_known, known, 4) for row in rows]
        photos = [row for rows in pool.imap(of_photo, stems(), 1) for row in rows]
    half = set(stems()[::2])
    used = scenes + [row for row in photos if row[0] in half]
    weights = fit(np.array([row[1] for row in used]), np.array([row[2] >= GOOD for row in used]))
    named = ", ".join(f"{field.name}={w:.2f}" for field, w in zip(fields(Signals), weights[1:], strict=True))
    print(f"bias {weights[0]:.2f}; {named}")
    for label, rows in (("fitted on", used), ("left out", [row for row in photos if row[0] not in half])):
        said(label, rows, weights)


def of_known(path: Path) -> list[Row]:
    """A photo as it is."""
    cv2.setNumThreads(1)
    truth = cv2.imread(str(truth_of(path)), cv2.IMREAD_GRAYSCALE)
    return measured(path.stem, read_photo(path).pixels, truth)


def of_photo(stem: str) -> list[Row]:
    """A photo of the demo shop and its variations."""
    cv2.setNumThreads(1)
    photo = read_photo(PHOTOS / f"{stem}.JPG").pixels
    truth = cv2.imread(str(TRUTH / f"{stem}.alpha.png"), cv2.IMREAD_GRAYSCALE)
    changed = variations(photo, truth, int(stem[4:]))
    return measured(stem, photo, truth) + [row for _, p, t in changed for row in measured(stem, p, t)]


def measured(name: str, photo: np.ndarray, truth: np.ndarray) -> list[Row]:
    """Signals and IoU; nothing where no item is found, which is always announced."""
    sight = look_at(photo, [])
    region = decide(sight, Size.of(photo), [])
    if not region.item.any():
        return []
    edge = edge_of(sight, region)
    box = edge.bounds
    alpha = np.zeros(truth.shape, np.uint8)
    alpha[box.part] = edge.solve(photo, box)[..., 3]
    found, wanted = alpha > 127, truth > 127
    overlap = (found & wanted).sum() / max(1, (found | wanted).sum())
    return [(name, np.array(astuple(signals_of(sight, region, edge))), float(overlap))]


def fit(signals: np.ndarray, good: np.ndarray) -> np.ndarray:
    """Bias and weights, none of them negative: each signal is a reason for doubt. Ridge-penalised likelihood."""
    x, y = np.column_stack([np.ones(len(signals)), signals]), ~good

    def loss(w: np.ndarray) -> float:
        z = x @ w
        return float((np.logaddexp(0, z) - y * z).sum() + 0.02 * (w[1:] ** 2).sum())

    start = np.concatenate([[-2.0], np.ones(signals.shape[1])])
    return minimize(loss, start, bounds=[(None, None)] + [(0, 40)] * signals.shape[1]).x


def said(label: str, rows: list[Row], weights: np.ndarray) -> None:
    """How the fit does."""
    sure = np.array([1 / (1 + np.exp(weights[0] + row[1] @ weights[1:])) for row in rows])
    good = np.array([row[2] >= GOOD for row in rows])
    silent, doubted = (sure[~good] >= 0.5).sum(), (sure[good] < 0.5).mean()
    print(
        f"{label}: {len(rows)} cutouts, {good.mean():.0%} good; {silent} bad ones silent, {doubted:.0%} good ones shown"
    )
    for row, s in sorted(zip(rows, sure, strict=True), key=lambda pair: -pair[1]):
        if row[2] < GOOD and s >= 0.5:
            print("   ", row[0], f"iou {row[2]:.3f} sure {s:.2f}", np.round(row[1], 2).tolist())


if __name__ == "__main__":
    main()
