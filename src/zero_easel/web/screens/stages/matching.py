"""Match: which photo shows which product from which side, what is not sure, and the repairs."""

import json
from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.responses import HTMLResponse

from zero_easel.core.catalog.matching import VIEWS
from zero_easel.core.catalog.products import Product
from zero_easel.library.changes.history import Where, undoable
from zero_easel.library.changes.matches import ensure_matched, troubles_of
from zero_easel.library.changes.repairs import (
    MatchError,
    assign,
    back_to_automatic,
    choose,
    confirm,
    leave_out,
    no_card,
    run_from,
    set_bursts,
    set_cards,
    set_raw_counts,
    shift,
    swap,
)
from zero_easel.library.changes.undo import redo, undo
from zero_easel.library.lists.kept import kept
from zero_easel.library.lists.lines import PhotoLine, lines_of
from zero_easel.library.people import journal
from zero_easel.library.products import count_products, find_code, find_products, products_by_code, products_unseen
from zero_easel.library.store.models import PhotoRow, Shoot, Stage
from zero_easel.web.meanwhile import Conflict, InMind, Seen
from zero_easel.web.page import Db, MatchedShoot, Number, PhotoById, ShootById, found, show
from zero_easel.web.stages import stages

router = APIRouter()
_PAGE = 100
_UNSEEN = 40
_SUGGESTED = 8
Chosen = Annotated[list[Number], Form(default_factory=list)]
_ON_CHOSEN: dict[str, Callable[[Db, Shoot, list[int]], None]] = {
    "swap": swap,
    "automatic": back_to_automatic,
    "confirm": confirm,
    "leave-out": leave_out,
    "of-its-burst": choose,
}
"""Repairs of the photos that were chosen."""
_SWITCHES: dict[str, tuple[Callable[[Db, Shoot, bool], None], bool]] = {
    "cards": (set_cards, True),
    "no-cards": (set_cards, False),
    "raw-counts": (set_raw_counts, True),
    "picture-counts": (set_raw_counts, False),
    "bursts": (set_bursts, True),
    "no-bursts": (set_bursts, False),
}
"""What is said of the whole shoot."""


@router.get("/shoots/{shoot_id}/match")
def match_page(request: Request, session: Db, shoot: MatchedShoot, page: Number = 1) -> HTMLResponse:
    """What needs a person first, then all photos in shooting order, each with why."""
    return show(request, "match.html", **_matches(session, shoot, page))


@router.get("/suggest")
def suggest(session: Db, q: str = "") -> list[dict[str, str]]:
    """The first few products that fit what is being typed."""
    products = find_products(session, q, _SUGGESTED) if q.strip() else []
    return [{"code": p.code, "name": p.name} for p in products]


@router.post("/photos/{photo_id}/match")
def set_match(
    request: Request,
    session: Db,
    photo: PhotoById,
    mind: InMind,
    saw: Seen,
    code: str = Form(""),
    view: str = Form(""),
) -> HTMLResponse:
    """Say by hand what a photo shows. If somebody else has said something meanwhile, both stand there until one is
    chosen."""
    known = find_code(session, code) or _only_one(session, code)
    key, wanted = ("match", photo.id), shown_as(known or code, view)
    conflict = mind.conflict(key, shown_as(photo.code, photo.view), wanted, saw)
    if conflict is not None:
        text = f"{photo.name}: {conflict.told}"
        journal.write(session, text, about="match", shoot_id=photo.shoot_id, photo_id=photo.id)
        return _matched(request, session, photo, conflict=conflict)
    mind.note(key, saw)
    if (known or code, view) != (photo.code, photo.view):
        assign(session, session.get_one(Shoot, photo.shoot_id), [photo.id], known or code, view)
    warning = "not in the catalog" if code and known is None else ""
    return _matched(request, session, photo, warning)


@router.post("/photos/{photo_id}/card")
def set_card(request: Request, session: Db, photo: PhotoById, code: Annotated[str, Form()] = "") -> HTMLResponse:
    """Say what an unreadable card says: the photos behind it, up to the next card, show that product."""
    shoot = session.get_one(Shoot, photo.shoot_id)
    known = find_code(session, code) or _only_one(session, code)
    behind = _behind(lines_of(session, shoot.id), photo.id)
    if known is None or not behind:
        raise HTTPException(409, f"There is no product {code}." if known is None else "No photo is behind this card.")
    assign(session, shoot, behind, known, None)
    return _fresh(request, session, shoot, f"{known} for {len(behind)} photos behind {photo.name}")


@router.post("/shoots/{shoot_id}/matches/{what}")
def repair(
    request: Request,
    session: Db,
    shoot: ShootById,
    what: str,
    chosen: Chosen,
    code: Annotated[str, Form()] = "",
    page: Annotated[int, Form()] = 1,
    start: Annotated[str, Form()] = "",
) -> HTMLResponse:
    """One repair on the photos that were chosen, or on all from `start` on; or undo and redo. Answers with all matches
    drawn anew."""
    if not chosen and start.isdecimal():
        chosen = run_from(session, shoot, int(start))
    try:
        message = _repair(session, shoot, what, chosen, code)
    except MatchError as error:
        return _fresh(request, session, shoot, str(error), page, failed=True)
    return _fresh(request, session, shoot, message, page)


