"""Deliver: what will be made and how much it will weigh, the run, and what came of it."""

import shutil
from collections import Counter
from collections.abc import Sequence
from typing import Annotated, NamedTuple

from fastapi import APIRouter, BackgroundTasks, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.layout import uncut_sizes
from zero_easel.core.placing.placement import NoteKind, Placement
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.patterns import PatternError
from zero_easel.core.standard.sizes import rules_on, size_of
from zero_easel.doors.out.targets import ways_of
from zero_easel.library.batches import ShootPlan, plan_shoot
from zero_easel.library.changes.matches import troubles_of
from zero_easel.library.changes.standards import all_standards
from zero_easel.library.lists.kept import kept
from zero_easel.library.lists.lines import doubtful, lines_of
from zero_easel.library.lists.lineup import RowEntry, laid_out, row_of
from zero_easel.library.store.models import Shoot
from zero_easel.pipeline import needs_cutout
from zero_easel.runs.forecast import forecast
from zero_easel.runs.service import RunError, ask_for_run, latest_run
from zero_easel.runs.trial import start_trial
from zero_easel.settings import needed_mb
from zero_easel.web.page import Bench, Db, Number, ShootById, bench_of, show
from zero_easel.web.screens.runs import run_context
from zero_easel.web.stages import stages

router = APIRouter()
_SURE, _ROUNDS = 0.2, 6
"""An estimate is sure enough if its range is no wider than this share of it; how often it is asked for again."""


