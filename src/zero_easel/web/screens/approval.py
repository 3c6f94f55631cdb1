"""Approval: for makers the links of a shoot and what was said; for whoever has a link the pictures, one by one."""

import secrets
from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, Depends, Form, HTTPException, Request
from fastapi.responses import FileResponse, HTMLResponse, RedirectResponse, Response

from zero_easel.core.standard.deliverable import FORMATS
from zero_easel.doors.approving import (
    MOST_DAYS,
    USUAL_DAYS,
    ApprovalError,
    Said,
    answer,
    asked_about,
    asked_by,
    asked_of,
    counts_of,
    is_good,
    link_of,
    links_of,
    make_link,
    opens,
    revoke,
)
from zero_easel.doors.out.targets import hand_over_approved
from zero_easel.library.store.approvals import FLAWS, ApprovalLink, Flaw
from zero_easel.library.store.models import PictureRow
from zero_easel.runs.service import latest_run
from zero_easel.runs.showing import DIRECT, shown_png
from zero_easel.storage import Kept
from zero_easel.web.guards.entering import doors_of
from zero_easel.web.page import Bench, Db, Number, ShootById, Waiting, found, show

router = APIRouter()
_TYPES = {kind.suffix: kind.mime for kind in FORMATS.values()}
_TRIES = 6
"""Passwords that may be tried a minute for one link."""


@router.get("/shoots/{shoot_id}/approval")
def approval(request: Request, session: Db, shoot: ShootById, flash: Waiting, shown: str = "") -> HTMLResponse:
    """The links of a shoot, and what was said of the pictures of its newest run."""
    return _page(request, session, shoot, link=flash.take(shown))


@router.post("/shoots/{shoot_id}/approval")
def new_link(
    request: Request,
    session: Db,
    shoot: ShootById,
    flash: Waiting,
    name: Annotated[str, Form()] = "",
    days: Annotated[Number, Form()] = USUAL_DAYS,
    password: Annotated[str, Form()] = "",
    originals: Annotated[bool, Form()] = False,
) -> Response:
    """One more link; it is shown on the next page, and never again."""
    try:
        _, text = make_link(session, shoot, name, days=days, password=password, originals=originals)
    except ApprovalError as error:
        return _page(request, session, shoot, error=str(error))
    whole = f"{request.url.scheme}://{request.headers['host']}/approve/{text}"
    return RedirectResponse(f"/shoots/{shoot.id}/approval?shown={flash.keep(whole)}", 303)


@router.post("/shoots/{shoot_id}/approval/{link_id}/revoke")
def end_link(session: Db, shoot: ShootById, link_id: Number) -> Response:
    """Let nobody look by it any more."""
    revoke(session, found(next((one for one in links_of(session, shoot) if one.id == link_id), None), "link"))
    return RedirectResponse(f"/shoots/{shoot.id}/approval", 303)


def _page(request: Request, session: Db, shoot: ShootById, link: str = "", error: str = "") -> HTMLResponse:
    run = latest_run(session, shoot.id)
    asked = asked_about(session, run) if run else []
    return show(
        request,
        "approval.html",
        422 if error else 200,
        shoot=shoot,
        run=run,
        links=links_of(session, shoot),
        is_good=is_good,
        link=link,
        error=error,
        counts=counts_of(asked),
        sent_back=[one for one in asked if one.answer and not one.answer.yes],
        flaws=FLAWS,
        usual=USUAL_DAYS,
        most=MOST_DAYS,
    )


def link_or_sorry(request: Request, session: Db, text: str) -> ApprovalLink:
    """The link of the address, if it is good and open. Raises HTTPException: 404, or 401 if its
    password was not shown yet."""
    try:
        link = link_of(session, text)
    except ApprovalError as error:
        raise HTTPException(404, str(error)) from error
    if link.password and doors_of(request).opened.get(request.cookies.get(_cookie(link), "")) != link.id:
        raise HTTPException(401, "This link has a password.")
    return link


LinkByText = Annotated[ApprovalLink, Depends(link_or_sorry)]


@router.get("/approve/{text}")
def look(request: Request, session: Db, text: str, at: Number = 0, of: Number = 0) -> HTMLResponse:
    """One picture, large; without a number the first that waits for an answer. of: another picture of that photo."""
    try:
        link = link_of(session, text)
    except ApprovalError as error:
        return show(request, "sorry.html", 404, reason=str(error))
    if link.password and doors_of(request).opened.get(request.cookies.get(_cookie(link), "")) != link.id:
        return show(request, "approve.html", link=link, text=text, locked=True, error="")
    return _one(request, session, link, text, at, of)


