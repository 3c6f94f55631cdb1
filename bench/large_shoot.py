"""How a shoot of 5,000 photos and a catalog of 50,000 products feel: the list, matching, and the preview of names.

    .venv/bin/python bench/large_shoot.py [--photos 5000] [--products 50000]

Rows stand in for photos (no picture is decoded); all else is the application over a real data folder. Every figure is
the fastest of five, in milliseconds on the server.
"""

import argparse
import tempfile
import time
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path

from fastapi.testclient import TestClient
from sqlalchemy import insert, update

from zero_easel.library.changes.matches import rematch
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.models import Original, PhotoRow, Shoot
from zero_easel.settings import Settings
from zero_easel.web.app import create_app
from zero_easel.web.server import answer_first
from zero_easel.workbench import Workbench, build_workbench

TURNS = 5
VIEWS = ("front", "back")
START = datetime(2026, 11, 12, 8)


def catalog(count: int) -> bytes:
    """A product table."""
    rows = (f"BY-{100_000 + n},Thing {n},{('kitchen', 'garden', 'bath')[n % 3]},clay" for n in range(count))
    return ("code,name,category,material\n" + "\n".join(rows)).encode()


def fill(bench: Workbench, photos: int, products: int) -> None:
    """A library with one shoot, its photos named after products, two views each."""
    with bench.database.session() as session:
        import_catalog(session, catalog(products), "products.csv")
        shoot = create_shoot(session, "Everything")
        originals = [
            {
                "digest": f"{n:064x}",
                "bytes": 5_000_000 + n,
                "format": "JPEG",
                "width": 6000,
                "height": 4000,
                "bits": 8,
                "density": 300.0,
                "taken": START + timedelta(seconds=7 * n),
                "read": True,
                "codes": (),
                "blur": 1.1,
            }
            for n in range(photos)
        ]
        session.execute(insert(Original), originals)
        rows = [
            {
                "shoot_id": shoot.id,
                "digest": f"{n:064x}",
                "name": f"by{100_000 + n // 2}_{VIEWS[n % 2]}.jpg",
                "clearing": "done",
            }
            for n in range(photos)
        ]
        session.execute(insert(PhotoRow), rows)


def timed(work: Callable[[], object], prepare: Callable[[], object] = lambda: None) -> float:
    """Fastest of some turns, in milliseconds."""
    best = float("inf")
    for _ in range(TURNS):
        prepare()
        started = time.perf_counter()
        work()
        best = min(best, 1000 * (time.perf_counter() - started))
    return best


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--photos", type=int, default=5000)
    parser.add_argument("--products", type=int, default=50_000)
    args = parser.parse_args()
    answer_first()
    with tempfile.TemporaryDirectory() as folder:
        bench = build_workbench(Settings(data=Path(folder), jobs=1))
        bench.vault.prepare()
        bench.database.migrate()
        started = time.perf_counter()
        fill(bench, args.photos, args.products)
        print(f"{args.photos:,} photos, {args.products:,} products, made in {time.perf_counter() - started:.1f} s")

        def match() -> None:
            with bench.database.session() as session:
                rematch(session, session.get_one(Shoot, 1))

        def forget() -> None:
            with bench.database.session() as session:
                session.execute(update(PhotoRow).values(code="", view="", why=""))

        figures = {"matching all by name": timed(match, forget)}
        app = create_app(bench)
        app.state.bench = bench
        client = TestClient(app, base_url="http://127.0.0.1:8470")
        rules = {"name": "{category}-{code}_{view}_{n:03}", "folder": "{material}"}
        for what, work in {
            "list of photos, first page": lambda: client.get("/shoots/1/bring-in"),
            "list sorted by bytes": lambda: client.get("/shoots/1/bring-in?sort=bytes&down=true"),
            "match page": lambda: client.get("/shoots/1/match"),
            "preview of names": lambda: client.post("/shoots/1/names/try", data=rules),
            "suggestions while typing": lambda: client.get("/suggest?q=thing+49"),
            "search": lambda: client.get("/products?q=4999"),
        }.items():
            assert work().status_code == 200, what
            figures[what] = timed(work)
        for what, milliseconds in figures.items():
            print(f"{what:32} {milliseconds:8.0f} ms")
        bench.database.close()


if __name__ == "__main__":
    main()
