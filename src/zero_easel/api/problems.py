"""What a program is told when something cannot be done: problem details as in RFC 9457."""

import json
from collections.abc import Awaitable, Callable, Mapping, Sequence
from http import HTTPStatus
from typing import Any, TypeVar

import structlog
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as NoConnection
from starlette.exceptions import HTTPException
from starlette.responses import Response
from starlette.routing import Match, Route

from zero_easel.doors.out.sealing import SealError

log = structlog.get_logger()
MEDIA = "application/problem+json"
NAME_IT = "Say which version you saw: If-Match with the ETag that came with it."
Row = TypeVar("Row")
RETRY_AFTER = "5"
"""Seconds after which asking again is worth it."""


class FaultTold(BaseModel):
    """One value that cannot be. at: where it was sent, as in body.name or query.limit."""

    at: str
    detail: str


class ProblemDetails(BaseModel):
    """Problem details (RFC 9457). errors: values that cannot be, where some of the request are to blame."""

    model_config = ConfigDict(
        json_schema_extra={
            "examples": [
                {
                    "type": "about:blank",
                    "title": "Precondition Failed",
                    "status": 412,
                    "detail": "Somebody has changed it since; read it again.",
                }
            ]
        }
    )
    type: str = "about:blank"
    title: str
    status: int
    detail: str
    errors: list[FaultTold] = Field(default_factory=list)


class Refusal(Exception):  # noqa: N818
    """An answer that is a problem. detail: a sentence."""

    def __init__(
        self, status: int, detail: str, headers: Mapping[str, str] | None = None, errors: Sequence[FaultTold] = ()
    ) -> None:
        super().__init__(detail)
        self.status, self.detail, self.headers, self.errors = status, detail, headers, list(errors)


def found(row: Row | None, what: str) -> Row:
    """The row, or a problem that names what is missing."""
    if row is None:
        raise Refusal(404, f"There is no such {what}.")
    return row


def problems(*statuses: int) -> dict[int | str, dict[str, Any]]:
    """For a route: problems that it may answer with beside those of every route."""
    return {status: {"description": HTTPStatus(status).phrase} for status in statuses}


def answer(problem: Refusal) -> Response:
    """A problem as an answer."""
    title = HTTPStatus(problem.status).phrase
    details = ProblemDetails(title=title, status=problem.status, detail=problem.detail, errors=problem.errors)
    body = details.model_dump(exclude=set() if problem.errors else {"errors"})
    headers = dict(problem.headers or {})
    return Response(json.dumps(body, ensure_ascii=False), problem.status, headers, MEDIA)


Handler = Callable[[Request, Exception], Awaitable[Response]]


def tell_problems(app: FastAPI) -> None:
    """Let an application answer whatever goes wrong with problem details."""
    handlers: dict[type[Exception], Handler] = {
        Refusal: _problem,
        HTTPException: _refused,
        RequestValidationError: _not_understood,
        OperationalError: _busy,
        NoConnection: _busy,
        OSError: _disk,
        SealError: _sealed,
        Exception: _unforeseen,
    }
    for kind, handler in handlers.items():
        app.add_exception_handler(kind, handler)


async def _problem(_request: Request, error: Exception) -> Response:
    assert isinstance(error, Refusal)
    return answer(error)


async def _refused(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    detail = {404: "There is nothing at this address.", 405: "This address knows no such method."}
    headers = {"Allow": _methods_at(request)} if error.status_code == 405 else error.headers
    return answer(Refusal(error.status_code, detail.get(error.status_code, str(error.detail)), headers))


def _methods_at(request: Request) -> str:
    """All methods that an address knows: each route by itself names only its own."""
    routes: Sequence[Route] = request.app.state.routes
    there = [one.methods or set() for one in routes if one.matches(request.scope)[0] != Match.NONE]
    return ", ".join(sorted(set().union(*there)))


async def _not_understood(_request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    faults = [FaultTold(at=".".join(map(str, one["loc"])), detail=_phrase(one)) for one in error.errors()[:20]]
    if any(one["type"] == "missing" and one["loc"] == ("header", "if-match") for one in error.errors()):
        return answer(Refusal(428, NAME_IT))  # RFC 6585, 3
    if any(one["type"] == "json_invalid" for one in error.errors()):
        return answer(Refusal(400, "The body is no JSON."))
    return answer(Refusal(422, "Some values cannot be.", errors=faults))


def _phrase(fault: Mapping[str, Any]) -> str:
    return str(fault["msg"]).removeprefix("Value error, ")[:500]


async def _busy(_request: Request, error: Exception) -> Response:
    return answer(Refusal(503, busy(error), {"Retry-After": RETRY_AFTER}))


async def _disk(_request: Request, error: Exception) -> Response:
    return answer(Refusal(503, no_file(error), {"Retry-After": RETRY_AFTER}))


async def _sealed(_request: Request, error: Exception) -> Response:
    return answer(Refusal(503, str(error)))


async def _unforeseen(_request: Request, _error: Exception) -> Response:
    return answer(Refusal(500, "Something went wrong that was not foreseen; the log says what."))


def busy(error: Exception) -> str:
    """Why the library cannot be written or read at the moment, as a sentence; the log is told, too."""
    reason = str(getattr(error, "orig", error))
    log.warning("library not available", reason=reason)
    trouble = "The library's disk is full" if "full" in reason else "The library is busy"
    return f"{trouble}; nothing was changed. Please try again in a moment."


def no_file(error: Exception) -> str:
    """Why a file cannot be had at the moment, likewise."""
    log.warning("file not available", reason=str(error))
    why = getattr(error, "strerror", None) or "no reason given"
    return f"A file could not be read or written ({why}). Please try again."
