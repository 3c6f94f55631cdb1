"""Colour that the old backdrop leaves on edges, before and after foreground estimation.

    .venv/bin/python bench/halo.py

Each of the demo shop's items, its colours continued beyond its edge so that they are known without any paper, is set
before paper of five colours with the truth's exact matte; that photo is cut out, and the cutout laid over black and
over white. Error: mean absolute difference, in 8-bit sRGB steps, to the same item laid over the same ground without
ever having been before paper, where the true matte is between 2 and 98 %. Before: with the photo's own colours.
"""

from multiprocessing import Pool

import cv2
import numpy as np
from scoring import PHOTOS, TRUTH, stems

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.light.fill import fill_from
from zero_easel.core.photos.decoding import decode_photo, read_photo

PAPERS = {
    "white": (236, 235, 232),
    "grey": (128, 128, 128),
    "black": (24, 24, 26),
    "green": (40, 150, 80),
    "red": (190, 40, 50),
}
GROUNDS = {"black": 0.0, "white": 1.0}


def main() -> None:
    """Print the table."""
    with Pool() as pool:
        found = np.array(pool.map(errors, stems(), 1))
    print("| paper | " + " | ".join(f"on {g}, before | on {g}, after" for g in GROUNDS) + " |")
    print("| --- |" + " ---: |" * (2 * len(GROUNDS)))
    for index, paper in enumerate(PAPERS):
        cells = np.median(found[:, index].reshape(len(found), -1), 0)
        print(f"| {paper} | " + " | ".join(f"{value:.1f}" for value in cells) + " |")


def errors(stem: str) -> list[list[tuple[float, float]]]:
    """Of one item: by paper, by ground, the errors before and after."""
    cv2.setNumThreads(1)
    truth = cv2.imread(str(TRUTH / f"{stem}.alpha.png"), cv2.IMREAD_GRAYSCALE)
    photo = to_linear(read_photo(PHOTOS / f"{stem}.JPG").pixels)
    alpha = (truth / np.float32(255))[..., None]
    sure = cv2.erode((truth == 255).astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    clean = np.where(sure[..., None], photo, fill_from(photo, sure))
    return [before_paper(clean, alpha, np.array(colour, np.uint8)) for colour in PAPERS.values()]


def before_paper(clean: np.ndarray, alpha: np.ndarray, colour: np.ndarray) -> list[tuple[float, float]]:
    """By ground, the errors of a clean item, (h, w, 3) linear, cut from paper of a colour."""
    rng = np.random.default_rng(0)
    light = to_linear(colour[None])[0] * np.linspace(1.05, 0.9, clean.shape[0])[:, None, None]
    seen = alpha * clean + (1 - alpha) * light
    seen = seen + rng.normal(0, 1, seen.shape) * np.sqrt(seen * 4e-5 + 1e-7)
    packed = cv2.imencode(".png", to_srgb8(seen.astype(np.float32))[..., ::-1], [cv2.IMWRITE_PNG_COMPRESSION, 1])[1]
    photo = decode_photo(packed.tobytes(), "item.png")
    whole = cutout(photo).whole()
    matte = whole[..., 3:] / np.float32(255)
    band = (alpha[..., 0] > 0.02) & (alpha[..., 0] < 0.98)
    found = []
    for ground in GROUNDS.values():
        wanted = over(clean, alpha, ground)[band]
        before, after = (
            over(to_linear(c), matte, ground)[band] for c in (photo.pixels, np.ascontiguousarray(whole[..., :3]))
        )
        found.append((np.abs(before - wanted).mean(), np.abs(after - wanted).mean()))
    return found


def over(colour: np.ndarray, alpha: np.ndarray, ground: float) -> np.ndarray:
    """Blended in linear light, as sRGB steps."""
    return to_srgb8((alpha * colour + (1 - alpha) * ground).astype(np.float32)).astype(np.float64)


if __name__ == "__main__":
    main()