@router.post("/approve/{text}/open")
def open_link(request: Request, session: Db, text: str, password: Annotated[str, Form()] = "") -> Response:
    """Show the password of a link."""
    try:
        link = link_of(session, text)
    except ApprovalError as error:
        return show(request, "sorry.html", 404, reason=str(error))
    doors = doors_of(request)
    if wait := doors.rate.wait(("link", link.id), _TRIES):
        reason = f"Too many tries; wait {wait:.0f} seconds."
        return show(request, "approve.html", 429, link=link, text=text, locked=True, error=reason)
    if not opens(link, password):
        reason = "The password is not right."
        return show(request, "approve.html", 422, link=link, text=text, locked=True, error=reason)
    token = secrets.token_urlsafe(24)
    doors.opened.put(token, link.id)
    done = RedirectResponse(f"/approve/{text}", 303)
    secure = request.url.scheme == "https"
    done.set_cookie(_cookie(link), token, path=f"/approve/{text}", secure=secure, httponly=True, samesite="lax")
    return done


@router.post("/approve/{text}/answer")
def say(
    session: Db,
    bench: Bench,
    link: LinkByText,
    text: str,
    after: BackgroundTasks,
    picture: Annotated[Number, Form()],
    yes: Annotated[bool, Form()] = False,
    flaw: Annotated[Flaw, Form()] = Flaw.OTHER,
    words: Annotated[str, Form(max_length=2000)] = "",
    x: Annotated[float | None, Form(ge=0, le=1)] = None,
    y: Annotated[float | None, Form(ge=0, le=1)] = None,
) -> Response:
    """Yes, or no and why; then the next picture that waits for an answer."""
    try:
        answer(session, link, picture, Said(yes, flaw, words, x, y))
    except ApprovalError as error:
        raise HTTPException(409, str(error)) from error
    run = latest_run(session, link.shoot_id)
    if yes and run is not None:
        hand_over_approved(session, run)
        after.add_task(bench.sender.wake)
    return RedirectResponse(f"/approve/{text}", 303)


@router.get("/approve/{text}/picture/{picture_id}")
def picture(session: Db, bench: Bench, link: LinkByText, picture_id: Number) -> Response:
    """A finished picture of the link, in a form that every browser shows."""
    one = _of(session, link, picture_id)
    kept = bench.vault.picture(one.run_id, one.output)
    if not kept.exists():
        raise HTTPException(404, "This picture is not there any more.")
    return _shown(kept)


@router.get("/approve/{text}/original/{picture_id}")
def original(session: Db, bench: Bench, link: LinkByText, picture_id: Number) -> Response:
    """The photo of a picture, where the link allows it."""
    one = _of(session, link, picture_id)
    if not link.originals:
        raise HTTPException(403, "This link shows finished pictures only.")
    return _shown(bench.vault.large(one.photo.digest))


def _one(request: Request, session: Db, link: ApprovalLink, text: str, at: int, of: int) -> HTMLResponse:
    asked = asked_by(session, link)
    waiting = next((place for place, one in enumerate(asked, 1) if one.answer is None), 0)
    place = at if 1 <= at <= len(asked) else waiting
    one = asked[place - 1] if place else None
    here = next((at for at, picture in enumerate(one.pictures) if picture.id == of), None) if one else None
    return show(
        request,
        "approve.html",
        link=link,
        text=text,
        locked=False,
        error="",
        one=one,
        picture=one and (one.picture if here is None else one.pictures[here]),
        was=one and (one.answer if here is None else one.answers[here]),
        place=place,
        total=len(asked),
        counts=counts_of(asked),
        flaws=FLAWS,
    )


def _of(session: Db, link: ApprovalLink, picture_id: int) -> PictureRow:
    try:
        return asked_of(asked_by(session, link), picture_id)[1]
    except ApprovalError as error:
        raise HTTPException(404, str(error)) from error


def _shown(kept: Kept) -> Response:
    path = kept.path()
    headers = {"Cache-Control": "private, max-age=600"}
    if path.suffix in DIRECT:
        return FileResponse(path, media_type=_TYPES[path.suffix], headers=headers)
    return Response(shown_png(path), media_type="image/png", headers=headers)


def _cookie(link: ApprovalLink) -> str:
    return f"approve-{link.id}"
