"""A shoot of ten thousand photos, from bringing in to a second run, while its pages are looked at.

    .venv/bin/python bench/large_run.py [--photos 10000] [--write]

Small photos of distinct content are made from a few of the demo's, with a catalog of as many products. Bringing in,
matching, the runs and all pages are the application's own, in processes of their own. Cutouts are those of the few,
each in its photo's light, and what is read off photos is given: both take hours for so many, and are measured by
throughput.py. --write: docs/large_run.svg.
"""

import argparse
import json
import sqlite3
import statistics
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import replace
from pathlib import Path
from typing import Any

import cv2
import httpx
import numpy as np
import psutil
from sqlalchemy import insert, update

from zero_easel.core.finishing.encode import encode_webp
from zero_easel.core.items.item import CutItem
from zero_easel.core.photos.decoding import decode_photo
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Canvas
from zero_easel.library.changes.standards import change_rules
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Clearing, CutoutRow, Original, PhotoRow, Shoot
from zero_easel.library.store.vault import Vault, cutout_key
from zero_easel.pipeline import clear

HERE = Path(__file__).parent.parent
PHOTOS = HERE / "src/zero_easel/demo/photos"
OF = ("BRYD0105", "BRYD0111", "BRYD0126", "BRYD0129", "BRYD0135", "BRYD0141")
GAINS = tuple(np.linspace(0.9, 1.05, 8))
PAGES = {
    "Bring in": "/shoots/1/bring-in", "Match": "/shoots/1/match", "Clear": "/shoots/1/clear",
    "Light": "/shoots/1/light", "Place": "/shoots/1/place", "Name": "/shoots/1/names",
    "Deliver": "/shoots/1/deliver", "the run": "/runs/1", "the run, its part": "/runs/1 part", "shoots": "/",
}  # fmt: skip
ZERO_EASEL = str(Path(sys.executable).with_name("zero-easel"))
PORT = 8720


class Kind:
    """One of the few: a photo and its cutout, in each of some lights."""

    def __init__(self, name: str) -> None:
        pixels = cv2.imread(str(PHOTOS / f"{name}.JPG"))
        self.pixels = cv2.resize(pixels, (320, 240), interpolation=cv2.INTER_AREA)
        self.item = clear(decode_photo(cv2.imencode(".png", self.pixels)[1].tobytes(), name))
        self.kept = [self._packed(gain) for gain in GAINS]

    def photo(self, number: int, gain: float) -> bytes:
        noise = np.random.default_rng(number).normal(0, 1.5, self.pixels.shape)
        lit = np.clip(self.pixels * gain + noise, 0, 255).astype(np.uint8)
        return bytes(cv2.imencode(".jpg", lit, [cv2.IMWRITE_JPEG_QUALITY, 90])[1])

    def _packed(self, gain: float) -> tuple[CutItem, bytes, str, bytes]:
        pixels = self.item.pixels.copy()
        pixels[..., :3] = np.clip(pixels[..., :3] * gain, 0, 255)
        item = replace(self.item, pixels=pixels)
        return item, *item.packed(), encode_webp(pixels, 90)


