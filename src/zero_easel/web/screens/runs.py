"""Runs: their list, progress, results as a sheet, a table or checks, one picture by itself, and what is handed
over."""

from contextlib import suppress
from html import escape
from typing import Annotated, Any

from fastapi import APIRouter, BackgroundTasks, Form, Request
from fastapi.responses import HTMLResponse, PlainTextResponse, RedirectResponse, Response, StreamingResponse
from pydantic import ValidationError
from sqlalchemy import func, select
from starlette.concurrency import run_in_threadpool

from zero_easel.core.finishing.contact_sheet import ContactSheet
from zero_easel.core.standard.checks import KINDS
from zero_easel.core.standard.deliverable import FORMATS
from zero_easel.core.standard.naming import portable
from zero_easel.core.standard.patterns import PatternError
from zero_easel.library.shoots import waits_for_clearing
from zero_easel.library.store.models import PhotoRow, PictureRow, Run, RunState
from zero_easel.runs.again import start_again
from zero_easel.runs.archive import copy_out, lists_of, stream_archive
from zero_easel.runs.contact_sheets import sheet_of
from zero_easel.runs.differing import compared, earlier_runs
from zero_easel.runs.results import latest_of, neighbours_of, page_of, results_of, unmet_rules
from zero_easel.runs.service import UNDER_WAY, RunError, go_first, other_runs_go, progress_of, set_state, try_again
from zero_easel.web.guards.rights import Asking
from zero_easel.web.guards.who import still_signed_in
from zero_easel.web.news import News
from zero_easel.web.page import Bench, Db, Number, RunById, bench_of, file_size, found, is_partial, plural, show

router = APIRouter()
_STATES = {"pause": RunState.PAUSED, "stop": RunState.STOPPED, "continue": RunState.RUNNING}
_LIST_TYPES = {"csv": "text/csv; charset=utf-8", "json": "application/json", "jsonld": "application/ld+json"}
VIEWS = ("sheet", "table", "checks", "line")
"""Ways to show what is finished; "line" tells of it only."""
_LATEST = 14
"""Pictures that are shown while more are made."""


@router.get("/runs")
def list_runs(request: Request, session: Db) -> HTMLResponse:
    """All runs, the newest first."""
    runs = session.scalars(select(Run).order_by(Run.id.desc()).limit(200)).all()
    return show(request, "runs.html", runs=[(run, progress_of(session, run)) for run in runs])


@router.get("/runs/{run_id}")
def run_page(
    request: Request,
    session: Db,
    run: RunById,
    show_as: str = "sheet",
    deliverable: str = "",
    sort: str = "",
    page: Number = 1,
) -> HTMLResponse:
    """Progress, and what is finished; its live part alone when asked for again."""
    template = "_run.html" if is_partial(request) else "run.html"
    answer = show(request, template, error="", **run_context(session, run, show_as, deliverable, sort, page))
    if run.state == RunState.DONE and request.headers.get("hx-current-url", "").split("?")[0].endswith("/deliver"):
        # Around it stands what can be done next, and that has changed.
        answer.headers["HX-Refresh"] = "true"
    return answer


def _no_sheet(request: Request, session: Db, run: Run, reason: str) -> HTMLResponse:
    return show(request, "run.html", 422, error=f"The sheet was not made: {reason}.", **run_context(session, run))


def run_context(
    session: Db, run: Run, show_as: str = "sheet", deliverable: str = "", sort: str = "", page: int = 1
) -> dict[str, Any]:
    """All that the part of a page about a run shows."""
    rules, at, results = run.rules, progress_of(session, run), results_of(session, run)
    show_as = show_as if show_as in VIEWS else "sheet"
    if at.running and show_as == "sheet":
        finished, pages = latest_of(session, run, _LATEST), 1
    elif show_as == "line":
        finished, pages = [], 1
    else:
        finished, pages = page_of(session, run, deliverable, "unmet" if show_as == "checks" else sort, page)
    return {
        "run": run,
        "at": at,
        "results": results,
        "run_rules": rules,
        "finished": finished,
        "run_page": min(max(1, page), pages),
        "run_pages": pages,
        "names": [d.name for d in rules.deliverables],
        "deliverable": deliverable,
        "sort": sort,
        "show_as": show_as,
        "asked": list(dict.fromkeys((check.rule, check.value) for check in rules.checks)),
        "cells": {picture.id: {(c.rule, c.value): c for c in picture.checks} for picture in finished},
        "failed_rules": unmet_rules(session, run) if results.failing else [],
        "kinds": KINDS,
        "others_go": other_runs_go(session, run),
        "earlier": next(iter(earlier_runs(session, run, 1)), None),
        "sheet": ContactSheet(),
        "formats": FORMATS,
    }


