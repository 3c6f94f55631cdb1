"""What general-purpose libraries give on the same photos: three references to measure against.

    .venv/bin/python bench/references.py

They take a quarter of an hour and do not depend on our engine: the scores are kept in bench/references.json, from where
bench/accuracy.py takes them.

threshold: distance from the rim's colour in CIELAB, cut by Otsu's method. grabcut: OpenCV's GrabCut from a rectangle
around the frame. closed_form: closed-form matting (Levin, Lischinski & Weiss, IEEE TPAMI 2008) given a trimap that was
derived from the truth, an upper reference.
"""

import json
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from scipy import ndimage as ndi
from scipy import sparse
from scipy.sparse.linalg import cg
from scoring import PHOTOS, TRUTH, score, stems

from zero_easel.core.photos.decoding import read_photo

KEPT = Path(__file__).with_name("references.json")

EPSILON = 1e-5
_UNKNOWN = 4
"""Half width of the trimap's unknown band around every soft edge of the truth, px."""


def threshold(photo: np.ndarray, _truth: np.ndarray) -> np.ndarray:
    """(h, w, 3) uint8 sRGB -> (h, w) uint8."""
    lab = cv2.cvtColor(photo.astype(np.float32) / 255, cv2.COLOR_RGB2LAB)
    edge = np.concatenate([lab[:20].reshape(-1, 3), lab[-20:].reshape(-1, 3), lab[:, :20].reshape(-1, 3)])
    distance = np.linalg.norm(lab - np.median(edge, 0), axis=2)
    levels = np.clip(distance * 3, 0, 255).astype(np.uint8)
    return cv2.threshold(levels, 0, 255, cv2.THRESH_BINARY + cv2.THRESH_OTSU)[1]


def grabcut(photo: np.ndarray, _truth: np.ndarray, side: int = 1500) -> np.ndarray:
    """(h, w, 3) uint8 sRGB -> (h, w) uint8, decided at a longer side of `side` px."""
    h, w = photo.shape[:2]
    scale = min(1.0, side / max(h, w))
    small = cv2.resize(photo, (round(w * scale), round(h * scale)), interpolation=cv2.INTER_AREA)
    sh, sw = small.shape[:2]
    inset = round(0.02 * min(sh, sw))
    mask = np.zeros((sh, sw), np.uint8)
    rectangle = (inset, inset, sw - 2 * inset, sh - 2 * inset)
    cv2.setRNGSeed(0)
    cv2.grabCut(
        small[..., ::-1].copy(), mask, rectangle, np.zeros((1, 65)), np.zeros((1, 65)), 5, cv2.GC_INIT_WITH_RECT
    )
    item = np.isin(mask, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8) * 255
    return cv2.resize(item, (w, h), interpolation=cv2.INTER_LINEAR)


def closed_form(photo: np.ndarray, truth: np.ndarray) -> np.ndarray:
    """(h, w, 3) uint8 sRGB and the true matte -> (h, w) uint8, solved in the trimap's unknown band alone."""
    size = 2 * _UNKNOWN + 1
    kernel = cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (size, size))
    front, back = cv2.erode((truth == 255).astype(np.uint8), kernel), cv2.erode((truth == 0).astype(np.uint8), kernel)
    known = (front | back).astype(bool)
    laplacian, rows = _laplacian(photo.astype(np.float64) / 255, known)
    hard = known.ravel()[rows].astype(np.float64) * 100
    right = hard * front.ravel()[rows]
    system = laplacian + sparse.diags(hard)
    solved, _ = cg(system, right, rtol=1e-6, maxiter=5000, M=sparse.diags(1 / system.diagonal()))
    alpha = front.astype(np.float64).ravel()
    alpha[rows] = np.clip(solved, 0, 1)
    return np.round(255 * np.where(known, front, alpha.reshape(known.shape))).astype(np.uint8)


def _laplacian(image: np.ndarray, known: np.ndarray) -> tuple[sparse.csr_matrix, np.ndarray]:
    """The matting Laplacian over all 3 x 3 windows that hold an unknown pixel, and the flat indices of its rows."""
    w = known.shape[1]
    centres = ndi.binary_dilation(~known, np.ones((3, 3)))
    centres[[0, -1]] = centres[:, [0, -1]] = False
    y, x = np.nonzero(centres)
    around = np.stack([(y + dy) * w + x + dx for dy in (-1, 0, 1) for dx in (-1, 0, 1)], 1)
    colours = image.reshape(-1, 3)[around]
    centred = colours - colours.mean(1, keepdims=True)
    covariance = np.einsum("nki,nkj->nij", centred, centred) / 9 + EPSILON / 9 * np.eye(3)
    similar = (1 + np.einsum("nki,nij,nlj->nkl", centred, np.linalg.inv(covariance), centred)) / 9
    rows, index = np.unique(around, return_inverse=True)
    index = index.reshape(around.shape)
    first = np.repeat(index, 9, axis=1).ravel()
    second = np.tile(index, (1, 9)).ravel()
    count = len(rows)
    weights = sparse.coo_matrix((similar.ravel(), (first, second)), shape=(count, count)).tocsr()
    return sparse.diags(np.asarray(weights.sum(1)).ravel()) - weights, rows


METHODS = (threshold, grabcut, closed_form)


def main() -> None:
    """Score all methods on all photos and keep the result."""
    with Pool() as pool:
        rows = [row for found in pool.imap(measure, stems(), 1) for row in found]
    KEPT.write_text(json.dumps(rows, indent=1) + "\n")
    print(f"{len(rows)} scores are in {KEPT}")


def measure(stem: str) -> list[dict]:
    """Scores of one photo by each method."""
    cv2.setNumThreads(1)
    truth = cv2.imread(str(TRUTH / f"{stem}.alpha.png"), cv2.IMREAD_GRAYSCALE)
    pixels = read_photo(PHOTOS / f"{stem}.JPG").pixels
    rounded = {method.__name__: score(method(pixels, truth), truth) for method in METHODS}
    return [{"photo": stem, "as": name, **{k: round(v, 4) for k, v in row.items()}} for name, row in rounded.items()]


if __name__ == "__main__":
    main()
