"""Where the time goes, as ratios within one run.

    .venv/bin/python bench/speed.py [--photos 12]

For each of the demo shop's photos: reading, clearing and finishing on one thread, against the
time of reading it alone; then the whole folder through worker processes, with one and with all cores.
"""

import argparse
import time
from pathlib import Path

import cv2
import numpy as np

from zero_easel.core.photo import read_photo
from zero_easel.core.standard import Standard
from zero_easel.pipeline import clear, finish, picture_of
from zero_easel.runs.processes import map_processes
from zero_easel.settings import available_cores

PHOTOS = Path(__file__).parent.parent / "src/zero_easel/demo/photos"


def main() -> None:
    """Print seconds and ratios."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--photos", type=int, default=12)
    args = parser.parse_args()
    cv2.setNumThreads(1)
    paths, standard = sorted(PHOTOS.glob("*.JPG"))[: args.photos], Standard()
    clear(read_photo(paths[0]))
    stages = np.array([_stages(path, standard) for path in paths])
    read, cleared, finished = np.median(stages, 0)
    print(f"{'reading':<10}{read:8.3f} s   1.0")
    print(f"{'clearing':<10}{cleared:8.3f} s {cleared / read:5.1f} times reading")
    print(f"{'finishing':<10}{finished:8.3f} s {finished / read:5.1f} times reading")
    one, cores = _folder(paths, standard, 1), available_cores()
    many = _folder(paths, standard, cores)
    print(f"{len(paths)} photos with 1 process {one:.1f} s, with {cores} {many:.1f} s: {one / many:.2f} times as fast")


def _stages(path: Path, standard: Standard) -> tuple[float, float, float]:
    t0 = time.perf_counter()
    photo = read_photo(path)
    t1 = time.perf_counter()
    item = clear(photo)
    t2 = time.perf_counter()
    finish(item, standard, path.name)
    return t1 - t0, t2 - t1, time.perf_counter() - t2


def _folder(paths: list[Path], standard: Standard, jobs: int) -> float:
    started = time.perf_counter()
    for _, result in map_processes(picture_of, enumerate((path, standard) for path in paths), jobs):
        if isinstance(result, Exception):
            raise result
    return time.perf_counter() - started


if __name__ == "__main__":
    main()
