"""People: signing in and out, one's own account, and for owners the list of all."""

import secrets
from typing import Annotated

import numpy as np
import zxingcpp
from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from zero_easel.library.people import second_factor
from zero_easel.library.people.accounts import (
    INVITED_DAYS,
    SHORTEST,
    AccountError,
    add_person,
    all_people,
    invite,
    invited,
    is_password_of,
    person_named,
    set_active,
    set_password,
    set_role,
    take_up,
)
from zero_easel.library.people.journal import write
from zero_easel.library.people.passkeys import passkeys_of
from zero_easel.library.people.sign_ins import device_of, sign_ins_of, sign_out
from zero_easel.library.store.people import ROLES, Person, Role
from zero_easel.web.guards.entering import address_of, at_the_door, doors_of, let_in, site_of, too_often, too_often_for
from zero_easel.web.guards.rights import Asking
from zero_easel.web.guards.who import cookie_name
from zero_easel.web.page import Bench, Db, Number, Waiting, found, show

router = APIRouter()


@router.get("/sign-in")
def sign_in_page(request: Request, to: str = "/") -> Response:
    """Name and password, or a passkey."""
    return at_the_door(request, to=to)


@router.post("/sign-in")
def try_to_sign_in(
    request: Request,
    session: Db,
    name: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
    to: Annotated[str, Form()] = "/",
) -> Response:
    """Sign in, or, with a second factor, ask for its code. Whether there is such a name is not told."""
    if answer := too_often(request, name or "nobody", to):
        return answer
    person = person_named(session, name)
    if not is_password_of(person, password):
        write(session, f"nobody signed in as {name.strip()[:60] or 'nobody'}", about=address_of(request))
        return at_the_door(request, "Name or password is not right.", to=to, name=name)
    assert person is not None
    if person.second:
        half = secrets.token_urlsafe(16)
        doors_of(request).half.put(half, person.id)
        return at_the_door(request, to=to, half=half, name=person.name)
    return let_in(request, session, person, to)


@router.post("/sign-in/code")
def show_code(
    request: Request,
    session: Db,
    bench: Bench,
    half: Annotated[str, Form()] = "",
    code: Annotated[str, Form()] = "",
    to: Annotated[str, Form()] = "/",
) -> Response:
    """The second factor."""
    doors = doors_of(request)
    person = session.get(Person, doors.half.get(half) or 0)
    if person is None:
        return at_the_door(request, "That took too long. Sign in once more.", to=to)
    if answer := too_often(request, f"code of {person.folded}", to):
        return answer
    if not second_factor.passes(session, person, bench.seal.open(person.second), code):
        error = "This code is not right, or was used already."
        return at_the_door(request, error, to=to, half=half, name=person.name)
    doors.half.take(half)
    return let_in(request, session, person, to)


@router.post("/sign-out")
def leave(request: Request, session: Db, who: Asking, everywhere: Annotated[bool, Form()] = False) -> Response:
    """Sign out here, or on all devices."""
    person = session.get(Person, who.person_id)
    if person is not None:
        sign_out(session, person, only=None if everywhere else who.sign_in_id)
    answer = RedirectResponse("/sign-in", 303)
    answer.delete_cookie(cookie_name(request.url.scheme), path="/", secure=request.url.scheme == "https", httponly=True)
    # What the browser kept of pages is nobody else's to see.
    answer.headers["Clear-Site-Data"] = '"cache"'
    return answer


@router.get("/invitation/{text}")
def invitation(request: Request, session: Db, text: str) -> HTMLResponse:
    """Where somebody who was invited sets a password."""
    try:
        return show(request, "invitation.html", person=invited(session, text), error="", shortest=SHORTEST)
    except AccountError as error:
        return show(request, "sorry.html", 404, reason=str(error))


@router.post("/invitation/{text}")
def accept_invitation(request: Request, session: Db, text: str, password: Annotated[str, Form()] = "") -> Response:
    """Set it, and be signed in."""
    try:
        person = invited(session, text)
    except AccountError as error:
        return show(request, "sorry.html", 404, reason=str(error))
    try:
        take_up(session, text, password)
    except AccountError as error:
        return show(request, "invitation.html", 422, person=person, error=str(error), shortest=SHORTEST)
    if person.second:
        return RedirectResponse("/sign-in", 303)
    return let_in(request, session, person, "/")


@router.get("/account")
def account(request: Request, session: Db, who: Asking, flash: Waiting, shown: str = "") -> HTMLResponse:
    """One's own password, devices and second factor."""
    return account_page(request, session, account_of(session, who.person_id), codes=flash.take(shown).split())


@router.post("/account/password")
def change_password(
    request: Request,
    session: Db,
    who: Asking,
    former: Annotated[str, Form()] = "",
    password: Annotated[str, Form()] = "",
) -> Response:
    """Another password; all other devices are signed out."""
    person = account_of(session, who.person_id)
    if too_often_for(request, person, "password"):
        return account_page(request, session, person, error="Too many tries; wait a minute.")
    try:
        if not is_password_of(person, former):
            raise AccountError("The present password is not right.")
        set_password(session, person, password)
    except AccountError as error:
        return account_page(request, session, person, error=str(error))
    write(session, "changed their password")
    return let_in(request, session, person, "/account")


