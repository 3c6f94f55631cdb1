"""Makes the broad test set: 12 families of 20 photos of things that are never trained on, with exact coverage.

    python training/things/testset.py --stock build/stock --out build/broad [--side measuring]

Writes FAMILY-NN.jpg (640 x 480 or upright) and truth/FAMILY-NN.alpha.png. Every photo follows from its side,
family and number alone. Things and textures are those that stock.py holds out: whole sources, and every sixth name of
the others. --side fitting makes the photos that constants are fitted on, of other things than those to measure on.
"""

import argparse
import zlib
from dataclasses import replace
from functools import lru_cache, partial
from multiprocessing import Pool
from pathlib import Path
from typing import NamedTuple

import cv2
import numpy as np
from composites import Wish, composite
from grounds import Place, corner, linear, room, sheet, sweep, table
from stock import UNSEEN, Side, Stock, stock_of

LONG, SHORT = 640, 480
COUNT = 20


class Family(NamedTuple):
    """place: what things are set before. wish: see composites."""

    place: str
    wish: Wish


FAMILIES = {
    "cutout-sweep": Family("sweep", Wish(things=1, colour="own", kind="cutout", cut=False)),
    "cutout-ground": Family("table", Wish(things=1, colour="own", kind="cutout", cut=False)),
    "cutout-room": Family("room", Wish(things=1, colour="own", kind="cutout", cut=False)),
    "paper": Family("sweep", Wish(things=1, colour="own", kind="cast", cut=False)),
    "white": Family("white", Wish(things=1, colour="alike", kind="cast", cut=False)),
    "one-stuff": Family("table", Wish(things=1, colour="alike", kind="cast", cut=False)),
    "thin": Family("any", Wish(things=1, kind="thin", cut=False)),
    "glass": Family("any", Wish(things=1, colour="glass", kind="cast", cut=False)),
    "dark": Family("dark", Wish(things=1, colour="alike", kind="cast", cut=False)),
    "sheet": Family("sheet", Wish(things=1, kind="cast", cut=False)),
    "many": Family("any", Wish(kind="cast", cut=False)),
    "close": Family("corner", Wish(things=1, kind="cast", share=0.97, cut=False)),
}


def main() -> None:
    """Make what is not there yet."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    for name in ("stock", "out"):
        parser.add_argument(f"--{name}", type=Path, required=True)
    parser.add_argument("--side", choices=UNSEEN, default="measuring")
    parser.add_argument("--processes", type=int, default=2)
    args = parser.parse_args()
    (args.out / "truth").mkdir(parents=True, exist_ok=True)
    jobs = [(family, k) for k in range(COUNT) for family in FAMILIES]
    with Pool(args.processes) as pool:
        pool.map(partial(_make, args.stock, args.out, args.side), jobs, 1)


def _make(folder: Path, out: Path, side: Side, job: tuple[str, int]) -> None:
    family, number = job
    target = out / f"{family}-{number:02d}.jpg"
    if target.exists():
        return
    cv2.setNumThreads(1)
    rng = np.random.default_rng([zlib.crc32(f"{side}/{family}".encode()), number])
    photo, truth = _drawn(rng, _stock(folder, side), FAMILIES[family])
    cv2.imwrite(str(out / "truth" / f"{family}-{number:02d}.alpha.png"), truth)
    part = target.with_suffix(".part.jpg")
    cv2.imwrite(str(part), photo[..., ::-1], [cv2.IMWRITE_JPEG_QUALITY, 93])
    part.rename(target)


@lru_cache(1)
def _stock(folder: Path, side: Side) -> Stock:
    """The first view of each thing that somebody modelled: the set stays as it is when more views are cast, and holds
    nothing that random shapes like those of training could have been."""
    found = stock_of(folder, side)
    return replace(found, things=_first_views(found.things), thin=_first_views(found.thin))


def _first_views(things: dict[str, list[Path]]) -> dict[str, list[Path]]:
    named = {name: [p for p in views if p.name.split(".")[1] == "0"] for name, views in things.items()}
    return {name: views for name, views in named.items() if views and not name.startswith("made-up/")}


def _drawn(rng: np.random.Generator, stock: Stock, family: Family) -> tuple[np.ndarray, np.ndarray]:
    size = (LONG, SHORT) if rng.uniform() < 0.75 else (SHORT, LONG)
    where = place_of(rng, size, stock, family.place)
    wish = family.wish
    if wish.things is None:
        wish = replace(wish, things=int(rng.integers(3, 13)))
    if family.place == "white":
        wish = replace(wish, hard=rng.uniform() < 0.6)
    while True:
        photo, truth = composite(rng, stock, size, wish, where)
        if (truth > 127).mean() > 0.01:
            return photo, truth


def place_of(rng: np.random.Generator, size: tuple[int, int], stock: Stock, kind: str) -> Place:
    """An empty place of a kind."""
    if kind == "any":
        kind = str(rng.choice(["sweep", "table", "sheet", "corner"]))
    if kind == "white":
        return sweep(rng, size, linear(np.clip(rng.uniform(225, 250) + rng.normal(0, 2, 3), 0, 254)))
    if kind == "dark":
        return sweep(rng, size, linear(np.clip(rng.uniform(10, 50) + rng.normal(0, 2, 3), 3, 254)))
    if kind == "sweep":
        return sweep(rng, size)
    if kind == "room":
        return room(rng, size, stock.textures, stock.prints)
    return {"table": table, "sheet": sheet, "corner": corner}[kind](rng, size, stock.textures)


if __name__ == "__main__":
    main()
