"""Whole pictures of 24-megapixel photos, 1400 px on their longest side, as JPEG: our `fit` beside libvips' own
thumbnailer on the same files, in the same number of processes, in alternation within one run: the thumbnailer as it
comes, and asked for what `fit` does (filtering in linear light, optimised tables of the JPEG).

    .venv/bin/python bench/whole.py [--count 60] [--jobs 2]
"""

import argparse
import os
import sys
import tempfile
import time
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from pathlib import Path

import cv2
import numpy as np
import pyvips

from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.engines.workers import Workers
from zero_easel.folder.batch import execute, prepare
from zero_easel.planning.whole import whole_standard

PHOTOS = Path(__file__).parent.parent / "src/zero_easel/demo/photos"
LONGEST, QUALITY, TURNS = 1400, 90, 3
_ONE_THREAD = {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "VIPS_CONCURRENCY": "1"}


def written(folder: Path, count: int) -> None:
    """24-megapixel photos with a camera's grain."""
    rng = np.random.default_rng(1)
    sources = sorted(PHOTOS.glob("*.[jJ][pP][gG]"))[:6]
    for at, source in enumerate(sources):
        large = cv2.resize(cv2.imread(str(source)), (6000, 4000), interpolation=cv2.INTER_CUBIC)
        noisy = np.clip(large + rng.normal(0, 3, large.shape).astype(np.float32), 0, 255).astype(np.uint8)
        data = cv2.imencode(".jpg", noisy, [cv2.IMWRITE_JPEG_QUALITY, 92])[1].tobytes()
        for copy in range(at, count, len(sources)):
            (folder / f"P{copy:04}.jpg").write_bytes(data)


def thumbnail(paths: tuple[Path, Path]) -> None:
    """libvips' thumbnailer on one file."""
    small = pyvips.Image.thumbnail(str(paths[0]), LONGEST, height=LONGEST, size="down")
    small.jpegsave(str(paths[1]), Q=QUALITY)


def alike(paths: tuple[Path, Path]) -> None:
    """The same, filtered in linear light and with optimised tables."""
    small = pyvips.Image.thumbnail(str(paths[0]), LONGEST, height=LONGEST, size="down", linear=True)
    small.jpegsave(str(paths[1]), Q=QUALITY, optimize_coding=True)


def by_libvips(one: Callable[[tuple[Path, Path]], None], photos: Path, out: Path, jobs: int) -> None:
    """All of a folder by its thumbnailer."""
    with ProcessPoolExecutor(jobs) as pool:
        list(pool.map(one, [(path, out / path.name) for path in sorted(photos.iterdir())], chunksize=4))


def by_fit(photos: Path, out: Path, jobs: int) -> None:
    """All of a folder as `zero-easel fit` makes it, with manifest and checks."""
    rules = whole_standard([Deliverable(name="pictures", size="longest", number=LONGEST, quality=QUALITY)])
    execute(prepare(photos, out, rules, [], [], cards=False, jobs=jobs), Workers(jobs), lambda *_: None)


def seconds(makes: Callable[[Path, Path, int], None], photos: Path, jobs: int) -> float:
    """Of one turn, into a folder of its own."""
    with tempfile.TemporaryDirectory() as out:
        started = time.perf_counter()
        makes(photos, Path(out), jobs)
        return time.perf_counter() - started


def main() -> None:
    """Print both and their ratio."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--count", type=int, default=60)
    parser.add_argument("--jobs", type=int, default=2)
    args = parser.parse_args()
    if not _ONE_THREAD.items() <= os.environ.items():  # libraries read these when they are loaded: begin again
        os.execve(sys.executable, [sys.executable, *sys.argv], os.environ | _ONE_THREAD)
    with tempfile.TemporaryDirectory() as place:
        photos = Path(place)
        written(photos, args.count)
        ways = (partial(by_libvips, thumbnail), partial(by_libvips, alike), by_fit)
        turns = [[seconds(way, photos, args.jobs) for way in ways] for _ in range(TURNS)]
    plain, like, ours = (min(column) for column in zip(*turns, strict=True))
    print(f"{args.count} photos, {args.jobs} processes: fit {ours:.1f} s; libvips' thumbnailer {plain:.1f} s, fit "
          f"{ours / plain:.2f} times; asked for the same {like:.1f} s, {ours / like:.2f} times")  # fmt: skip


if __name__ == "__main__":
    main()
