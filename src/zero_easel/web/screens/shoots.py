"""The shoots page, and the door to a shoot."""

from datetime import UTC, datetime
from html import escape
from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, File, Form, Request, UploadFile
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from sqlalchemy import select

from zero_easel.library.incoming import take
from zero_easel.library.lists.summary import shelves
from zero_easel.library.shoots import contents_of, create_shoot, delete_shoot
from zero_easel.library.store.models import Shoot
from zero_easel.web.guards.rights import Asking
from zero_easel.web.meanwhile import InMind
from zero_easel.web.page import Bench, Db, ShootById, day, show
from zero_easel.web.stages import stages, stages_of_all

router = APIRouter()


@router.get("/")
def list_shoots(request: Request, session: Db) -> HTMLResponse:
    """All shoots, the newest first."""
    shoots = list(session.scalars(select(Shoot).order_by(Shoot.created.desc(), Shoot.id.desc())))
    marks, items = stages_of_all(session, shoots), shelves(session)
    rows = [(shoot, items.get(shoot.id, []), marks[shoot.id]) for shoot in shoots]
    return show(request, "shoots.html", shelves=rows)


@router.post("/shoots")
def new_shoot(
    request: Request,
    session: Db,
    bench: Bench,
    after: BackgroundTasks,
    name: str = Form(""),
    whole: bool = Form(False),
    files: Annotated[list[UploadFile] | None, File()] = None,
) -> Response:
    """Make a shoot, by default named by the day, and go on to it. files: of a page without scripts; others bring them
    in one by one."""
    shoot = create_shoot(session, name.strip() or day(datetime.now(UTC)), whole=whole)
    session.commit()
    database = bench.database.acting(request.state.who.name)
    for file in files or ():
        if file.filename:
            for _ in take(database, bench.vault, shoot.id, file.filename, file.file):
                pass
            after.add_task(bench.dispatcher.wake)
    address = f"/shoots/{shoot.id}/{'whole' if whole else 'bring-in'}"
    if "application/json" in request.headers.get("accept", ""):
        return JSONResponse({"address": address})
    return RedirectResponse(address, 303)


@router.get("/shoots/{shoot_id}")
def open_shoot(session: Db, shoot: ShootById) -> RedirectResponse:
    """Go to the page of whole pictures, or to the stage that needs a person, or else to the first that is not done."""
    if shoot.whole:
        return RedirectResponse(f"/shoots/{shoot.id}/whole", 303)
    marks = stages(session, shoot)
    target = next((m for m in marks if m.call), None) or next((m for m in marks if not m.done), marks[-1])
    return RedirectResponse(f"/shoots/{shoot.id}/{target.key}", 303)


@router.get("/shoots/{shoot_id}/line/{stage}")
def zero_line(request: Request, session: Db, shoot: ShootById, stage: str) -> HTMLResponse:
    """The zero line alone, asked for again while something goes on."""
    marks = stages(session, shoot)
    here = stage if stage in {mark.key for mark in marks} else marks[0].key
    return show(request, "_zero_line.html", shoot=shoot, marks=marks, stage=here)


@router.get("/shoots/{shoot_id}/here")
def who_is_here(shoot: ShootById, mind: InMind, who: Asking) -> HTMLResponse:
    """Who else is at a shoot just now, in a few words."""
    others = mind.others_at(shoot.id, who)
    are = "is" if len(others) == 1 else "are"
    return HTMLResponse(f"{escape(' and '.join(others))} {are} here, too" if others else "")


@router.get("/shoots/{shoot_id}/delete")
def ask_to_delete(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """What deleting a shoot would take away, and what is kept."""
    return show(request, "delete.html", shoot=shoot, holds=contents_of(session, shoot.id), error="")


@router.post("/shoots/{shoot_id}/delete")
def delete(request: Request, session: Db, bench: Bench, shoot: ShootById) -> Response:
    """Delete a shoot; its originals stay in the vault."""
    try:
        delete_shoot(session, bench.vault, shoot)
    except ValueError as error:
        return show(request, "delete.html", 409, shoot=shoot, holds=contents_of(session, shoot.id), error=str(error))
    return RedirectResponse("/", 303)
