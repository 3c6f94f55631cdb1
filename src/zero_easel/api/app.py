"""Puts the API together, and describes it (OpenAPI)."""

from collections.abc import Callable
from http import HTTPStatus
from typing import Any

from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi

from zero_easel import __version__
from zero_easel.api import PREFIX
from zero_easel.api.access import Rate
from zero_easel.api.problems import MEDIA, ProblemDetails, tell_problems
from zero_easel.api.routes import corrections, photos, products, runs, shoots, standards, targets, webhooks
from zero_easel.workbench import Workbench

_ALWAYS = (400, 401, 403, 413, 422, 429, 500, 503)
"""Problems that every address may answer with."""
_DESCRIPTION = """Shoots, photos, products, standards, runs and what came of them: what the pages show and do, for other
programs.

* Each request shows a token: `Authorization: Bearer zeo_...`, made by `zero-easel tokens add`.
* Whatever cannot be done is answered with problem details (RFC 9457), `application/problem+json`.
* Long lists come part by part: `next` of one part is the `cursor` of the following one.
* What two may edit has an `ETag`; whoever changes it names that by `If-Match`, and is told 412 if somebody was faster.
* What creates something takes an `Idempotency-Key`: sent again within a day, it creates nothing more."""


def create_api(bench: Workbench, *, local: bool = False) -> FastAPI:
    """The API over a workbench. local: for the command line of this machine, which needs no token."""
    api = FastAPI(
        title="Zero Easel",
        version=__version__,
        description=_DESCRIPTION,
        docs_url=None,
        redoc_url=None,
        servers=[{"url": PREFIX}],
        root_path_in_servers=False,
    )
    api.state.bench, api.state.rate, api.state.local = bench, Rate(), local
    parts = (shoots, photos, corrections, products, standards, runs, targets, webhooks)
    for part in parts:
        api.include_router(part.router)
    api.state.routes = [route for part in parts for route in part.router.routes]
    tell_problems(api)
    api.openapi = _described(api)  # type: ignore[method-assign]
    return api


def _described(api: FastAPI) -> Callable[[], dict[str, Any]]:
    """The description, with the problems that answers may be."""

    def describe() -> dict[str, Any]:
        if api.openapi_schema is None:
            found = get_openapi(
                title=api.title,
                version=api.version,
                description=api.description,
                routes=api.routes,
                servers=api.servers,
            )
            schemas = found["components"]["schemas"]
            told = ProblemDetails.model_json_schema(ref_template="#/components/schemas/{model}")
            schemas |= told.pop("$defs") | {"ProblemDetails": told}
            for name in ("HTTPValidationError", "ValidationError"):
                schemas.pop(name, None)
            for path, operations in found["paths"].items():
                for operation in operations.values():
                    _tell_problems(operation, has_number="{" in path)
            api.openapi_schema = found
        return api.openapi_schema

    return describe


def _tell_problems(operation: dict[str, Any], *, has_number: bool) -> None:
    answers = operation["responses"]
    own = [int(status) for status in answers if int(status) >= 400]
    content = {MEDIA: {"schema": {"$ref": "#/components/schemas/ProblemDetails"}}}
    for status in sorted({*_ALWAYS, *own, *((404,) if has_number else ())}):
        answers[str(status)] = {"description": HTTPStatus(status).phrase, "content": content}
