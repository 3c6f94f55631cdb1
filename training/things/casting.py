"""Casts views of 3D models and of made-up things into the stock.

    python training/casting.py --models build/models --stock build/stock --views 5 [--made-up 400] [--processes 2]

What is there already is left alone, so it can be stopped and started again. A model that cannot be read is named and
left out. Every view follows from its name and number.
"""

import argparse
import zlib
from collections.abc import Iterator
from functools import partial
from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from cast import Cast, cast, posed, save
from meshes import Part, parts_of, read_obj, standing


def main() -> None:
    """Cast all views, the first of each thing first."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--models", type=Path, required=True)
    parser.add_argument("--stock", type=Path, required=True)
    parser.add_argument("--views", type=int, default=5)
    parser.add_argument("--made-up", type=int, default=400)
    parser.add_argument("--processes", type=int, default=2)
    args = parser.parse_args()
    jobs = list(_jobs(args.models, args.views, args.made_up))
    with Pool(args.processes, maxtasksperchild=40) as pool:
        made = sum(pool.imap_unordered(partial(_make, args.stock / "casts"), jobs))
    print(f"{made} of {len(jobs)} views were made now")


Job = tuple[str, str, Path | None, int]


def _jobs(models: Path, views: int, made_up: int) -> Iterator[Job]:
    files = sorted(models.rglob("*.obj"))
    for view in range(views):
        for path in files:
            yield path.relative_to(models).parts[0], path.stem, path, view
        for number in range(view * made_up // views, (view + 1) * made_up // views):
            yield "made-up", f"{number:05d}", None, 0


def _make(folder: Path, job: Job) -> bool:
    source, name, path, view = job
    cv2.setNumThreads(1)
    stem = f"{name}.{view}"
    target = folder / source
    target.mkdir(parents=True, exist_ok=True)
    if any(target.glob(f"{stem}.*npz")):
        return False
    rng = np.random.default_rng([zlib.crc32(f"{source}/{name}".encode()), view])
    try:
        parts = read_obj(path) if path else _made_up(int(name))
        made = cast(posed(parts, rng) if view or not path else standing(_turned(parts, rng)), rng)
    except (ValueError, IndexError, KeyError, MemoryError) as error:
        print(f"{source}/{name}: {error}", flush=True)
        return False
    if made is None:
        return False
    save(target / f"{stem}.{'thin' if is_thin(made) else 'full'}.npz", made)
    return True


def _turned(parts: list[Part], rng: np.random.Generator) -> list[Part]:
    """Standing as it was modelled, turned by up to a third of a turn to either side."""
    from meshes import turned

    angle = rng.uniform(-2, 2)
    c, s = np.cos(angle), np.sin(angle)
    return turned(parts, np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]]))


def is_thin(made: Cast) -> bool:
    """Whether much of a thing is thin or holed."""
    cover = (made.cover > 127).astype(np.uint8)
    wide = max(3, round(0.05 * max(cover.shape)))
    opened = cv2.morphologyEx(cover, cv2.MORPH_OPEN, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide, wide)))
    closed = cv2.morphologyEx(cover, cv2.MORPH_CLOSE, cv2.getStructuringElement(cv2.MORPH_ELLIPSE, (wide, wide)))
    area = max(int(cover.sum()), 1)
    return opened.sum() < 0.65 * area or closed.sum() > 1.25 * area


def _made_up(number: int) -> list[Part]:
    import scenes  # needs the renderer's packages, and only here

    return parts_of(scenes.thing(scenes.Rng(np.random.PCG64([77, number]))))


if __name__ == "__main__":
    main()