def make(folder: Path, count: int, kinds: list[Kind]) -> None:
    for at in range(count):
        kind, gain = kinds[at % len(kinds)], GAINS[(at // len(kinds)) % len(GAINS)]
        (folder / f"LR-{at:06}_front.jpg").write_bytes(kind.photo(at, gain))
    rows = "\n".join(f"LR-{at:06},Thing {at},{('kitchen', 'garden')[at % 2]}" for at in range(count))
    (folder / "products.csv").write_text(f"code,name,category\n{rows}\n")


def seed(data: Path, kinds: list[Kind]) -> None:
    """Cutouts, as clearing would have stored them."""
    database, vault = Database(data / "zero-easel.sqlite"), Vault(data)
    with database.session() as session:
        shoot = session.get_one(Shoot, 1)
        rules = Standard(
            canvas=Canvas(width=600, height=600),
            deliverables=(Deliverable(name="shop"), thumbnail(200)),
        )
        change_rules(session, shoot.standard, rules)
        rows = session.execute(PhotoRow.__table__.select().order_by(PhotoRow.id)).all()
        cutouts, known = [], []
        for row in rows:
            at = int(row.name[3:9])
            item, png, facts, preview = kinds[at % len(kinds)].kept[(at // len(kinds)) % len(GAINS)]
            key = cutout_key(row.digest)
            for ending, content in ((".small.webp", preview), (".large.webp", preview), (".json", facts.encode())):
                vault.cutout(key).beside(ending).write(content, durable=False)
            vault.cutout(key).write(png, durable=False)
            height, width = item.pixels.shape[:2]
            cutouts.append(
                {
                    "key": key, "confidence": 0.97, "flags": tuple(item.flags), "left": item.left, "top": item.top,
                    "width": width, "height": height, "bounds": item.bounds, "measures": item.measures, "weight": 9000,
                    "seconds": 0.5,
                }
            )  # fmt: skip
            known.append({"id": row.id, "clearing": Clearing.DONE, "cutout_key": key})
        session.execute(insert(CutoutRow), cutouts)
        session.execute(update(PhotoRow), known)
        session.execute(update(Original).values(read=True, codes=(), blur=1.0))
    database.close()


def thumbnail(size: int) -> Deliverable:
    return Deliverable(name="thumbnail", size="longest", number=size, format="webp", folder="small")


class Watch:
    """Memory over time, and how long pages take, until it is stopped."""

    def __init__(self, process: int, address: str) -> None:
        self.memory: list[tuple[float, float, float]] = []
        self.pages: dict[str, list[float]] = {name: [] for name in PAGES}
        self._process, self._address = psutil.Process(process), address
        self._going, self._began = True, time.monotonic()
        self._threads = [threading.Thread(target=work, daemon=True) for work in (self._measure, self._look)]
        for thread in self._threads:
            thread.start()

    def stop(self) -> None:
        self._going = False
        for thread in self._threads:
            thread.join()

    def _measure(self) -> None:
        while self._going:
            below = [one.memory_info().rss for one in self._process.children(recursive=True) if one.is_running()]
            server = self._process.memory_info().rss
            self.memory.append((time.monotonic() - self._began, server / 1e6, max(below, default=0) / 1e6))
            time.sleep(1)

    def _look(self) -> None:
        with httpx.Client(base_url=self._address, timeout=120) as client:
            while self._going:
                for name, path in PAGES.items():
                    address, _, part = path.partition(" ")
                    started = time.perf_counter()
                    answer = client.get(address, headers={"HX-Request": "true"} if part else {})
                    if answer.status_code == 200:
                        self.pages[name].append(time.perf_counter() - started)
                    time.sleep(0.1)


def asked(data: Path, question: str) -> Any:
    with sqlite3.connect(f"file:{data / 'zero-easel.sqlite'}?mode=ro", uri=True, timeout=60) as connection:
        return connection.execute(question).fetchone()[0]


def until(data: Path, question: str, wanted: object, pause: float = 0.5) -> float:
    """Seconds until a question is answered so."""
    started = time.monotonic()
    while asked(data, question) != wanted:
        time.sleep(pause)
    return time.monotonic() - started


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--photos", type=int, default=10_000)
    parser.add_argument("--write", action="store_true")
    args = parser.parse_args()
    kinds = [Kind(name) for name in OF]
    with tempfile.TemporaryDirectory(prefix="large-run-") as place:
        photos, data = Path(place, "photos"), Path(place, "data")
        photos.mkdir()
        make(photos, args.photos, kinds)
        started = time.monotonic()
        subprocess.run(
            [ZERO_EASEL, "bring-in", photos, "--shoot", "Everything", "--data", data], check=True, capture_output=True
        )
        print(f"{args.photos:,} photos and products brought in: {time.monotonic() - started:.0f} s", flush=True)
        seed(data, kinds)
        server = subprocess.Popen(
            [ZERO_EASEL, "serve", "--data", str(data), "--port", str(PORT)], stdout=subprocess.PIPE, text=True
        )
        try:
            assert server.stdout is not None
            address = server.stdout.readline().split()[4]
            measured(server.pid, address, data, args)
        finally:
            server.terminate()
            server.wait(60)


def measured(process: int, address: str, data: Path, args: argparse.Namespace) -> None:
    with httpx.Client(base_url=address, timeout=600, follow_redirects=False) as client:
        while True:
            try:
                client.get("/status")
                break
            except httpx.ConnectError:
                time.sleep(0.2)
        read = until(data, "SELECT count(*) FROM shoot WHERE stale", 0)
        print(f"matched: {read:.1f} s", flush=True)
        watch = Watch(process, address)
        began = ended(client, data, 1)
        watch.stop()
        total = asked(data, "SELECT count(*) FROM picture WHERE run_id = 1 AND state = 'done'")
        print(f"run of {total:,} pictures: planned in {began[0]:.1f} s, made in {began[1]:.0f} s", flush=True)
        tell(watch)
        again = ended(client, data, 2)
        print(f"once more, nothing changed: {again[0] + again[1]:.1f} s", flush=True)
        change_thumbnail(data)
        started = time.monotonic()
        client.get("/shoots/1/forecast").raise_for_status()
        print(f"thumbnail changed, what would be made: {time.monotonic() - started:.1f} s", flush=True)
        third = planned(client)
        print(f"thumbnail changed, run planned: {third:.1f} s", flush=True)
    if args.write:
        (HERE / "docs/large_run.svg").write_text(drawn(watch))
    print(json.dumps({"server_mb": peak(watch, 1), "worker_mb": peak(watch, 2)}))


def planned(client: httpx.Client) -> float:
    started = time.monotonic()
    answer = client.post("/shoots/1/runs")
    assert answer.status_code == 303, answer.text[:500]
    return time.monotonic() - started


def ended(client: httpx.Client, data: Path, run: int) -> tuple[float, float]:
    """Seconds of planning and of making."""
    plan = planned(client)
    return plan, until(data, f"SELECT state FROM run WHERE id = {run}", "done", 0.2)


def change_thumbnail(data: Path) -> None:
    database = Database(data / "zero-easel.sqlite")
    with database.session() as session:
        row = session.get_one(Shoot, 1).standard
        change_rules(
            session, row, row.rules.model_copy(update={"deliverables": (Deliverable(name="shop"), thumbnail(280))})
        )
    database.close()


def peak(watch: Watch, column: int) -> int:
    return round(max(row[column] for row in watch.memory))


def tell(watch: Watch) -> None:
    for name, seconds in watch.pages.items():
        if len(seconds) > 1:
            ordered = sorted(seconds)
            last = ordered[min(len(ordered) - 1, int(0.99 * len(ordered)))]
            print(
                f"{name:20} {1000 * statistics.median(seconds):6.0f} ms, 99th {1000 * last:6.0f} ms, of {len(seconds)}"
            )
    tenth = max(1, len(watch.memory) // 10)
    for column, name in ((1, "server"), (2, "largest worker")):
        first, last = (
            statistics.median(row[column] for row in part)
            for part in (watch.memory[tenth : 2 * tenth], watch.memory[-tenth:])
        )
        print(
            f"{name}: {first:.0f} MB after a tenth, {last:.0f} MB at the end, {peak(watch, column)} MB at most",
            flush=True,
        )


def drawn(watch: Watch) -> str:
    """Memory over time."""
    wide, high, left, top = 720, 260, 56, 16
    end, most = watch.memory[-1][0], 100 * (1 + max(max(row[1:]) for row in watch.memory) // 100)

    def line(column: int) -> str:
        points = (
            f"{left + row[0] / end * wide:.1f},{top + high - row[column] / most * high:.1f}" for row in watch.memory
        )
        return " ".join(points)

    marks = "".join(
        f'<text x="{left - 8}" y="{top + high - mb / most * high + 4:.0f}" text-anchor="end">{mb:.0f}</text>'
        f'<path d="M{left} {top + high - mb / most * high:.1f}h{wide}" stroke="#d8d8d4"/>'
        for mb in range(0, int(most) + 1, 100)
    )
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {left + wide + 16} {top + high + 48}" '
        f'font-family="sans-serif" font-size="12" fill="#333"><rect width="100%" height="100%" fill="#fff"/>{marks}'
        f'<polyline points="{line(1)}" fill="none" stroke="#111" stroke-width="1.5"/>'
        f'<polyline points="{line(2)}" fill="none" stroke="#c98a00" stroke-width="1.5"/>'
        f'<text x="{left}" y="{top + high + 20}">0 s</text><text x="{left + wide}" y="{top + high + 20}" '
        f'text-anchor="end">{end:.0f} s</text><text x="{left}" y="{top + high + 40}">MB of memory during the run: '
        f"server (black), largest worker (ochre)</text></svg>\n"
    )


if __name__ == "__main__":
    main()
