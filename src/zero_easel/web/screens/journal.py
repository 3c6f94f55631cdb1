"""The journal: who did what, when; searched, and exported."""

from collections.abc import Iterator
from typing import Annotated, Literal

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response, StreamingResponse

from zero_easel.core.standard.naming import plain
from zero_easel.library.people.journal import entries, entries_of, exported, first_fault, write
from zero_easel.library.store.models import PictureRow
from zero_easel.web.page import Bench, Db, Number, found, show

router = APIRouter()
_SHOWN = 200


@router.get("/journal")
def journal(
    request: Request,
    session: Db,
    words: Annotated[str, Query(max_length=200)] = "",
    before: Number = 0,
    check: bool = False,
) -> HTMLResponse:
    """The newest entries, or those with some words. check: hold each against the one before it."""
    found = entries(session, words, before=before, limit=_SHOWN + 1)
    fault = first_fault(session) if check else None
    return show(
        request,
        "journal.html",
        entries=found[:_SHOWN],
        words=words,
        more=found[_SHOWN - 1].id if len(found) > _SHOWN else 0,
        checked=check,
        fault=fault,
    )


@router.get("/told/{kind}/{number}")
def told(
    request: Request, session: Db, kind: Literal["shoot", "photo", "standard", "run"], number: Number
) -> HTMLResponse:
    """What was done to one thing, by whom and when: a part of its page."""
    return show(request, "_told.html", entries=entries_of(session, **{f"{kind}_id": number}))


@router.post("/notes/{picture_id}")
def note(session: Db, picture_id: Number, words: Annotated[str, Form(max_length=1000)] = "") -> Response:
    """What somebody has to say about a finished picture; it stands in the journal of its photo."""
    picture = found(session.get(PictureRow, picture_id), "picture")
    said = plain(words)
    if said:
        shoot_id = picture.photo.shoot_id
        about = f"{picture.code or picture.original} {picture.view}".strip()
        write(
            session, f"says: {said}", about=about, shoot_id=shoot_id, photo_id=picture.photo_id, run_id=picture.run_id
        )
    return RedirectResponse(f"/pictures/{picture.id}#who-did-what", 303)


@router.get("/journal.csv")
def as_table(bench: Bench, words: Annotated[str, Query(max_length=200)] = "") -> StreamingResponse:
    """All of them as a table."""

    def rows() -> Iterator[str]:
        with bench.database.session() as session:
            yield from exported(session, words)

    headers = {"Content-Disposition": 'attachment; filename="journal.csv"'}
    return StreamingResponse(rows(), media_type="text/csv; charset=utf-8", headers=headers)
