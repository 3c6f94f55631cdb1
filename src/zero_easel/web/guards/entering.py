"""Letting people in: what is kept in mind between two requests of somebody at the door, how often they may try, and the
cookie that they get."""

import re
from urllib.parse import urlsplit

from fastapi import Request
from fastapi.responses import RedirectResponse, Response
from sqlalchemy.orm import Session

from zero_easel.api.access import Rate
from zero_easel.library.people.passkeys import Site
from zero_easel.library.people.sign_ins import WHOLE, sign_in
from zero_easel.library.store.people import Person
from zero_easel.web.guards.lasting import Lasting
from zero_easel.web.guards.who import cookie_name
from zero_easel.web.page import show

_ONE, _ADDRESS = 6, 30
"""Tries a minute: with one name, and from one address."""
_HALF = 300
"""Seconds in which a second step has to follow the first."""


class Doors:
    """rate: of tries. half: who has still to show a code, by a name for that. secrets: of second factors that are being
    set up, by person. asked: what a device was asked to sign, and for whom, 0 for whoever it is. opened: links to
    approve of which the password was shown, by what a cookie holds."""

    def __init__(self) -> None:
        self.rate = Rate()
        self.half: Lasting[str, int] = Lasting(_HALF)
        self.secrets: Lasting[int, str] = Lasting(900)
        self.asked: Lasting[bytes, int] = Lasting(_HALF)
        self.opened: Lasting[str, int] = Lasting(43_200, 10_000)


def doors_of(request: Request) -> Doors:
    """Those of the application."""
    doors: Doors = request.app.state.doors
    return doors


def let_in(request: Request, session: Session, person: Person, to: str) -> Response:
    """Sign somebody in who has shown who they are, and lead them to where they wanted."""
    text = sign_in(session, person, request.headers.get("user-agent", ""), address_of(request))
    answer = RedirectResponse(within(to), 303)
    answer.set_cookie(
        cookie_name(request.url.scheme),
        text,
        max_age=int(WHOLE.total_seconds()),
        path="/",
        secure=request.url.scheme == "https",
        httponly=True,
        samesite="lax",
    )
    return answer


def too_often(request: Request, name: str, to: str) -> Response | None:
    """The answer to somebody who tries too often with one name, or from one address; None to others."""
    rate = doors_of(request).rate
    one = rate.wait(("name", name.strip().casefold()), _ONE) if name else 0.0
    wait = max(one, rate.wait(("address", address_of(request)), _ADDRESS))
    if not wait:
        return None
    answer = at_the_door(request, f"Too many tries; wait {wait:.0f} seconds.", to=to, name=name, status=429)
    answer.headers["Retry-After"] = f"{wait:.0f}"
    return answer


def too_often_for(request: Request, person: Person, what: str) -> bool:
    """Whether somebody who is in tries the same secret too often."""
    return bool(doors_of(request).rate.wait((what, person.id), _ONE))


def at_the_door(
    request: Request, error: str = "", *, to: str = "/", name: str = "", half: str = "", status: int = 422
) -> Response:
    """The page to sign in by. half: if name and password were right, what to show the code with."""
    status = status if error else 200
    site = site_of(request)
    return show(request, "sign_in.html", status, to=within(to), error=error, half=half, name=name, site=site)


def site_of(request: Request) -> Site | None:
    """The application as this browser knows it, for passkeys; None where they cannot be had: at a bare number."""
    host = urlsplit(f"//{request.headers['host']}").hostname or ""
    if re.fullmatch(r"[0-9.]+", host) or ":" in host:
        return None
    return Site(host, f"{request.url.scheme}://{request.headers['host']}")


def within(to: str) -> str:
    """An address of this application alone, whoever wrote it."""
    parts = urlsplit(to)
    fine = to.startswith("/") and not to.startswith(("//", "/\\")) and not parts.scheme and not parts.netloc
    return to if fine and to.isprintable() and "\\" not in to else "/"


def address_of(request: Request) -> str:
    """Where a request comes from."""
    return request.client.host if request.client else ""
