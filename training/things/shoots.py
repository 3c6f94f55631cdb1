"""Makes small shoots: several views of each of a few held-out things before one backdrop under one light.

    python training/things/shoots.py --models build/models --stock build/stock --out build/shoots [--shoots 30]

Writes SHOOT-VIEW.jpg and truth/SHOOT-VIEW.alpha.png for bench/neighbours.py: two things a shoot, three views each. Half
of the shoots are of things in the backdrop's own colour or stuff. Every shoot follows from its number alone.
"""

import argparse
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from cast import Cast, cast, posed
from composites import Wish, composite
from meshes import read_obj
from stock import Stock, side_of, stock_of
from testset import LONG, SHORT, place_of

THINGS, VIEWS = 2, 3
_PLACES = ("sweep", "table", "sheet", "corner", "white", "dark")


def main() -> None:
    """Make what is not there yet."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    for name in ("models", "stock", "out"):
        parser.add_argument(f"--{name}", type=Path, required=True)
    parser.add_argument("--shoots", type=int, default=30)
    parser.add_argument("--processes", type=int, default=2)
    args = parser.parse_args()
    (args.out / "truth").mkdir(parents=True, exist_ok=True)
    with Pool(args.processes) as pool:
        pool.map(partial(_make, args.models, args.stock, args.out), range(args.shoots), 1)


def _make(models: Path, folder: Path, out: Path, number: int) -> None:
    if (out / f"{number:02d}-{THINGS * VIEWS - 1}.jpg").exists():
        return
    cv2.setNumThreads(1)
    rng = np.random.default_rng([1234, number])
    stock = stock_of(folder, "measuring")
    where = place_of(rng, (LONG, SHORT), stock, _PLACES[number % len(_PLACES)])
    wish = Wish(things=1, colour="alike" if number // len(_PLACES) % 2 else "own", kind="cast", cut=False)
    files = sorted(models.rglob("*.obj"))
    files = [p for p in files if side_of(p.relative_to(models).parts[0], p.stem) == "measuring"]
    for thing in range(THINGS):
        for view, at_hand in enumerate(_views(rng, stock, files)):
            # The same chances for each view: one place, one light, one paint.
            chances = np.random.default_rng([4321, number, thing])
            photo, truth = composite(chances, at_hand, (LONG, SHORT), wish, where)
            stem = f"{number:02d}-{thing * VIEWS + view}"
            cv2.imwrite(str(out / "truth" / f"{stem}.alpha.png"), truth)
            cv2.imwrite(str(out / f"{stem}.jpg"), photo[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 93])


class _One:
    """A stock of a single cast."""

    def __init__(self, stock: Stock, made: Cast) -> None:
        self.textures, self._made = stock.textures, made

    def pick(self, rng: np.random.Generator, kind: str | None) -> Cast:
        """That one. rng, kind: are not looked at."""
        del rng, kind
        return self._made


def _views(rng: np.random.Generator, stock: Stock, files: list[Path]) -> list[_One]:
    while True:
        try:
            parts = read_obj(files[rng.integers(len(files))])
            made = [cast(posed(parts, rng), rng) for _ in range(VIEWS)]
        except (ValueError, IndexError):
            continue
        if all(view is not None for view in made):
            return [_One(stock, view) for view in made]


if __name__ == "__main__":
    main()
