"""Live: what has just been shot, large and at its place, what is wrong with it, and what is still missing; and the
folder that its photos come from."""

from pathlib import Path
from typing import Annotated, Any, NamedTuple

from fastapi import APIRouter, BackgroundTasks, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.placement import Placement
from zero_easel.core.standard.grounds import read_ground
from zero_easel.core.standard.naming import portable
from zero_easel.doors.folders import HERE, WatchError, folder_of, refused, rest, usual_folder, watch_folder
from zero_easel.library.changes.matches import ensure_matched
from zero_easel.library.changes.repairs import MatchError, choose, leave_photo_out
from zero_easel.library.latest import burst_of, doubts_about, is_doubted, latest, still_missing
from zero_easel.library.lists.lines import PhotoLine, lines_of
from zero_easel.library.lists.lineup import RowEntry, laid_out, row_of
from zero_easel.library.products import products_by_code
from zero_easel.library.store.doors import WatchedFolder
from zero_easel.library.store.models import Clearing, PhotoRow, Shoot
from zero_easel.standins.camera import Shutter, StandInCamera
from zero_easel.web.doubts import places_on
from zero_easel.web.page import Bench, Db, Number, PhotoById, ShootById, shoot_or_404, show, straight_source, templates

router = APIRouter()
_MISSING, _REFUSED = 12, 5
_PACES = (2, 5, 15)
"""Seconds between two photos of the camera's stand-in."""
templates.env.globals.update(is_doubted=is_doubted)


class LivePicture(NamedTuple):
    """A photo as it will look: its source within `crop`, px of the photo, mapped onto a canvas of a ground."""

    source: str
    crop: tuple[float, float, float, float]
    matrix: str
    canvas: Size
    ground: str


@router.get("/shoots/{shoot_id}/live")
def live_page(request: Request, session: Db, bench: Bench, shoot: ShootById, photo: Number = 0) -> HTMLResponse:
    """The latest photos; photo: the one that is held large, else it is the newest."""
    return _page(request, session, bench, shoot, photo)


@router.get("/shoots/{shoot_id}/live/part")
def live_part(request: Request, session: Db, bench: Bench, shoot: ShootById, photo: Number = 0) -> HTMLResponse:
    """The same without the page around it, asked for again with all that happens."""
    return show(request, "_live.html", **_live(session, bench, shoot, photo))


@router.post("/shoots/{shoot_id}/live/folder")
def watch(
    request: Request,
    session: Db,
    bench: Bench,
    shoot: ShootById,
    after: BackgroundTasks,
    path: Annotated[str, Form()],
    moves: bool = Form(False),
    finishes: bool = Form(False),
) -> Response:
    """Watch a folder for the shoot from now on."""
    settings = bench.settings
    within = [settings.data.resolve() / HERE, *settings.watch_folders]
    try:
        watch_folder(session, shoot, Path(path), settings.data, moves=moves, finishes=finishes, within=within)
    except (WatchError, OSError) as error:
        return _page(request, session, bench, shoot, 0, error=str(error), typed=path)
    after.add_task(bench.watcher.wake)
    return RedirectResponse(f"/shoots/{shoot.id}/live", 303)


@router.post("/shoots/{shoot_id}/live/rest")
def watch_no_more(request: Request, session: Db, shoot: ShootById) -> Response:
    """Watch the folder no more; the camera's stand-in is let go of, too."""
    rest(session, shoot.id)
    _release(request, shoot.id)
    return RedirectResponse(f"/shoots/{shoot.id}/live", 303)


@router.post("/photos/{photo_id}/live/choose")
def take_of_burst(request: Request, session: Db, bench: Bench, photo: PhotoById) -> HTMLResponse:
    """Let this photo count of its burst."""
    shoot, message = shoot_or_404(session, photo.shoot_id), ""
    try:
        choose(session, shoot, [photo.id])
    except MatchError as error:
        message = str(error)
    return show(request, "_live.html", **_live(session, bench, shoot, photo.id, message))


@router.post("/photos/{photo_id}/live/leave-out")
def leave_out(request: Request, session: Db, bench: Bench, photo: PhotoById) -> HTMLResponse:
    """Leave the photo out, or include it again."""
    leave_photo_out(session, photo, not photo.left_out)
    shoot = shoot_or_404(session, photo.shoot_id)
    return show(request, "_live.html", **_live(session, bench, shoot, photo.id))


