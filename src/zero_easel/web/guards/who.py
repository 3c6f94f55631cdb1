"""Who asks: a person who is signed in, or, as long as there are no accounts, whoever is at this machine."""

import sqlite3
from collections.abc import Iterator
from http.cookies import CookieError, SimpleCookie
from pathlib import Path
from typing import NamedTuple
from urllib.parse import quote

from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers
from starlette.responses import PlainTextResponse, RedirectResponse, Response
from starlette.types import ASGIApp, Receive, Scope, Send

from zero_easel.api import PREFIX
from zero_easel.library.people.accounts import has_people
from zero_easel.library.people.sign_ins import is_good, note_use, signed_in, wants_noting
from zero_easel.library.store.database import Database
from zero_easel.library.store.people import Role, SignIn

OPEN_TO_ALL = ("/static/", "/sign-in", "/invitation/", "/approve/", "/health", "/ready", "/metrics")
"""Addresses that need no account; what lies behind them asks for something of its own, if for anything."""


class Who(NamedTuple):
    """Somebody. name: "" as long as there are no accounts. person_id, sign_in_id: 0 then, and for nobody."""

    name: str
    role: Role | None
    person_id: int = 0
    sign_in_id: int = 0

    def may(self, needed: Role | None) -> bool:
        """Whether they may do what needs a role; None needs none."""
        return needed is None or (self.role is not None and self.role.may(needed))


AT_THIS_MACHINE, NOBODY = Who("", Role.OWNER), Who("", None)


def cookie_name(scheme: str) -> str:
    """Of the cookie that holds a sign-in; the browser itself sees to it that only this host sets it, where it can."""
    return "__Host-zero-easel" if scheme == "https" else "zero-easel"


class SignedIn:
    """ASGI middleware: says who asks, in `state.who` of each request, and sends whoever has to sign in there."""

    def __init__(self, app: ASGIApp, database: Database) -> None:
        self._app, self._database = app, database
        self._connection: sqlite3.Connection | None = None
        self._closed = False

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let a request through with who it is from, or answer that they have to sign in."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        who = await self._who(scope)
        scope.setdefault("state", {})["who"] = who
        path: str = scope["path"]
        # The API lets programs in by tokens.
        if who.role is None and not path.startswith((*OPEN_TO_ALL, PREFIX + "/")):
            await _sign_in_first(scope)(scope, receive, send)
            return
        await self._app(scope, receive, send)

    async def _who(self, scope: Scope) -> Who:
        if not self._has_people(self._database.path):
            return AT_THIS_MACHINE
        text = _cookie(scope, cookie_name(scope["scheme"]))
        return await run_in_threadpool(self._holder, text) if text else NOBODY

    def _has_people(self, path: Path) -> bool:
        """Asked for each request, so that the first account closes the doors at once; what is closed stays closed."""
        if not self._closed:
            try:
                if self._connection is None:
                    self._connection = sqlite3.connect(f"file:{path}?mode=ro", uri=True, timeout=5)
                self._closed = self._connection.execute("SELECT 1 FROM person LIMIT 1").fetchone() is not None
            except sqlite3.Error:
                return True  # it cannot be told, so nobody is let in
        return self._closed

    def _holder(self, text: str) -> Who:
        with self._database.session() as session:
            row = signed_in(session, text)
            if row is None:
                return NOBODY
            if wants_noting(row):
                note_use(session, row.id)
            return Who(row.person.name, row.person.role, row.person_id, row.id)


def still_signed_in(database: Database, who: Who) -> bool:
    """Whether somebody who asked before may ask still."""
    with database.session() as session:
        row = session.get(SignIn, who.sign_in_id) if who.sign_in_id else None
        return is_good(row) if who.sign_in_id else not has_people(session)


def _cookie(scope: Scope, name: str) -> str:
    try:
        jar = SimpleCookie("; ".join(_values(scope, b"cookie")))
    except CookieError:
        return ""
    return jar[name].value if name in jar else ""


def _values(scope: Scope, name: bytes) -> Iterator[str]:
    return (value.decode("latin-1") for key, value in scope["headers"] if key == name)


def _sign_in_first(scope: Scope) -> Response:
    headers = Headers(scope=scope)
    query = scope["query_string"].decode("latin-1")
    here = quote(scope["path"]) + (f"?{query}" if query else "")
    if headers.get("hx-request") == "true":
        return PlainTextResponse("Sign in again.", 401, {"HX-Redirect": "/sign-in"})
    if scope["method"] == "GET" and "text/html" in headers.get("accept", ""):
        return RedirectResponse(f"/sign-in?to={quote(here, safe='')}", 303)
    return PlainTextResponse("Sign in first.", 401)
