"""Many readers at once on one application: what they are answered, and how soon.

    python bench/readers.py [--readers 200] [--photos 8000] [--shoots 16] [--turns 5]

Each reader opens pages one after the other, as soon as it has the last: first page, a shoot's list and matches,
products, the status. Rows stand in for photos (large_shoot.py). Server and readers are two processes on this machine.
"""

import argparse
import asyncio
import multiprocessing
import random
import re
import socket
import statistics
import tempfile
import time
from collections import Counter
from pathlib import Path

import httpx
import uvicorn
from large_shoot import catalog
from sqlalchemy import insert

from zero_easel.library.changes.matches import rematch
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.models import Original, PhotoRow
from zero_easel.settings import Settings
from zero_easel.web.app import create_app
from zero_easel.web.server import answer_first
from zero_easel.workbench import Workbench, build_workbench


def fill(bench: Workbench, photos: int, shoots: int) -> None:
    """A library of some shoots, matched."""
    bench.vault.prepare()
    bench.database.migrate()
    each = photos // shoots
    with bench.database.session() as session:
        import_catalog(session, catalog(photos), "products.csv")
        digests = [f"{n:064x}" for n in range(photos)]
        facts = {"bytes": 5_000_000, "format": "JPEG", "width": 6000, "height": 4000, "bits": 8, "read": True}
        session.execute(insert(Original), [{"digest": digest, **facts} for digest in digests])
        for number in range(shoots):
            shoot = create_shoot(session, f"Shoot {number + 1}")
            rows = [
                {"shoot_id": shoot.id, "digest": digests[n], "name": f"BY-{100_000 + n // 2}_{n % 2}.jpg"}
                for n in range(number * each, (number + 1) * each)
            ]
            session.execute(insert(PhotoRow), [{**row, "clearing": "done"} for row in rows])
            rematch(session, shoot)
    bench.database.close()


def serve(folder: str, port: int) -> None:
    """The application without its dispatcher: nothing is to be cleared."""
    answer_first()
    app = create_app(build_workbench(Settings(data=Path(folder), jobs=1)))
    uvicorn.run(app, host="127.0.0.1", port=port, log_level="error", lifespan="off")


async def get(reader: asyncio.StreamReader, writer: asyncio.StreamWriter, page: str) -> int:
    """The status of a page, which is read to its end. As little as a reader can do: it shares the machine."""
    writer.write(f"GET {page} HTTP/1.1\r\nHost: 127.0.0.1\r\n\r\n".encode())
    head = await reader.readuntil(b"\r\n\r\n")
    length = re.search(rb"content-length: (\d+)", head)
    await reader.readexactly(int(length[1]) if length else 0)
    return int(head.split(b" ", 2)[1])


async def read(port: int, turns: int, shoots: int, seed: int) -> list[tuple[str, int, float]]:
    """What one reader is answered: page, status and seconds of each."""
    chance, answers = random.Random(seed), []
    reader, writer = await asyncio.open_connection("127.0.0.1", port)
    for _ in range(turns):
        shoot = chance.randint(1, shoots)
        for page in ("/", f"/shoots/{shoot}/bring-in", f"/shoots/{shoot}/match", "/products?q=thing+7", "/status"):
            began = time.perf_counter()
            status = await get(reader, writer, page)
            answers.append((page, status, time.perf_counter() - began))
    writer.close()
    return answers


async def all_readers(port: int, readers: int, turns: int, shoots: int) -> list[tuple[str, int, float]]:
    """The answers of all readers."""
    found = await asyncio.gather(*(read(port, turns, shoots, seed) for seed in range(readers)))
    return [answer for answers in found for answer in answers]


def main() -> None:
    """Print what came back."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    for name, default in (("readers", 200), ("photos", 8000), ("shoots", 16), ("turns", 5)):
        parser.add_argument(f"--{name}", type=int, default=default)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        fill(build_workbench(Settings(data=Path(folder), jobs=1)), args.photos, args.shoots)
        with socket.socket() as free:
            free.bind(("127.0.0.1", 0))
            port = free.getsockname()[1]
        server = multiprocessing.get_context("spawn").Process(target=serve, args=(folder, port))
        server.start()
        address = f"http://127.0.0.1:{port}"
        while True:
            try:
                httpx.get(f"{address}/status")
                break
            except httpx.ConnectError:
                time.sleep(0.1)
        alone = asyncio.run(all_readers(port, 1, args.turns, args.shoots))
        began = time.perf_counter()
        answers = asyncio.run(all_readers(port, args.readers, args.turns, args.shoots))
        seconds = time.perf_counter() - began
        server.terminate()
    print(f"{args.readers} readers, {len(answers)} pages in {seconds:.1f} s ({len(answers) / seconds:.0f} a second)")
    print("answers:", dict(sorted(Counter(status for _, status, _ in answers).items())))
    for kind, chosen in (("one reader alone", alone), ("all pages", answers),
                         ("/status", [a for a in answers if a[0] == "/status"])):  # fmt: skip
        waits = sorted(1000 * wait for _, _, wait in chosen)
        print(f"{kind}: median {statistics.median(waits):.0f} ms, 95 % within {waits[len(waits) * 95 // 100]:.0f} ms, "
              f"longest {waits[-1]:.0f} ms")  # fmt: skip


if __name__ == "__main__":
    main()