@router.post("/runs/{run_id}/state")
def change_state(
    request: Request,
    session: Db,
    bench: Bench,
    run: RunById,
    after: BackgroundTasks,
    wish: str = Form(),
    show_as: str = "sheet",
) -> Response:
    """Pause, stop or continue, try again what failed, or go before all other runs."""
    if wish == "again":
        try_again(session, run)
    elif wish == "first":
        go_first(session, run)
    else:
        # It may have ended while the button was on its way; the answer shows that.
        with suppress(RunError):
            set_state(session, run, found(_STATES.get(wish), "command"))
    session.flush()
    after.add_task(bench.dispatcher.wake)
    if is_partial(request):
        return run_page(request, session, run, show_as)
    return RedirectResponse(f"/runs/{run.id}", 303)


@router.post("/runs/{run_id}/again")
def again(
    request: Request,
    session: Db,
    bench: Bench,
    run: RunById,
    after: BackgroundTasks,
    longest: Annotated[Number, Form()],
    deliverable: str = Form(),
) -> Response:
    """The pictures of one deliverable once more, at another size."""
    try:
        made = start_again(session, bench.vault, run, deliverable, longest)
    except RunError as error:
        return show(request, "run.html", 409, error=str(error), **run_context(session, run))
    after.add_task(bench.dispatcher.wake)
    return RedirectResponse(f"/runs/{made.id}", 303)


@router.get("/runs/{run_id}/beside/{before_id}")
def beside(request: Request, session: Db, run: RunById, before_id: Number) -> HTMLResponse:
    """A run and an earlier one of its shoot: what is new, changed and gone."""
    others = earlier_runs(session, run)
    before = found(session.get(Run, before_id) if before_id in others else None, "earlier run of this shoot")
    told = compared(session, before, run)
    return show(request, "beside.html", run=run, before=before, others=others, told=told)


@router.get("/runs/{run_id}/archive")
def archive(session: Db, bench: Bench, run: RunById) -> StreamingResponse:
    """All that is handed over and the lists as one ZIP file, sent while it is made."""
    pieces = stream_archive(session, bench.vault, run)
    return StreamingResponse(pieces, media_type="application/zip", headers=_as_file(run, "zip"))


@router.post("/runs/{run_id}/copy")
def copy_to_folder(
    session: Db,
    bench: Bench,
    run: RunById,
    root: Annotated[Number, Form()],
    folder: str = Form(),
    dates: str = Form(""),
) -> HTMLResponse:
    """Copy what is handed over into a new folder, where the owner has allowed it."""
    folders = bench.settings.out_folders
    place = found(folders[root] if 0 <= root < len(folders) else None, "folder that may be written to")
    try:
        target, count = copy_out(session, bench.vault, run, place, folder, dates=bool(dates))
    except RunError as error:
        return HTMLResponse(f'<span class="fault">{escape(str(error))}</span>')
    return HTMLResponse(f"{plural(count, 'picture')} copied to {escape(str(target))}, with the lists.")


@router.get("/runs/{run_id}/list.{kind}")
def manifest(session: Db, run: RunById, kind: str) -> Response:
    """What became of each photo: manifest.csv, manifest.json or images.jsonld."""
    media = found(_LIST_TYPES.get(kind), "list")
    name = next(name for name in lists_of(session, run) if name.endswith(f".{kind}"))
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(lists_of(session, run)[name], media_type=media, headers=headers)


@router.get("/runs/{run_id}/sheet.pdf")
def sheet(
    request: Request,
    session: Db,
    bench: Bench,
    run: RunById,
    deliverable: str = "",
    per_page: str = "20",
    orientation: str = "portrait",
    gap: str = "5",
    caption: str = "{code}",
    caption_2: str = "{name}",
    title: str = "",
    numbers: str = "",
) -> Response:
    """A contact sheet of one deliverable as PDF."""
    try:
        rules = ContactSheet.model_validate(
            {
                "per_page": per_page,
                "orientation": orientation,
                "gap": gap.replace(",", "."),
                "caption": caption,
                "caption_2": caption_2,
                "title": title,
                "numbers": bool(numbers),
            }
        )
        data = sheet_of(session, bench.vault, run, deliverable, rules)
    except ValidationError as problem:
        first = problem.errors()[0]
        message = str(first["msg"]).removeprefix("Value error, ")
        return _no_sheet(request, session, run, f"{first['loc'][0]}: {message}")
    except (PatternError, ValueError) as problem:
        return _no_sheet(request, session, run, str(problem))
    return Response(data, media_type="application/pdf", headers=_as_file(run, "pdf"))