@router.post("/account/second")
def begin_second(
    request: Request,
    session: Db,
    bench: Bench,
    who: Asking,
    flash: Waiting,
    code: Annotated[str, Form()] = "",
) -> Response:
    """Ask for a second factor from now on, once a code shows that it works."""
    person, doors = account_of(session, who.person_id), doors_of(request)
    secret = doors.secrets.get(person.id) or ""
    if too_often_for(request, person, "second"):
        return account_page(request, session, person, error="Too many tries; wait a minute.")
    if not secret or second_factor.step_of(secret, code) is None:
        return account_page(request, session, person, error="This code is not right; show the one of this very moment.")
    codes = second_factor.begin(session, person, bench.seal.close(secret))
    doors.secrets.take(person.id)
    write(session, "asks for a second factor when signing in")
    return RedirectResponse(f"/account?shown={flash.keep(' '.join(codes))}", 303)


@router.post("/account/second/end")
def end_second(request: Request, session: Db, who: Asking, former: Annotated[str, Form()] = "") -> Response:
    """Ask for it no more; the password is shown once more for that."""
    person = account_of(session, who.person_id)
    if too_often_for(request, person, "password") or not is_password_of(person, former):
        return account_page(request, session, person, error="The present password is not right.")
    second_factor.end(session, person)
    write(session, "asks for no second factor any more")
    return RedirectResponse("/account", 303)


@router.post("/account/devices/{sign_in_id}/end")
def end_device(session: Db, who: Asking, sign_in_id: Number) -> Response:
    """Sign out on another device."""
    sign_out(session, account_of(session, who.person_id), only=sign_in_id)
    return RedirectResponse("/account", 303)


@router.get("/people")
def people(request: Request, session: Db, flash: Waiting, shown: str = "") -> HTMLResponse:
    """All accounts."""
    return _people(request, session, link=flash.take(shown))


@router.post("/people")
def invite_person(
    request: Request,
    session: Db,
    flash: Waiting,
    name: Annotated[str, Form()] = "",
    role: Annotated[Role, Form()] = Role.MAKER,
) -> Response:
    """One more; the link is shown on the next page, and never again."""
    try:
        person = add_person(session, name, role)
    except AccountError as error:
        return _people(request, session, error=str(error))
    write(session, f"invited {person.name} as {role}")
    return _with_link(request, flash, invite(session, person))


@router.post("/people/{person_id}/{what}")
def see_to(
    request: Request,
    session: Db,
    flash: Waiting,
    person_id: Number,
    what: str,
    role: Annotated[Role | None, Form()] = None,
) -> Response:
    """Another role, a new link to set a password by, no way in any more, or in again."""
    person = found(session.get(Person, person_id), "account")
    try:
        if what == "role" and role is not None:
            set_role(session, person, role)
            write(session, f"{person.name} is {role} now")
        elif what == "link":
            write(session, f"gave {person.name} a link to set a password")
            return _with_link(request, flash, invite(session, person))
        elif what == "second":
            second_factor.end(session, person)
            write(session, f"{person.name} needs no second factor any more")
        elif what in ("out", "in"):
            set_active(session, person, what == "in")
            write(session, f"{person.name} may {'sign in again' if what == 'in' else 'not sign in any more'}")
        else:
            raise HTTPException(404, "There is no such command.")
    except AccountError as error:
        return _people(request, session, error=str(error))
    return RedirectResponse("/people", 303)


def account_of(session: Db, person_id: int) -> Person:
    """The account of whoever asks. Raises HTTPException 404 without accounts."""
    return found(session.get(Person, person_id), "account")


def account_page(
    request: Request, session: Db, person: Person, error: str = "", codes: list[str] | None = None
) -> HTMLResponse:
    """One's own account. error: what was not done, and why. codes: that stand in for the second factor."""
    secret = ""
    if not person.second:
        secret = doors_of(request).secrets.put_first(person.id, second_factor.new_secret())
    squares = _squares(second_factor.address_of(person, secret)) if secret else []
    return show(
        request,
        "account.html",
        422 if error else 200,
        person=person,
        error=error,
        codes=codes or [],
        secret=secret,
        squares=squares,
        width=max((x for x, _ in squares), default=0) + 1 + min((x for x, _ in squares), default=0),
        devices=[(one, device_of(one.device)) for one in sign_ins_of(session, person)],
        passkeys=passkeys_of(session, person),
        site=site_of(request),
        here=request.state.who.sign_in_id,
        roles=ROLES,
        shortest=SHORTEST,
    )


def _people(request: Request, session: Db, link: str = "", error: str = "") -> HTMLResponse:
    return show(
        request,
        "people.html",
        422 if error else 200,
        people=all_people(session),
        roles=ROLES,
        link=link,
        error=error,
        days=INVITED_DAYS,
    )


def _with_link(request: Request, flash: Waiting, text: str) -> Response:
    link = f"{request.url.scheme}://{request.headers['host']}/invitation/{text}"
    return RedirectResponse(f"/people?shown={flash.keep(link)}", 303)


def _squares(text: str) -> list[tuple[int, int]]:
    """A QR code of a text: the columns and rows of its dark squares."""
    code = zxingcpp.create_barcode(text, zxingcpp.BarcodeFormat.QRCode)
    dark = np.argwhere(np.asarray(code.to_image(scale=1)) < 128)
    return [(int(x), int(y)) for y, x in dark]
