"""Runs: their list, progress, results as a sheet, a table or checks, one picture by itself, and what is handed
over."""

from collections import Counter
from contextlib import suppress
from html import escape
from typing import Annotated, Any

from fastapi import APIRouter, BackgroundTasks, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response, StreamingResponse
from pydantic import ValidationError
from sqlalchemy import func, select

from zero_easel.core.finishing.contact_sheet import ContactSheet
from zero_easel.core.standard.checks import KINDS
from zero_easel.core.standard.deliverable import FORMATS
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.naming import portable
from zero_easel.core.standard.patterns import PatternError
from zero_easel.library.shoots import waits_for_clearing
from zero_easel.library.store.models import PhotoRow, PictureRow, PictureState, Run, RunState
from zero_easel.runs.again import start_again
from zero_easel.runs.archive import handed_over, lists_of, stream_archive
from zero_easel.runs.contact_sheets import sheet_of
from zero_easel.runs.copying import copy_out
from zero_easel.runs.differing import compared, earlier_runs
from zero_easel.runs.service import RunError, pictures_of, progress_of, set_state, try_again
from zero_easel.web.page import Bench, Db, Number, RunById, file_size, found, is_partial, plural, show

router = APIRouter()
_STATES = {"pause": RunState.PAUSED, "stop": RunState.STOPPED, "continue": RunState.RUNNING}
_LIST_TYPES = {"csv": "text/csv; charset=utf-8", "json": "application/json", "jsonld": "application/ld+json"}
VIEWS = ("sheet", "table", "checks", "line")
"""Ways to show what is finished; "line" tells of it only."""


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
) -> HTMLResponse:
    """Progress, and what is finished; its live part alone when asked for again."""
    template = "_run.html" if is_partial(request) else "run.html"
    return show(request, template, error="", **run_context(session, run, show_as, deliverable, sort))


def _no_sheet(request: Request, session: Db, run: Run, reason: str) -> HTMLResponse:
    return show(request, "run.html", 422, error=f"The sheet was not made: {reason}.", **run_context(session, run))


def run_context(session: Db, run: Run, show_as: str = "sheet", deliverable: str = "", sort: str = "") -> dict[str, Any]:
    """All that the part of a page about a run shows."""
    pictures, rules = pictures_of(session, run.id), run.rules
    done = [picture for picture in pictures if picture.state == PictureState.DONE]
    shown = [picture for picture in done if not deliverable or picture.deliverable == deliverable]
    failing = [picture for picture in done if picture.failures]
    return {
        "run": run,
        "at": progress_of(session, run),
        "pictures": pictures,
        "run_rules": rules,
        "finished": _sorted(shown, sort) if show_as == "table" else shown,
        "names": [d.name for d in rules.deliverables],
        "deliverable": deliverable,
        "sort": sort,
        "show_as": show_as if show_as in VIEWS else "sheet",
        "checked": any(p.checks for p in done),
        "failing": failing,
        "held": sum(not handed_over(p, rules) for p in done),
        "per_deliverable": Counter(picture.deliverable for picture in done),
        "before": _bytes_before(done),
        "after": sum(picture.bytes for picture in done),
        **_checks_table(done, failing, rules),
        "kinds": KINDS,
        "earlier": next(iter(earlier_runs(session, run, 1)), None),
        "sheet": ContactSheet(),
        "formats": FORMATS,
    }


def _bytes_before(done: list[PictureRow]) -> int:
    """Bytes of the photos that the pictures were made of, each once."""
    return sum({picture.photo_id: picture.photo.original.bytes for picture in done}.values())


_SORTS = {
    "name": lambda p: p.output,
    "photo": lambda p: p.original,
    "product": lambda p: (p.code, p.view),
    "deliverable": lambda p: p.deliverable,
    "width": lambda p: -p.width,
    "height": lambda p: -p.height,
    "bytes": lambda p: -p.bytes,
    "quality": lambda p: -p.quality,
}


def _sorted(pictures: list[PictureRow], sort: str) -> list[PictureRow]:
    orientation = _SORTS.get(sort.removeprefix("-"))
    return sorted(pictures, key=orientation, reverse=sort.startswith("-")) if orientation else pictures


def _checks_table(done: list[PictureRow], failing: list[PictureRow], rules: Standard) -> dict[str, Any]:
    """Pictures by rules, the failing ones first; and for each rule that is not met, how many and how to mend it."""
    asked = list(dict.fromkeys((check.rule, check.value) for check in rules.checks))
    bad = {picture.id for picture in failing}
    ordered = failing + [picture for picture in done if picture.id not in bad]
    rows = [(picture, {(c.rule, c.value): c for c in picture.checks}) for picture in ordered]
    counts = Counter((c.rule, c.value) for picture in failing for c in picture.failures)
    return {"asked": asked, "check_rows": rows, "failed_rules": counts.most_common()}


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
    """Pause, stop or continue, or try again what failed."""
    if wish == "again":
        try_again(session, run)
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
    done = [p for p in pictures_of(session, picture.run_id) if p.state == PictureState.DONE]
    row = [p for p in done if p.deliverable == picture.deliverable]
    at = next((i for i, p in enumerate(row) if p.id == picture.id), -1)
    others = [p for p in done if p.photo_id == picture.photo_id]
    other = next((p for p in others if p.id == beside and p.id != picture.id), None)
    rules = picture.run.rules
    return show(
        request,
        "compare.html",
        picture=picture,
        rules=rules,
        others=others,
        other=other,
        previous=row[at - 1] if at > 0 else None,
        following=row[at + 1] if 0 <= at < len(row) - 1 else None,
        position=at + 1,
        count=len(row),
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
