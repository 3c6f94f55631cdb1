"""One photo at 2, 6, 24 and 50 megapixels on one core: our whole job beside the least that any job must do, and beside
the plain script that a handy person would write.

    .venv/bin/python bench/speed.py [--photo STEM] [--sizes 2 6 24 50] [--profile]

Ours: camera JPEG -> finished 2000 x 2000 px JPEG. Floor: decode the same file in full and encode the finished picture.
Plain script: GrabCut at 1500 px, white ground, Lanczos to 2000 px, save. Each is the fastest of several turns taken in
alternation within one run; peak memory is that of a process that does nothing else.
"""

import argparse
import cProfile
import io
import multiprocessing
import os
import pstats
import re
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import cv2
import numpy as np
import pyvips
from PIL import Image
from references import grabcut

from zero_easel.core.finishing.embed import camera_of
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.assets import Assets
from zero_easel.core.photos.decoding import decode_photo
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.model import Deliverable, Standard
from zero_easel.core.standard.rules import Canvas
from zero_easel.pipeline import Source, Task, clear, picture_of

PHOTOS = Path(__file__).parent.parent / "src/zero_easel/demo/photos"
RULES = Standard(canvas=Canvas(width=2000, height=2000), deliverables=(Deliverable(quality=90),))
TURNS = 5
_ONE_THREAD = {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1", "VIPS_CONCURRENCY": "1"}


def main() -> None:
    """Print the table, or the profile."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--photo", default="BRYD0117")
    parser.add_argument("--sizes", type=float, nargs="+", default=[2, 6, 24, 50])
    parser.add_argument("--profile", action="store_true")
    args = parser.parse_args()
    if not _ONE_THREAD.items() <= os.environ.items():  # libraries read these when they are loaded: begin again
        os.execve(sys.executable, [sys.executable, *sys.argv], os.environ | _ONE_THREAD)
    if hasattr(os, "sched_setaffinity"):
        os.sched_setaffinity(0, {min(os.sched_getaffinity(0))})
    cv2.setNumThreads(1)
    if args.profile:
        profile(enlarged(args.photo, args.sizes[-1]))
        return
    head = (
        "megapixels",
        "ours, s",
        "floor, s",
        "plain, s",
        "ours / floor",
        "plain / ours",
        "s per megapixel",
        "peak MB",
    )
    print(f"| {' | '.join(head)} |")
    print("| ---: | ---: | ---: | ---: | ---: | ---: | ---: | ---: |")
    for size in args.sizes:
        data = enlarged(args.photo, size)
        result = np.asarray(Image.open(io.BytesIO(ours(data))))
        times = alternately([(ours, TURNS), (lambda d, r=result: floor(d, r), TURNS), (plain, 1)], data)
        own, least, script = times
        peak = peak_memory(data)
        print(
            f"| {size:g} | {own:.3f} | {least:.3f} | {script:.2f} | {own / least:.1f} | {script / own:.1f} "
            f"| {own / size:.4f} | {peak:.0f} |",
            flush=True,
        )


def enlarged(stem: str, megapixels: float) -> bytes:
    """The photo at a size, with the grain that a camera of that size would have, as JPEG of quality 92."""
    small = cv2.imread(str(PHOTOS / f"{stem}.JPG"))
    scale = (megapixels * 1e6 / (small.shape[0] * small.shape[1])) ** 0.5
    large = cv2.resize(small, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    grain = np.random.default_rng(0).normal(0, 2.0, (512, 512, 3))
    tiled = np.tile(grain, (large.shape[0] // 512 + 1, large.shape[1] // 512 + 1, 1))[
        : large.shape[0], : large.shape[1]
    ]
    noisy = np.clip(large + tiled, 0, 255).astype(np.uint8)
    return cv2.imencode(".jpg", noisy, [cv2.IMWRITE_JPEG_QUALITY, 92])[1].tobytes()


def ours(data: bytes) -> bytes:
    """The whole job."""
    photo, subject = decode_photo(data, "photo.jpg"), Subject(None, Size(0, 0))
    source = Source(photo.name, lambda _scale: photo, lambda: clear(photo), lambda: camera_of(data))
    return picture_of(source, subject, RULES, Task("shop", "photo.jpg"), Assets()).data


def floor(data: bytes, result: np.ndarray) -> bytes:
    """Decode the photo in full; encode the finished picture, given as its pixels."""
    pyvips.Image.new_from_buffer(data, "").numpy()
    return pyvips.Image.new_from_array(result).jpegsave_buffer(Q=90)


def plain(data: bytes) -> bytes:
    """What a handy person would write."""
    photo = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_COLOR)[..., ::-1]
    mask = grabcut(np.ascontiguousarray(photo), np.empty(0)).astype(np.float32)[..., None] / 255
    white = (photo * mask + 255 * (1 - mask)).astype(np.uint8)
    picture = Image.fromarray(white)
    picture.thumbnail((2000, 2000), Image.Resampling.LANCZOS)
    canvas = Image.new("RGB", (2000, 2000), "white")
    canvas.paste(picture, ((2000 - picture.width) // 2, (2000 - picture.height) // 2))
    out = io.BytesIO()
    canvas.save(out, "JPEG", quality=90)
    return out.getvalue()


def alternately(tasks: list[tuple[Callable[[bytes], bytes], int]], data: bytes) -> list[float]:
    """Fewest seconds of each task, taken in turns: on a shared machine all that is above them is the neighbours'."""
    taken: list[list[float]] = [[] for _ in tasks]
    for turn in range(max(count for _, count in tasks)):
        for found, (task, count) in zip(taken, tasks, strict=True):
            if turn < count:
                started = time.perf_counter()
                task(data)
                found.append(time.perf_counter() - started)
    return [min(found) for found in taken]


def peak_memory(data: bytes) -> float:
    """Largest resident memory, MB, of a new process that does our job once."""
    with tempfile.NamedTemporaryFile(suffix=".jpg") as file:
        file.write(data)
        file.flush()
        context = multiprocessing.get_context("spawn")
        with context.Pool(1) as pool:
            return pool.apply(_peak, (file.name,))


def _peak(path: str) -> float:
    cv2.setNumThreads(1)
    ours(Path(path).read_bytes())
    # What getrusage gives may be the parent's peak, which a new process starts with.
    status = Path("/proc/self/status").read_text()
    return int(re.search(r"VmHWM:\s*(\d+)", status)[1]) / 1024


def profile(data: bytes) -> None:
    """Where our time goes, after a first turn that loads everything."""
    ours(data)
    profiler = cProfile.Profile()
    profiler.enable()
    ours(data)
    profiler.disable()
    pstats.Stats(profiler).sort_stats("tottime").print_stats(25)


if __name__ == "__main__":
    main()
