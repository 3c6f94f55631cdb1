"""Who asks, and what they may: a token as a bearer (RFC 6750), its scopes, and how many requests it makes."""

import threading
import time
from collections.abc import Iterator
from typing import Annotated, Any, NamedTuple

from fastapi import Depends, Request, Security
from fastapi.security import HTTPAuthorizationCredentials, HTTPBearer, SecurityScopes
from sqlalchemy import text
from sqlalchemy.orm import Session

from zero_easel.api.problems import Refusal
from zero_easel.library.store.access import MEANING, Right
from zero_easel.library.tokens import TokenError, holder_of, note_use, wants_noting
from zero_easel.workbench import Workbench

_MINUTE = 60.0
_ATTEMPTS = 20
"""Of the requests that a token may make, one of so many may be made with a token that is none, from one address."""
_REMEMBERED = 10_000
bearer = HTTPBearer(
    auto_error=False,
    scheme_name="token",
    description="A token of `zero-easel tokens add`. Scopes: " + "; ".join(f"{k}: {v}" for k, v in MEANING.items()),
)


class Caller(NamedTuple):
    """Who asks. token_id: 0 for the command line of this machine, which may do everything. name: as the journal tells
    it."""

    token_id: int
    scopes: frozenset[Right]
    name: str = ""


LOCAL = Caller(0, frozenset(Right), "command line")


class Rate:
    """How many requests each may make: a bucket of so many, which fills again within a minute."""

    def __init__(self) -> None:
        self._left: dict[object, tuple[float, float]] = {}
        self._lock = threading.Lock()

    def wait(self, who: object, most: int) -> float:
        """Take one of `who`'s requests; returns the seconds to wait if there is none left, else 0."""
        with self._lock:
            moment = time.monotonic()
            left, at = self._left.pop(who, (float(most), moment))
            left = min(float(most), left + (moment - at) * most / _MINUTE)
            self._left[who] = (left - 1 if left >= 1 else left, moment)
            if len(self._left) > _REMEMBERED:
                # Whoever was not heard of for longest has a full bucket by now.
                del self._left[next(iter(self._left))]
        return 0.0 if left >= 1 else (1 - left) * _MINUTE / most


def bench_of(request: Request) -> Workbench:
    """The workbench behind all services."""
    bench: Workbench = request.app.state.bench
    return bench


Bench = Annotated[Workbench, Depends(bench_of)]


def caller_of(
    request: Request,
    bench: Bench,
    needed: SecurityScopes,
    shown: Annotated[HTTPAuthorizationCredentials | None, Depends(bearer)],
) -> Caller:
    """Who asks, if they may. Raises Refusal: 401 without a token that is good, 403 without the scope, 429 for too many
    requests."""
    if request.app.state.local:
        request.state.caller = LOCAL
        return LOCAL
    rate: Rate = request.app.state.rate
    caller = _holder(bench, shown, rate, request.client.host if request.client else "")
    _insist(rate.wait(caller.token_id, bench.settings.rate))
    missing = [scope for scope in needed.scopes if scope not in caller.scopes]
    if missing:
        challenge = f'Bearer error="insufficient_scope", scope="{missing[0]}"'
        meaning = MEANING[Right(missing[0])]
        raise Refusal(
            403, f"This token does not allow to {meaning} (scope {missing[0]}).", {"WWW-Authenticate": challenge}
        )
    request.state.caller = caller
    return caller


def _holder(bench: Workbench, shown: HTTPAuthorizationCredentials | None, rate: Rate, address: str) -> Caller:
    if shown is None:
        raise Refusal(401, "Show a token: Authorization: Bearer zeo_...", {"WWW-Authenticate": "Bearer"})
    try:
        with bench.database.session() as session:
            token = holder_of(session, shown.credentials)
            if wants_noting(token):
                note_use(session, token.id)
        return Caller(token.id, frozenset(token.scopes), f"program {token.name}"[:60])
    except TokenError as error:
        _insist(rate.wait(("no token", address), max(1, bench.settings.rate // _ATTEMPTS)))
        raise Refusal(401, str(error), {"WWW-Authenticate": 'Bearer error="invalid_token"'}) from error


def _insist(seconds: float) -> None:
    if seconds:
        wait = str(max(1, round(seconds + 0.5)))
        raise Refusal(429, f"Too many requests; ask again in {wait} s.", {"Retry-After": wait})


def reading_session(bench: Bench) -> Iterator[Session]:
    """A session to look."""
    with bench.database.session() as session:
        yield session


def writing_session(request: Request, bench: Bench) -> Iterator[Session]:
    """A session to change something: nobody else writes from its first moment on, so that what is compared with an ETag
    is what is changed. It commits before the answer is sent."""
    with bench.database.acting(request.state.caller.name).session() as session:
        session.execute(text("BEGIN IMMEDIATE"))
        yield session


def may(scope: Right) -> list[Any]:
    """For a route: who asks must be allowed that. As dependencies of the route, so that it is asked before all else."""
    return [Security(caller_of, scopes=[scope.value])]


Reading = Annotated[Session, Depends(reading_session, scope="function")]
Writing = Annotated[Session, Depends(writing_session, scope="function")]
