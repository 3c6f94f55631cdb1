"""Tidy up: what is kept by kind and age, what of it may go, and for how long runs are kept."""

from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zero_easel.runs.tidying import (
    AGES,
    ended_runs,
    follow_rule,
    holdings,
    keep_for,
    kept_days,
    remove_orphans,
    remove_previews,
    remove_runs,
    remove_unused_cutouts,
)
from zero_easel.web.page import Bench, Db, Number, Waiting, file_size, plural, show

router = APIRouter()


@router.get("/tidy-up")
def tidy_up(request: Request, session: Db, bench: Bench, flash: Waiting, note: str = "") -> HTMLResponse:
    """All that is kept."""
    return _page(request, session, bench, flash.take(note))


def _page(request: Request, session: Db, bench: Bench, note: str = "", error: str = "") -> HTMLResponse:
    return show(
        request,
        "tidy_up.html",
        422 if error else 200,
        note=note,
        error=error,
        held=holdings(session, bench.vault),
        ages=AGES,
        runs=ended_runs(session),
        days=kept_days(session),
        where=bench.vault.location,
    )


@router.post("/tidy-up/rule")
def set_rule(
    request: Request, session: Db, bench: Bench, waiting: Waiting, days: str = Form(""), ever: str = Form("")
) -> Response:
    """For how long finished runs are kept; what is older goes at once. ever: "yes" for ever."""
    try:
        keep_for(session, 0 if ever or not days.strip() else int(days))
    except ValueError as problem:
        words = str(problem) if "runs" in str(problem) else f"{days} is no number of days"
        return _page(request, session, bench, error=f"{words[:200]}.")
    gone = follow_rule(session, bench.vault)
    return _told(waiting, f"{plural(gone, 'run')} went by the rule." if gone else "The rule is kept.")


@router.post("/tidy-up/runs")
def let_runs_go(
    session: Db, bench: Bench, waiting: Waiting, chosen: Annotated[list[Number], Form(default_factory=list)]
) -> Response:
    """Take the chosen runs away."""
    return _told(waiting, f"{plural(remove_runs(session, bench.vault, chosen), 'run')} removed.")


@router.post("/tidy-up/{kind}")
def let_go(session: Db, bench: Bench, waiting: Waiting, kind: str, sure: str = Form("")) -> Response:
    """Take away what may go of a kind. sure: of what cannot be made again, that a person has said so."""
    if kind == "cutouts":
        freed = remove_unused_cutouts(session, bench.vault)
    elif kind == "previews":
        freed = remove_previews(bench.vault)
    elif kind == "originals" and sure:
        freed = remove_orphans(session, bench.vault)
    else:
        return _told(waiting, "Nothing was removed: originals cannot be made again, so that has to be ticked.")
    return _told(waiting, f"{file_size(freed)} removed.")


def _told(waiting: Waiting, text: str) -> Response:
    return RedirectResponse(f"/tidy-up?note={waiting.keep(text)}", 303)
