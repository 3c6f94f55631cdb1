"""Passkeys: adding and removing one's own, and signing in by them."""

from typing import Annotated

from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.responses import RedirectResponse, Response

from zero_easel.library.people.accounts import is_password_of
from zero_easel.library.people.journal import write
from zero_easel.library.people.passkeys import (
    PasskeyError,
    Site,
    add,
    challenge_in,
    offer_to_add,
    offer_to_sign_in,
    remove,
    shown_by,
)
from zero_easel.web.guards.entering import address_of, at_the_door, doors_of, let_in, site_of, too_often, too_often_for
from zero_easel.web.guards.rights import Asking
from zero_easel.web.page import Db, Number
from zero_easel.web.screens.people import account_of, account_page

router = APIRouter()
_JSON = "application/json"


@router.post("/account/passkeys/offer")
def ask_for_one(request: Request, session: Db, who: Asking, former: Annotated[str, Form()] = "") -> Response:
    """What the device is asked so that it makes a passkey; the present password is shown for that."""
    person = account_of(session, who.person_id)
    if too_often_for(request, person, "password") or not is_password_of(person, former):
        raise HTTPException(422, "The present password is not right.")
    try:
        offer = offer_to_add(session, person, _site(request))
    except PasskeyError as error:
        raise HTTPException(409, str(error)) from error
    doors_of(request).asked.put(offer.challenge, person.id)
    return Response(offer.text, media_type=_JSON)


@router.post("/account/passkeys")
def add_one(
    request: Request,
    session: Db,
    who: Asking,
    credential: Annotated[str, Form()] = "",
    name: Annotated[str, Form()] = "",
) -> Response:
    """Keep what the device has made."""
    person, challenge = account_of(session, who.person_id), challenge_in(credential)
    try:
        if doors_of(request).asked.take(challenge) != person.id:
            raise PasskeyError("That took too long; try once more.")
        made = add(session, person, _site(request), challenge, credential, name)
    except PasskeyError as error:
        return account_page(request, session, person, error=str(error))
    write(session, f"signs in by a passkey, too: {made.name}")
    return RedirectResponse("/account", 303)


@router.post("/account/passkeys/{passkey_id}/remove")
def remove_one(session: Db, who: Asking, passkey_id: Number) -> Response:
    """Take it no more."""
    remove(session, account_of(session, who.person_id), passkey_id)
    write(session, "removed a passkey")
    return RedirectResponse("/account", 303)


@router.post("/sign-in/passkey/offer")
def ask_whose(request: Request) -> Response:
    """What a device is asked so that it shows whose it is."""
    offer = offer_to_sign_in(_site(request))
    doors_of(request).asked.put(offer.challenge, 0)
    return Response(offer.text, media_type=_JSON)


@router.post("/sign-in/passkey")
def sign_in_by_passkey(
    request: Request, session: Db, credential: Annotated[str, Form()] = "", to: Annotated[str, Form()] = "/"
) -> Response:
    """Sign in whoever the device says it is."""
    if answer := too_often(request, "", to):
        return answer
    challenge = challenge_in(credential)
    try:
        if doors_of(request).asked.take(challenge) != 0:
            raise PasskeyError("That took too long; try once more.")
        person = shown_by(session, _site(request), challenge, credential)
    except PasskeyError as error:
        write(session, "nobody signed in by a passkey", about=address_of(request))
        return at_the_door(request, str(error), to=to)
    return let_in(request, session, person, to)


def _site(request: Request) -> Site:
    site = site_of(request)
    if site is None:
        raise HTTPException(409, "Passkeys need a name in the address, as in localhost; a number will not do.")
    return site
