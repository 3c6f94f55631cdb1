"""Lays photographic cutouts and textures into the stock.

    python training/things/prepare.py --stamps DIR --models DIR --stock build/stock

cutouts.txt names the pictures that are photographs, found by looking at all of them.
"""

import argparse
from pathlib import Path

import cv2
import numpy as np

SMALLEST = 128
"""Least side of a texture in px."""


def main() -> None:
    """Read, clean, write."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    for name in ("stamps", "models", "stock"):
        parser.add_argument(f"--{name}", type=Path, required=True)
    args = parser.parse_args()
    for line in Path(__file__).with_name("cutouts.txt").read_text().split():
        target = args.stock / "cutouts" / "stamps" / f"{Path(line).stem}.png"
        target.parent.mkdir(parents=True, exist_ok=True)
        cv2.imwrite(str(target), cleaned(cv2.imread(str(args.stamps / line), cv2.IMREAD_UNCHANGED)))
    for path in sorted(args.models.rglob("*.jpg")):
        picture = cv2.imread(str(path), cv2.IMREAD_COLOR)
        if picture is None or min(picture.shape[:2]) < SMALLEST:
            continue
        scale = min(1.0, 512 / max(picture.shape[:2]))
        picture = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
        target = (
            args.stock / "textures" / path.relative_to(args.models).parts[0] / f"{path.parent.name}-{path.stem}.jpg"
        )
        target.parent.mkdir(parents=True, exist_ok=True)
        cv2.imwrite(str(target), picture)


def cleaned(picture: np.ndarray) -> np.ndarray:
    """(h, w, 4) BGRA without what is hardly there, cropped to what is; the rim's colours come from inside."""
    alpha = picture[..., 3].astype(np.float32)
    alpha = np.where(alpha < 16, 0, np.minimum(255, (alpha - 16) * 255 / 224))
    solid = (alpha > 128).astype(np.uint8)
    labels, facts = cv2.connectedComponentsWithStats(solid)[1:3]
    large = facts[:, cv2.CC_STAT_AREA] > 0.002 * solid.sum()
    large[0] = False
    alpha = alpha * cv2.dilate(large[labels].astype(np.uint8), np.ones((5, 5), np.uint8))
    rows, columns = np.flatnonzero((alpha > 0).any(1)), np.flatnonzero((alpha > 0).any(0))
    sure = alpha > 250
    colour = picture[..., :3].astype(np.float32)
    near = (
        cv2.GaussianBlur(colour * sure[..., None], (0, 0), 2)
        / np.maximum(cv2.GaussianBlur(sure.astype(np.float32), (0, 0), 2), 1e-3)[..., None]
    )
    colour = np.where(
        sure[..., None],
        colour,
        np.where(cv2.GaussianBlur(sure.astype(np.float32), (0, 0), 2)[..., None] > 0.01, near, colour),
    )
    whole = np.dstack([colour, alpha]).round().clip(0, 255).astype(np.uint8)
    return whole[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]


if __name__ == "__main__":
    main()
