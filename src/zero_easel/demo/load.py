"""Loads the demo shop into an empty library: one shoot brought in, one already run."""

import time
from importlib import resources

from rich.console import Console
from sqlalchemy import select

from zero_easel.core.standard.checks import Check
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.editing import added
from zero_easel.core.standard.information import Information
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.overlays import Overlay
from zero_easel.library.changes.repairs import import_shotlist
from zero_easel.library.changes.standards import add_standard
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import bring_in, create_shoot
from zero_easel.library.store.models import Run, Shoot
from zero_easel.runs.service import progress_of, start_run
from zero_easel.workbench import Workbench

BROUGHT_IN = "Autumn shelf"
"""Kitchen things, matched by their code cards; one card was forgotten, and one file was copied only in part."""
ALREADY_RUN = "Garden and pantry"

_PACKAGE = resources.files(__package__ or "zero_easel.demo")
_RUN = ("0126", "0127", "0129", "0130", "0114", "0115", "0135", "0136", "0141", "0142", "0144", "0145")
_RUNS_CARDS = ("0113", "0125", "0128", "0134", "0140", "0143")
_FORGOTTEN = ("0122",)
"""The vase's card: its two photos follow the bottle's."""


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
    finished = sorted(name for name in photos if name[4:8] in _RUN)
    elsewhere = {*_RUN, *_RUNS_CARDS, *_FORGOTTEN}
    with bench.database.session() as session:
        import_catalog(session, (_PACKAGE / "products.csv").read_bytes(), "products.csv")
        run = create_shoot(session, ALREADY_RUN)
        run.standard = add_standard(session, all_channels())
        import_shotlist(session, run, (_PACKAGE / "shotlist-garden.csv").read_bytes(), "shotlist-garden.csv")
        for name in finished:
            bring_in(session, bench.vault, run, photos[name], name)
        start_run(session, bench.vault, run)
        shelf = create_shoot(session, BROUGHT_IN)
        for name in sorted(photos):
            if name[4:8] not in elsewhere:
                bring_in(session, bench.vault, shelf, photos[name], name)
    bench.dispatcher.wake()


def all_channels() -> Standard:
    """The demo's second standard: several deliverables, a badge on reduced goods, and checks."""
    standard = Standard(
        name="All channels",
        deliverables=(
            Deliverable(name="shop", max_kb=120, overlays=("badge",)),
            Deliverable(name="thumbnail", size="longest", number=240, format="webp", folder="{deliverable}"),
            Deliverable(
                name="banner",
                size="exact",
                width=1600,
                height=500,
                ground="radial #FFFFFF #ECECE8",
                views="front",
                folder="{deliverable}",
            ),
        ),
        information=Information(
            creator="Brindle Yard", copyright="© 2026 Brindle Yard", keywords="{category}, {colour}"
        ),
        overlays=(
            Overlay(
                name="badge",
                text="−{discount} %",
                when="discount",
                plate="disc",
                plate_colour="#A8321E",
                colour="#FFFFFF",
            ),
        ),
    )
    asked = (
        Check(rule="size", value="1200 x 1200", only="shop"),
        Check(rule="bytes", value="at most 120", only="shop"),
        Check(rule="profile", value="sRGB"),
        Check(rule="ground", value="#FFFFFF within 1", only="shop, thumbnail"),
        Check(rule="share", value="at least 80", only="shop"),
        Check(rule="visible"),
        Check(rule="enlargement", value="at most 1.5", only="shop"),
    )
    return added(standard, "checks", *asked)


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
