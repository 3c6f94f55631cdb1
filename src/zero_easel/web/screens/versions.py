"""The history of a standard: versions in words, two of them compared, named, restored."""

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zero_easel.core.standard.differences import differences
from zero_easel.core.standard.model import StandardError
from zero_easel.library.changes.standards import freeze, restore, versions_of
from zero_easel.library.store.models import StandardRow
from zero_easel.web.page import Db, Number, show
from zero_easel.web.screens.standards import StandardById

router = APIRouter()


@router.get("/standards/{standard_id}/versions")
def versions_page(request: Request, session: Db, row: StandardById, old: Number = 0, new: Number = 0) -> HTMLResponse:
    """All versions, the newest first, with what each changed; two of them compared."""
    return _page(request, session, row, old, new)


def _page(request: Request, session: Db, row: StandardRow, old: int = 0, new: int = 0, error: str = "") -> HTMLResponse:
    history = versions_of(session, row)
    known = {version.number: version for version in history}
    compared = None
    if old in known and new in known:
        compared = differences(known[old].rules, known[new].rules)
    return show(
        request,
        "versions.html",
        row=row,
        rules=row.rules,
        history=history,
        old=old,
        new=new,
        compared=compared,
        error=error,
    )


@router.post("/standards/{standard_id}/versions")
def name_version(session: Db, row: StandardById, label: str = Form("")) -> Response:
    """Keep the standard as it is now as a version with a name."""
    freeze(session, row, label or f"version {row.version}")
    return RedirectResponse(f"/standards/{row.id}/versions", 303)


@router.post("/standards/{standard_id}/versions/{number}/restore")
def restore_version(request: Request, session: Db, row: StandardById, number: Number) -> Response:
    """Make an earlier version the present one again."""
    try:
        restore(session, row, number)
    except StandardError as problem:
        return _page(request, session, row, error=str(problem))
    return RedirectResponse(f"/standards/{row.id}/versions", 303)
