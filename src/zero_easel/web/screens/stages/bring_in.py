"""Bring in: photos, tables and archives dropped on a shoot, and the list of what is there."""

import json
from collections.abc import Iterator
from typing import Annotated
from urllib.parse import urlencode

from fastapi import APIRouter, BackgroundTasks, Depends, Form, Query, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response, StreamingResponse

from zero_easel.library.changes.cutouts import set_empty
from zero_easel.library.changes.repairs import leave_out, leave_photo_out
from zero_easel.library.incoming import take
from zero_easel.library.lists.kept import kept
from zero_easel.library.lists.lines import line_of, lines_of
from zero_easel.library.lists.listing import SORTS, Ask, listed, looks_soft, softness, wanted_ids
from zero_easel.library.store.models import Shoot
from zero_easel.web.page import Bench, Db, MatchedShoot, Number, PhotoById, ShootById, found, show, templates
from zero_easel.web.stages import stages

router = APIRouter()
SHOWN = {
    "": "all",
    "small": "longer side under",
    "soft": "not sharp",
    "unmatched": "no product",
    "twice": "same picture twice",
    "ready": "already as large as the standard asks",
    "cards": "code cards",
    "out": "left out",
    "broken": "unreadable",
}
templates.env.globals.update(softness=softness, looks_soft=looks_soft, address=lambda **query: urlencode(query))


def asked(
    sort: str = "",
    down: bool = False,
    only: str = "",
    under: Annotated[Number, Query(ge=1, le=100_000)] = 1000,
    page: Number = 1,
) -> Ask:
    """What is asked for, from the address."""
    return Ask(sort if sort in SORTS else "", down, only if only in SHOWN else "", under, page)


Asked = Annotated[Ask, Depends(asked)]


@router.get("/shoots/{shoot_id}/bring-in")
def bring_in_page(request: Request, session: Db, shoot: MatchedShoot, ask: Asked) -> HTMLResponse:
    """The list of photos, with a place to drop more."""
    lines = lines_of(session, shoot.id)
    canvas = shoot.standard.rules.canvas
    # Of these very lines, which are kept with it: others may have come since.
    key = ("listed", shoot.id, id(lines), ask, canvas.model_dump_json())
    page = kept(session, key, lambda: (lines, listed(lines, ask, canvas)))[1]
    return show(
        request,
        "bring_in.html",
        shoot=shoot,
        page=page,
        ask=ask,
        shown=SHOWN,
        total=len(lines),
        marks=stages(session, shoot),
        stage="bring-in",
    )


@router.post("/shoots/{shoot_id}/files")
def take_files(
    request: Request, bench: Bench, shoot_id: Number, files: list[UploadFile], folder: str = Form("")
) -> Response:
    """Take photos, tables and archives; each is told apart, and a bad one stops nothing. folder: where one file lay.

    Answers with a line of JSON per file, each as soon as it is in, or returns to the list if a plain form sent them.
    """
    with bench.database.session() as session:
        back = "whole" if found(session.get(Shoot, shoot_id), "shoot").whole else "bring-in"

    def reports() -> Iterator[str]:
        for file in files:
            name = f"{folder}/{file.filename or ''}" if folder else file.filename or ""
            bench.dispatcher.arriving()
            for report in take(bench.database.acting(request.state.who.name), bench.vault, shoot_id, name, file.file):
                bench.dispatcher.arriving()
                yield json.dumps(report._asdict(), ensure_ascii=False) + "\n"
        bench.dispatcher.wake()

    if "application/x-ndjson" in request.headers.get("accept", ""):
        return StreamingResponse(reports(), media_type="application/x-ndjson")
    for _ in reports():
        pass
    return RedirectResponse(f"/shoots/{shoot_id}/{back}", 303)


@router.post("/photos/{photo_id}/leave-out")
def leave_one_out(request: Request, session: Db, photo: PhotoById) -> HTMLResponse:
    """Leave a photo out of runs, or include it again; the file stays."""
    leave_photo_out(session, photo, not photo.left_out)
    return show(request, "_photo_row.html", photo=line_of(session, photo))


@router.post("/photos/{photo_id}/empty")
def empty_frame(request: Request, session: Db, bench: Bench, photo: PhotoById, after: BackgroundTasks) -> HTMLResponse:
    """Use a photo as the empty frame of its shoot, or take it as a photo of an item again."""
    set_empty(session, photo, not photo.empty)
    after.add_task(bench.dispatcher.wake)
    return show(request, "_photo_row.html", photo=line_of(session, photo))


@router.post("/shoots/{shoot_id}/leave-out")
def leave_all_out(
    session: Db, shoot: ShootById, ask: Asked, out: Annotated[bool, Form()] = True, back: str = "bring-in"
) -> Response:
    """Leave out all that a filter shows, or include them again."""
    ids = wanted_ids(lines_of(session, shoot.id), ask, shoot.standard.rules.canvas)
    if ids:
        leave_out(session, shoot, ids, out)
    order = {"sort": ask.sort, "down": str(ask.down).lower()} if ask.sort or ask.down else {}
    query = urlencode({"only": ask.show, "under": ask.under, **order})
    return RedirectResponse(f"/shoots/{shoot.id}/{'whole' if back == 'whole' else 'bring-in'}?{query}", 303)
