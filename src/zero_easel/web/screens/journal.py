"""The journal: who did what, when; searched, and exported."""

from collections.abc import Iterator
from typing import Annotated

from fastapi import APIRouter, Query, Request
from fastapi.responses import HTMLResponse, StreamingResponse

from zero_easel.library.people.journal import entries, exported, first_fault
from zero_easel.web.page import Bench, Db, Number, show

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


@router.get("/journal.csv")
def as_table(bench: Bench, words: Annotated[str, Query(max_length=200)] = "") -> StreamingResponse:
    """All of them as a table."""

    def rows() -> Iterator[str]:
        with bench.database.session() as session:
            yield from exported(session, words)

    headers = {"Content-Disposition": 'attachment; filename="journal.csv"'}
    return StreamingResponse(rows(), media_type="text/csv; charset=utf-8", headers=headers)