def _as_file(run: Run, ending: str) -> dict[str, str]:
    name = portable(run.shoot.name).encode("ascii", "ignore").decode().replace('"', "").strip() or "shoot"
    return {"Content-Disposition": f'attachment; filename="{name}-run-{run.id}.{ending}"'}


@router.get("/news")
async def news(request: Request, who: Asking) -> StreamingResponse:
    """Says each time that something has changed, as server-sent events, as long as whoever asked is signed in."""
    told: News = request.app.state.news
    database = bench_of(request).database

    async def may() -> bool:
        return await run_in_threadpool(still_signed_in, database, who)

    return StreamingResponse(told.listen(may), media_type="text/event-stream", headers={"Cache-Control": "no-store"})


@router.get("/runs/{run_id}/told")
def told_at_the_end(session: Db, run: RunById) -> Response:
    """How a run ended, in a sentence; 204 as long as it has not."""
    if run.state in UNDER_WAY:
        return Response(status_code=204)
    at = progress_of(session, run)
    failed = f", {at.failed} failed" if at.failed else ""
    return PlainTextResponse(f"{run.name} over {run.shoot.name} is {at.state}: {plural(at.done, 'picture')}{failed}.")


@router.get("/status")
def status(session: Db, bench: Bench) -> HTMLResponse:
    """What is going on, in a few words for the foot of each page."""
    if bench.dispatcher.held_up:
        return HTMLResponse(f'<span class="call">Waiting: {escape(bench.dispatcher.held_up)}</span>')
    running = session.scalar(select(func.count()).select_from(Run).where(Run.state == RunState.RUNNING)) or 0
    clearing = session.scalar(select(func.count()).select_from(PhotoRow).where(waits_for_clearing(session))) or 0
    message = [plural(running, "run") + " under way"] if running else []
    message += [f"Clearing {plural(clearing, 'photo')}"] if clearing else []
    return HTMLResponse(", ".join(message) or "Nothing running")


@router.get("/pictures/{picture_id}")
def compare(request: Request, session: Db, picture_id: Number, beside: Number = 0) -> HTMLResponse:
    """One finished picture beside its original, or beside another deliverable of the same photo."""
    picture = found(session.get(PictureRow, picture_id), "picture")
    row, others = neighbours_of(session, picture)
    other = next((p for p in others if p.id == beside and p.id != picture.id), None)
    rules = picture.run.rules
    return show(
        request,
        "compare.html",
        picture=picture,
        rules=rules,
        others=others,
        other=other,
        previous=row.previous,
        following=row.following,
        position=row.position,
        count=row.total,
        kinds=KINDS,
        checks=sorted(picture.checks, key=lambda check: check.ok),
        left=_layer(picture),
        right=_layer(other) if other else _original(picture),
    )


def _layer(picture: PictureRow) -> dict[str, object]:
    """A picture as the page draws it. matrix: from px of the photo to its own px, so that all lie over each other."""
    kind = next(kind for kind in FORMATS.values() if kind.suffix == "." + picture.output.rpartition(".")[2])
    quality = f", quality {picture.quality}" if picture.quality else ""
    return {
        "src": f"/media/picture/{picture.id}/shown",
        "width": picture.width,
        "height": picture.height,
        "matrix": picture.matrix or None,
        "label": picture.deliverable,
        "facts": f"{picture.width} × {picture.height} px, {file_size(picture.bytes)}, {kind.label}{quality}",
    }


def _original(picture: PictureRow) -> dict[str, object]:
    original = picture.photo.original
    return {
        "src": f"/media/original/{picture.photo.digest}.jpg",
        "width": original.width,
        "height": original.height,
        "matrix": [1, 0, 0, 1, 0, 0],
        "label": "original",
        "facts": f"{original.width} × {original.height} px, {file_size(original.bytes)}, {original.format}",
    }