@router.post("/photos/{photo_id}/match/automatic")
def undo_match(request: Request, session: Db, photo: PhotoById) -> HTMLResponse:
    """Drop what was said by hand."""
    back_to_automatic(session, session.get_one(Shoot, photo.shoot_id), [photo.id])
    return _matched(request, session, photo)


def _repair(session: Db, shoot: Shoot, what: str, chosen: list[int], code: str) -> str:
    """Do it, and say what was done."""
    here = Where(Stage.MATCH, shoot.id)
    if what == "undo":
        return f"Undone: {step.text}" if (step := undo(session, here)) else "There is nothing to undo."
    if what == "redo":
        return f"Done again: {step.text}" if (step := redo(session, here)) else "There is nothing to redo."
    if what in ("later", "earlier"):
        return shift(session, shoot, chosen, 1 if what == "later" else -1)
    if what in _ON_CHOSEN:
        _ON_CHOSEN[what](session, shoot, chosen)
    elif what == "assign":
        known = find_code(session, code) or _only_one(session, code)
        if known is None:
            raise MatchError(f"There is no product {code}." if code.strip() else "Type a product first.")
        assign(session, shoot, chosen, known, None)
    elif what in _SWITCHES:
        switch, value = _SWITCHES[what]
        switch(session, shoot, value)
    elif what == "no-card":
        for photo_id in chosen:
            no_card(session, shoot, photo_id)
    else:
        found(None, "command")
    return undoable(session, here).undo


def _only_one(session: Db, typed: str) -> str | None:
    """The product that what was typed can only mean: a few letters of its code or name are enough."""
    products = find_products(session, typed, 2) if typed.strip() else []
    return products[0].code if len(products) == 1 else None


def _behind(lines: list[PhotoLine], card_id: int) -> list[int]:
    """Photos behind a card, up to the next one."""
    at = next((i for i, line in enumerate(lines) if line.id == card_id), len(lines))
    ids = []
    for line in lines[at + 1 :]:
        if line.card:
            break
        if not line.error and not line.empty:
            ids.append(line.id)
    return ids


def _matches(session: Db, shoot: Shoot, page: int = 1) -> dict[str, Any]:
    lines = lines_of(session, shoot.id)
    # Of these very lines, which are kept with it: others may have come since.
    troubles = kept(session, ("troubles", id(lines)), lambda: (lines, troubles_of(lines)))[1]
    rows = [line for line in lines if not line.error and not line.left_out and not line.empty]
    pages = max(1, -(-len(rows) // _PAGE))
    page = min(max(1, page), pages)
    shown = rows[(page - 1) * _PAGE : page * _PAGE]
    first = [*troubles.cards, *troubles.unmatched, *troubles.doubts][:_PAGE]
    catalog = products_by_code(session, {line.code for line in [*shown, *first] if line.code})
    unseen, unseen_count = _unseen(session, shoot) if lines else ([], 0)
    return {
        "shoot": shoot,
        "marks": stages(session, shoot),
        "stage": "match",
        "views": VIEWS,
        "rows": shown,
        "count": len(rows),
        "page": page,
        "pages": pages,
        "troubles": troubles,
        "first": first,
        "names": {code: product.name for code, product in catalog.items()},
        "products": count_products(session),
        "unseen": unseen,
        "unseen_count": unseen_count,
        "steps": undoable(session, Where(Stage.MATCH, shoot.id)),
        "cards": sum(line.card and bool(line.codes or line.code) for line in lines),
        "behind": sum(line.behind is not None for line in lines),
        "twins": sum(not line.listed and line.doubt.endswith(" counts") for line in lines),
        "reading": sum(not line.read and not line.error for line in lines),
    }


def _unseen(session: Db, shoot: Shoot) -> tuple[list[Product], int]:
    """The first products of the catalog that no photo of a shoot shows, and how many there are."""

    def found() -> tuple[list[Product], int]:
        return products_unseen(session, {line.code for line in lines_of(session, shoot.id) if line.code}, _UNSEEN)

    return kept(session, ("unseen", shoot.id), found, small=True)


def _fresh(
    request: Request, session: Db, shoot: Shoot, message: str, page: Number = 1, failed: bool = False
) -> HTMLResponse:
    """All matches drawn anew, with what was done or why not."""
    session.flush()
    ensure_matched(session, shoot)
    return show(request, "_matches.html", answer=True, message=message, failed=failed, **_matches(session, shoot, page))


def shown_as(code: str, view: str) -> str:
    """Product and view as one value, by which it is told whether somebody else has changed them."""
    return f"{code} {view}".strip()


def _matched(
    request: Request, session: Db, photo: PhotoRow, warning: str = "", conflict: Conflict | None = None
) -> HTMLResponse:
    """What follows from a match, each part for its own place on the page: the fields stay as a person left them."""
    session.flush()
    shoot = session.get_one(Shoot, photo.shoot_id)
    names = {p.code: p.name for p in products_by_code(session, [photo.code]).values()}
    answer = show(
        request,
        "_match_answer.html",
        photo=photo,
        names=names,
        warning=warning,
        conflict=conflict,
        answer=True,
        shoot=shoot,
        marks=stages(session, shoot),
        stage="match",
        steps=undoable(session, Where(Stage.MATCH, shoot.id)),
    )
    seen = shown_as(photo.code, photo.view)
    matched = {"photo": photo.id, "code": photo.code, "view": photo.view, "seen": seen, "conflict": bool(conflict)}
    answer.headers["HX-Trigger"] = json.dumps({"matched": matched})
    return answer