@router.get("/shoots/{shoot_id}/deliver")
def deliver_page(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """What will be made, what has been made."""
    return _page(request, session, shoot)


@router.get("/shoots/{shoot_id}/estimate")
def estimate(request: Request, session: Db, bench: Bench, shoot: ShootById, turn: Number = 0) -> HTMLResponse:
    """How many bytes a run would make, from a sample; asked again while that makes it surer."""
    try:
        found = bench.estimator.estimate(session, bench.vault, shoot)
    except PatternError:
        found = []
    by_name = {one.deliverable: one for one in found}
    free = None if "://" in bench.vault.location else shutil.disk_usage(bench.vault.location).free
    unsure = any(one.high - one.low > _SURE * one.total for one in found)
    again = turn + 1 if unsure and turn < _ROUNDS else 0
    return show(
        request, "_estimate.html", estimates=by_name, rules=shoot.standard.rules, again=again, shoot=shoot, free=free
    )


@router.post("/shoots/{shoot_id}/trial")
def try_few(
    request: Request,
    session: Db,
    bench: Bench,
    shoot: ShootById,
    after: BackgroundTasks,
    chosen: Annotated[list[Number], Form(default_factory=list)],
) -> Response:
    """Start a trial over the photos that were chosen, or over a few."""
    try:
        run = start_trial(session, bench.vault, shoot, chosen)
    except RunError as error:
        return _page(request, session, shoot, str(error), 409)
    after.add_task(bench.dispatcher.wake)
    return RedirectResponse(f"/runs/{run.id}", 303)


@router.get("/shoots/{shoot_id}/ways")
def on_their_way(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """How far the pictures of a shoot are on their way to where they are handed over."""
    return show(request, "_ways.html", shoot=shoot, ways=ways_of(session, shoot))


@router.get("/shoots/{shoot_id}/forecast")
def what_would_be_made(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """What a run would make, and why."""
    try:
        told = forecast(session, shoot)
    except PatternError:
        told = None
    return show(request, "_forecast.html", told=told)


@router.post("/shoots/{shoot_id}/runs")
def run_shoot(
    request: Request, session: Db, bench: Bench, shoot: ShootById, after: BackgroundTasks, stop: str = Form("")
) -> Response:
    """Start a run over the shoot, at once or as soon as its photos have been read. stop: whether it rests as soon as a
    picture fails, "" for going on."""
    shoot.stop_at_failure = bool(stop)
    try:
        ask_for_run(session, bench.vault, shoot)
    except RunError as error:
        return _page(request, session, shoot, str(error), 409)
    after.add_task(bench.dispatcher.wake)
    return RedirectResponse(f"/shoots/{shoot.id}/deliver", 303)


def _page(request: Request, session: Db, shoot: Shoot, error: str = "", status: int = 200) -> HTMLResponse:
    plan: ShootPlan | None = None
    try:
        plan = plan_shoot(session, shoot)
    except PatternError as problem:
        error = f"The file names cannot be made: {problem}."
    run = latest_run(session, shoot.id)
    rules = shoot.standard.rules
    # Of this very plan, which is kept with it: another may have come since.
    key = ("delivered", shoot.id, id(plan), rules.model_dump_json())
    facts = kept(session, key, lambda: (plan, _facts(session, shoot, rules, plan)))[1]
    return show(
        request,
        "deliver.html",
        status,
        shoot=shoot,
        marks=stages(session, shoot),
        stage="deliver",
        error=error,
        clashes=plan.batch.clashes if plan else [],
        first=plan.batch.pictures[0] if plan and plan.batch.pictures else None,
        rules=rules,
        row=shoot.standard,
        standards=[(row.id, row.rules.name) for row in all_standards(session)],
        few=_few(request, facts.largest),
        ways=ways_of(session, shoot),
        **facts._asdict(),
        **(run_context(session, run) if run else {"run": None, "at": None}),
    )


class _Facts(NamedTuple):
    """What a run would make, as far as its photos tell. counts: pictures of each deliverable; sizes: theirs. look_at,
    staying, unsettled, unknown: photos with doubtful cutouts, that give no picture, whose match a person has to settle,
    without a product. largest: megabytes of memory that one takes. cut, enlarged: as _warnings has them."""

    planned: int
    counts: Counter[str]
    sizes: dict[str, "_Sizes"]
    look_at: int
    staying: int
    unsettled: int
    unknown: int
    largest: int
    cut: list[tuple[str, str]]
    enlarged: list[tuple[str, float]]


def _facts(session: Db, shoot: Shoot, rules: Standard, plan: ShootPlan | None) -> _Facts:
    lines = plan.lines if plan else lines_of(session, shoot.id)
    row = row_of(session, shoot.id)
    placements = laid_out(session, shoot.id, row, rules)
    planned = plan.pictures if plan else []
    photos = {line.id: line for line, _ in planned}
    return _Facts(
        len(planned),
        Counter(picture.deliverable for _, picture in planned),
        {d.name: _sizes(row, placements, rules, d) for d in rules.deliverables},
        sum(one.line.id in photos and needs_cutout(one.subject, rules) for one in row if doubtful(one.line)),
        len(lines) - len(photos),
        troubles_of(lines).count,
        sum(line.unmatched for line in photos.values()),
        max((needed_mb(*one.subject.frame) for one in row), default=0),
        *_warnings(row, placements),
    )


def _few(request: Request, largest: int) -> tuple[int, int] | None:
    """How many of the largest photos fit into memory at once, and how many megabytes one takes, if that is fewer than
    are worked on otherwise."""
    engine = bench_of(request).dispatcher.engine
    at_once = max(1, engine.megabytes // largest) if engine.megabytes and largest else engine.capacity
    return (at_once, largest) if at_once < engine.capacity else None


class _Sizes(NamedTuple):
    """Sizes of a deliverable's pictures: in words, and of each whole picture, by file name, where they differ."""

    text: str
    each: list[tuple[str, Size]]


def _sizes(
    row: Sequence[RowEntry], placements: Sequence[Placement | None], rules: Standard, wanted: Deliverable
) -> _Sizes:
    """What a deliverable's pictures will measure: items stand on its canvas, whole pictures may have sizes of their
    own."""
    pairs = zip(row, placements, strict=True)
    whole = [one for one, at in pairs if one.subject.frame.width and at is not None and at.rules.backdrop != "cleared"]
    if not whole:
        return _Sizes("{} × {}".format(*size_of(rules, wanted)), [])
    found = uncut_sizes([one.subject for one in whole], rules_on(rules, wanted))
    sizes = {*found, size_of(rules, wanted)} if len(whole) < len(row) else set(found)
    if len(sizes) == 1:
        return _Sizes("{} × {}".format(*found[0]), [])
    (left, right), (low, high) = ((min(side), max(side)) for side in zip(*sizes, strict=True))
    across = f"{left} to {right}" if left < right else f"{left}"
    down = f"{low} to {high}" if low < high else f"{low}"
    return _Sizes(f"{across} × {down}", [(one.line.name, size) for one, size in zip(whole, found, strict=True)])


def _warnings(
    row: Sequence[RowEntry], placements: Sequence[Placement | None]
) -> tuple[list[tuple[str, str]], list[tuple[str, float]]]:
    """Photos whose item would be cut off, with the sides; and photos that would be enlarged, with the factor."""
    cut, enlarged = [], []
    for entry, placement in zip(row, placements, strict=True):
        for note in placement.notes if placement is not None else ():
            if note.kind == NoteKind.CUT:
                cut.append((entry.line.name, note.text))
            if note.kind == NoteKind.ENLARGED and placement is not None:
                enlarged.append((entry.line.name, placement.scale))
    return cut, sorted(enlarged, key=lambda pair: -pair[1])
