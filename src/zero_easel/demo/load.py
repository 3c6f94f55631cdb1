"""Loads the demo shop into an empty library: one shoot brought in, one already run."""

import time
from importlib import resources

from rich.console import Console
from sqlalchemy import select

from zero_easel.library.models import Run, Shoot
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import bring_in, create_shoot, import_shotlist
from zero_easel.runs.service import progress_of, start_run
from zero_easel.workbench import Workbench

BROUGHT_IN = "Autumn shelf"
"""Kitchen things; its shot list lacks two photos, and one file was copied only in part."""
ALREADY_RUN = "Garden and pantry"

_PACKAGE = resources.files(__package__ or "zero_easel.demo")
_SHELF = ("0126", "0127", "0129", "0130", "0114", "0115", "0135", "0136", "0141", "0142", "0144", "0145")


def load_demo(bench: Workbench) -> None:
    """Fill the workbench's library unless it holds a shoot already; returns once the second shoot is run.

    Opens the workbench and closes it again.
    """
    bench.open()
    try:
        with bench.database.session() as session:
            if session.scalar(select(Shoot.id).limit(1)) is not None:
                return
        _bring_in_all(bench)
        _wait_for_run(bench)
    finally:
        bench.close()


def _bring_in_all(bench: Workbench) -> None:
    photos = {p.name: p.read_bytes() for p in sorted((_PACKAGE / "photos").iterdir(), key=lambda p: p.name)}
    finished = {name for name in photos if name[4:8] in _SHELF}
    with bench.database.session() as session:
        import_catalog(session, (_PACKAGE / "products.csv").read_bytes(), "products.csv")
        for shoot_name, names in ((ALREADY_RUN, finished), (BROUGHT_IN, photos.keys() - finished)):
            shoot = create_shoot(session, shoot_name)
            table = f"shotlist-{shoot_name.split()[0].lower()}.csv"
            import_shotlist(session, shoot.id, (_PACKAGE / table).read_bytes(), table)
            for name in sorted(names):
                bring_in(session, bench.vault, shoot, photos[name], name)
            if shoot_name == ALREADY_RUN:
                start_run(session, shoot)
    bench.dispatcher.wake()


def _wait_for_run(bench: Workbench) -> None:
    console = Console(stderr=True)
    with console.status("Preparing the demo shop Brindle Yard") as status:
        while True:
            with bench.database.session() as session:
                at = progress_of(session, session.scalars(select(Run)).one())
            if not at.running:
                return
            status.update(f"Preparing the demo shop Brindle Yard: {at.done + at.failed} of {at.total} pictures")
            time.sleep(0.2)
