"""Pictures an hour through the whole job, by one worker and by two, as processes here and as Dask workers here.

    .venv/bin/python bench/throughput.py [--sizes 2 6 24] [--photos 10] [--turns 2]

The whole job: decode, read codes, clear, place, draw two deliverables (2000 px JPEG, 240 px WebP), measure them,
all kept durably in a vault. Beside it, in the same run and on one core: the floor (decode the same file, encode
both pictures) and the plain script of speed.py, which makes one picture and reads no codes. Each figure is the best
of some turns taken in alternation; workers are warm. Memory is what the processes hold at most: this one, which
gives the work, and the largest worker.
"""

import argparse
import os
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterable
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import psutil
import pyvips
from speed import enlarged, plain

from zero_easel.core.clearing.cutout import ENGINE
from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Canvas
from zero_easel.engines.choosing import engine_of
from zero_easel.engines.engine import Engine, map_pieces
from zero_easel.library.store.vault import Vault, cutout_key
from zero_easel.pipeline import Task
from zero_easel.runs.work import Order, make_pictures, read_original

RULES = Standard(
    canvas=Canvas(width=2000, height=2000),
    deliverables=(
        Deliverable(name="shop", quality=90),
        Deliverable(name="thumbnail", size="longest", number=240, format="webp", folder="small"),
    ),
)
STEM = "BRYD0117"


class Taken(NamedTuple):
    """seconds: for all photos. giver, worker: MB of memory at most."""

    seconds: float
    giver: float
    worker: float


class Peaks:
    """Memory of this process and of the largest below it, while it is entered."""

    def __enter__(self) -> "Peaks":
        self.giver = self.worker = 0.0
        self._going = True
        self._thread = threading.Thread(target=self._look, daemon=True)
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._going = False
        self._thread.join()

    def _look(self) -> None:
        own = psutil.Process()
        while self._going:
            self.giver = max(self.giver, own.memory_info().rss / 1e6)
            for one in own.children(recursive=True):
                try:
                    self.worker = max(self.worker, one.memory_info().rss / 1e6)
                except psutil.Error:
                    continue
            time.sleep(0.05)


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--sizes", type=float, nargs="+", default=[2, 6, 24])
    parser.add_argument("--photos", type=int, default=10)
    parser.add_argument("--turns", type=int, default=2)
    args = parser.parse_args()
    head = ("Mpx", "by", "workers", "photos an hour and core", "two are", "of the floor", "giver MB", "worker MB")
    print(f"engine {ENGINE}, {args.photos} photos of each size\n\n| {' | '.join(head)} |")
    print("| ---: | --- | ---: | ---: | ---: | ---: | ---: | ---: |")
    for size in args.sizes:
        table(size, args.photos, args.turns)


def table(size: float, count: int, turns: int) -> None:
    """The rows of one size."""
    photos = [varied(enlarged(STEM, size), at) for at in range(count)]
    ways = [(kind, workers) for workers in (1, 2) for kind in ("local", "dask")]
    best: dict[tuple[str, int], Taken] = {}
    for _ in range(turns):
        for kind, workers in ways:
            taken = whole_job(photos, kind, workers)
            known = best.get((kind, workers), taken)
            best[kind, workers] = Taken(*(min(pair) for pair in zip(known, taken, strict=True)))
    least = min(timed(floor, photos[0]) for _ in range(2 * turns))
    for (kind, workers), taken in best.items():
        each = taken.seconds * workers / count
        faster = f"{best[kind, 1].seconds / taken.seconds:.2f} times one" if workers == 2 else ""
        print(
            f"| {size:g} | {kind} | {workers} | {3600 / each:.0f} | {faster} | {each / least:.1f} times "
            f"| {taken.giver:.0f} | {taken.worker:.0f} |",
            flush=True,
        )
    print(f"| {size:g} | floor | 1 | {3600 / least:.0f} | | 1 | | |")
    print(f"| {size:g} | plain script | 1 | {3600 / timed(plain, photos[0]):.0f} | | | | |", flush=True)


def varied(data: bytes, number: int) -> bytes:
    """The same photo with bytes of its own: a JPEG may be followed by anything."""
    return data + number.to_bytes(4, "big")


def timed(work: Callable[[bytes], object], data: bytes) -> float:
    started = time.perf_counter()
    work(data)
    return time.perf_counter() - started


def floor(data: bytes) -> None:
    """Decode in full; encode two pictures of the sizes that are made."""
    pixels = pyvips.Image.new_from_buffer(data, "").numpy()
    for side, ending in ((2000, ".jpg[Q=90]"), (240, ".webp[Q=90]")):
        rows, columns = (np.arange(side) * length // side for length in pixels.shape[:2])
        pyvips.Image.new_from_array(np.ascontiguousarray(pixels[rows][:, columns])).write_to_buffer(ending)


def whole_job(photos: list[bytes], kind: str, workers: int) -> Taken:
    """Of all photos, in a vault of its own."""
    with tempfile.TemporaryDirectory(prefix="throughput-") as folder:
        vault = Vault(Path(folder))
        vault.prepare()
        digests = [vault.keep(photo) for photo in photos]
        engine = engine_of(kind, "", workers)
        try:
            warm = [vault.keep(varied(photos[0], 1000 + at)) for at in range(2 * workers)]
            all_of(engine, vault, warm, run=1)
            with Peaks() as peaks:
                started = time.perf_counter()
                all_of(engine, vault, digests, run=2)
                seconds = time.perf_counter() - started
        finally:
            engine.close()
        return Taken(seconds, peaks.giver, peaks.worker)


def all_of(engine: Engine, vault: Vault, digests: list[str], run: int) -> None:
    """Read each photo, then make its pictures, as the dispatcher asks for it."""
    names = {at: f"{at}.jpg" for at in range(len(digests))}
    reading = ((at, (vault.location, digest, names[at])) for at, digest in enumerate(digests))
    done(map_pieces(engine, read_original, reading))
    making = []
    for at, digest in enumerate(digests):
        order = Order(digest, names[at], cutout_key(digest), (), ())
        parts = [
            (
                Task(one.name, f"{one.folder}{at}{one.kind.suffix}"),
                vault.picture(run, f"{one.name}-{at}{one.kind.suffix}"),
            )
            for one in RULES.deliverables
        ]
        making.append((at, (vault.location, order, RULES, parts, Subject(None, Size(0, 0)))))
    for result in done(map_pieces(engine, make_pictures, making)):
        assert not any(one.failure for one in result.made), result


def done(results: Iterable[tuple[int, Any]]) -> list[Any]:
    found = [result for _, result in results]
    for result in found:
        if isinstance(result, Exception):
            raise result
    return found


if __name__ == "__main__":
    for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "VIPS_CONCURRENCY"):
        if os.environ.get(name) != "1":  # libraries read these when they are loaded: begin again
            os.execve(sys.executable, [sys.executable, *sys.argv], os.environ | {name: "1"})
    main()
