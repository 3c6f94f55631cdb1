"""Bring in: photos and tables dropped on a shoot, and the list of what is there."""

from typing import Any

from fastapi import APIRouter, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response

from zero_easel.core.catalog import Problem, TableError, kind_of_table
from zero_easel.core.naming import base_name
from zero_easel.library.models import Shoot
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import bring_in, import_shotlist, photos_of, rematch, set_empty
from zero_easel.web.page import Bench, Db, PhotoById, ShootById, found, plural, show, stages

router = APIRouter()
_TABLES = (".csv", ".tsv", ".txt")


@router.get("/shoots/{shoot_id}/bring-in")
def bring_in_page(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """The list of photos, with a place to drop more."""
    photos = photos_of(session, shoot.id)
    return show(request, "bring_in.html", shoot=shoot, photos=photos, marks=stages(session, shoot), stage="bring-in")


@router.post("/shoots/{shoot_id}/files")
def take_files(request: Request, bench: Bench, shoot_id: int, files: list[UploadFile]) -> Response:
    """Take photos and tables; each is told apart, and a bad one stops nothing.

    Answers with JSON, one entry per file, or returns to the list if a plain form sent them.
    """
    reports = [_take(bench, shoot_id, base_name(f.filename or ""), f.file.read()) for f in files]
    bench.dispatcher.wake()
    if "application/json" in request.headers.get("accept", ""):
        return JSONResponse(reports)
    return RedirectResponse(f"/shoots/{shoot_id}/bring-in", 303)


@router.post("/photos/{photo_id}/leave-out")
def leave_out(request: Request, session: Db, photo: PhotoById) -> HTMLResponse:
    """Leave a photo out of runs, or take it back in; the file stays."""
    photo.left_out = not photo.left_out
    session.flush()
    return show(request, "_photo_row.html", photo=photo)


@router.post("/photos/{photo_id}/empty")
def empty_frame(request: Request, session: Db, bench: Bench, photo: PhotoById) -> HTMLResponse:
    """Use a photo as the empty frame of its shoot, or take it as a photo of an item again."""
    set_empty(session, photo, not photo.empty)
    session.commit()
    bench.dispatcher.wake()
    return show(request, "_photo_row.html", photo=photo)


def _take(bench: Bench, shoot_id: int, name: str, data: bytes) -> dict[str, Any]:
    # A session for each file: what came in before a bad one stays.
    with bench.database.session() as session:
        shoot = found(session.get(Shoot, shoot_id), "shoot")
        if name.lower().endswith(_TABLES):
            return _take_table(session, shoot, name, data)
        result = bring_in(session, bench.vault, shoot, data, name)
        said = result.error or (f"{result.name} {result.note}." if result.note else "")
        return {"name": result.name, "kind": "photo", "ok": not result.error, "said": said}


def _take_table(session: Db, shoot: Shoot, name: str, data: bytes) -> dict[str, Any]:
    try:
        kind = kind_of_table(data)
        if kind == "shotlist":
            count, problems = import_shotlist(session, shoot.id, data, name)
            said = f"{name}: shot list with {plural(count, 'row')}."
        elif kind == "catalog":
            added, changed, problems = import_catalog(session, data, name)
            rematch(session, shoot.id)
            said = f"{name}: {plural(added, 'product')} added, {changed} changed."
        else:
            raise TableError(f"{name} is neither a catalog nor a shot list: its first row names no code column.")
    except TableError as error:
        return {"name": name, "kind": "table", "ok": False, "said": str(error)}
    return {"name": name, "kind": "table", "ok": not problems, "said": said + told(problems)}


def told(problems: list[Problem]) -> str:
    """The first rows of a table that were left out, in words."""
    shown = "".join(f" Row {p.row}: {p.reason}." for p in problems[:3])
    more = f" {len(problems) - 3} more rows were left out." if len(problems) > 3 else ""
    return shown + more