@router.post("/shoots/{shoot_id}/live/shutter")
def shutter(
    request: Request, session: Db, shoot: ShootById, after: BackgroundTasks, every: Annotated[int, Form(ge=0)] = 0
) -> Response:
    """Press the shutter of the camera's stand-in: once, or every so many seconds until it is let go of."""
    folder = folder_of(session, shoot.id)
    held = _release(request, shoot.id)
    if folder is not None and folder.active:
        camera = StandInCamera(Path(folder.path))
        if every in _PACES:
            _shutters(request)[shoot.id] = Shutter(camera, every)
        elif not held:
            after.add_task(camera.shoot)
    return RedirectResponse(f"/shoots/{shoot.id}/live", 303)


def _shutters(request: Request) -> dict[int, Shutter]:
    held: dict[int, Shutter] = request.app.state.shutters
    return held


def _release(request: Request, shoot_id: int) -> bool:
    """Let go of a shoot's shutter; returns whether it was pressed."""
    held = _shutters(request).pop(shoot_id, None)
    if held is not None:
        held.release()
    return held is not None and held.pressed


def _page(
    request: Request, session: Db, bench: Bench, shoot: Shoot, photo: int, error: str = "", typed: str = ""
) -> HTMLResponse:
    folder = folder_of(session, shoot.id)
    usual = usual_folder(session, bench.settings.data.resolve(), shoot, portable(shoot.name))
    held = _shutters(request).get(shoot.id)
    return show(
        request,
        "live.html",
        409 if error else 200,
        error=error,
        path=typed or (folder.path if folder else str(usual)),
        paces=_PACES,
        pace=held.seconds if held is not None and held.pressed else 0,
        **_live(session, bench, shoot, photo),
    )


def _live(session: Db, bench: Bench, shoot: Shoot, photo_id: int, message: str = "") -> dict[str, Any]:
    ensure_matched(session, shoot)
    session.flush()
    line = latest(session, shoot.id)
    held = next((one for one in lines_of(session, shoot.id) if one.id == photo_id), None)
    newest = held or (line[-1] if line else None)
    at = next((i for i, one in enumerate(line) if newest is not None and one.id == newest.id), None)
    folder = folder_of(session, shoot.id)
    missing, missing_count = still_missing(session, shoot, _MISSING)
    if newest is not None and newest.clearing == Clearing.WAITING:
        bench.dispatcher.look_at([newest.id])
    wanted = [*line, *([newest] if newest else [])]
    return {
        "shoot": shoot,
        "newest": newest,
        "held": held is not None,
        "row": session.get(PhotoRow, newest.id) if newest else None,
        "names": {p.code: p.name for p in products_by_code(session, {one.code for one in wanted if one.code}).values()},
        "told": doubts_about(session, newest) if newest else [],
        "burst": burst_of(session, newest, shoot.id) if newest else [],
        "line": line,
        "older": line[at - 1].id if at else None,
        "newer": line[at + 1].id if at is not None and at + 1 < len(line) else None,
        "seen": _seen(session, shoot, {one.id: one for one in wanted}),
        "places": places_on(session.get_one(PhotoRow, newest.id), rectified=True) if newest else [],
        "count": len(lines_of(session, shoot.id)),
        "missing": missing,
        "missing_count": missing_count,
        "folder": folder,
        **_refused(session, folder),
        "message": message,
        "photo": photo_id if held else 0,
    }


def _refused(session: Db, folder: WatchedFolder | None) -> dict[str, Any]:
    files, count = refused(session, folder.id, _REFUSED) if folder else ([], 0)
    return {"refused": files, "refused_count": count}


def _seen(session: Db, shoot: Shoot, wanted: dict[int, PhotoLine]) -> dict[int, LivePicture]:
    """Those of some photos that have a place already, as they will look."""
    rules, row = shoot.standard.rules, row_of(session, shoot.id)
    places = laid_out(session, shoot.id, row, rules)
    ground = read_ground(rules.canvas.ground)
    return {
        entry.line.id: _as_placed(entry, placement, "" if ground.kind == "transparent" else ground.plain)
        for entry, placement in zip(row, places, strict=True)
        if entry.line.id in wanted and placement is not None and (entry.key or placement.rules.backdrop == "kept")
    }


def _as_placed(entry: RowEntry, placement: Placement, ground: str) -> LivePicture:
    if placement.rules.backdrop == "kept" or not entry.key:
        source, crop = straight_source(entry.line, entry.subject.adjustment), (0, 0, *entry.subject.frame)
    else:
        source = f"/media/cutout/{entry.key}/large.webp"
        crop = (entry.left, entry.top, entry.width, entry.height)
    numbers = " ".join(f"{number:.6g}" for number in placement.matrix)
    return LivePicture(source, crop, f"matrix({numbers})", placement.canvas, ground)
