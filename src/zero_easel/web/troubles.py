"""What a browser is told when something cannot be done: one sentence, and whether asking again will help."""

from collections.abc import Awaitable, Callable

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import PlainTextResponse, Response
from sqlalchemy.exc import OperationalError
from sqlalchemy.exc import TimeoutError as NoConnection
from starlette.exceptions import HTTPException

from zero_easel.api.problems import RETRY_AFTER, busy, no_file
from zero_easel.doors.out.sealing import SealError
from zero_easel.web.page import is_partial, show

Handler = Callable[[Request, Exception], Awaitable[Response]]


def tell_troubles(app: FastAPI) -> None:
    """Let an application answer each kind of trouble with its sentence."""
    handlers: dict[type[Exception], Handler] = {
        HTTPException: _refused,
        RequestValidationError: _not_understood,
        OperationalError: _library_busy,
        NoConnection: _library_busy,
        OSError: _disk,
        SealError: _sealed,
    }
    for kind, handler in handlers.items():
        app.add_exception_handler(kind, handler)


async def _refused(request: Request, error: Exception) -> Response:
    assert isinstance(error, HTTPException)
    return _sorry(request, error.status_code, str(error.detail))


async def _not_understood(request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    places = [one["loc"] for one in error.errors()]
    if all(place[0] == "path" for place in places):
        return _sorry(request, 404, "There is no such page.")
    fields = ", ".join(dict.fromkeys(str(place[-1]).replace("_", " ") for place in places))
    return _sorry(request, 422, f"What was sent cannot be understood: {fields}.")


async def _library_busy(request: Request, error: Exception) -> Response:
    return _sorry(request, 503, busy(error))


async def _disk(request: Request, error: Exception) -> Response:
    return _sorry(request, 503, no_file(error))


async def _sealed(request: Request, error: Exception) -> Response:
    return _sorry(request, 503, str(error))


def _sorry(request: Request, status: int, reason: str) -> Response:
    partial = is_partial(request)
    answer = PlainTextResponse(reason, status) if partial else show(request, "sorry.html", status, reason=reason)
    if status == 503:
        answer.headers["Retry-After"] = RETRY_AFTER
    return answer
