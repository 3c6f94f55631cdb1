"""Creating once, however often it is asked for: an answer is kept under the key that its sender gave the request.

Source: The Idempotency-Key HTTP Header Field (IETF httpapi working group).
"""

import hashlib
import json
from collections.abc import Callable
from datetime import timedelta
from typing import Annotated

from fastapi import Depends, Header, Request
from pydantic import BaseModel
from sqlalchemy import delete, select
from starlette.responses import JSONResponse, Response

from zero_easel.api.access import Bench, Caller, Writing
from zero_easel.api.problems import Refusal
from zero_easel.api.versions import etag_of
from zero_easel.doors.out.sealing import Seal
from zero_easel.library.store.access import Answered
from zero_easel.library.store.models import now

_KEPT = timedelta(days=1)


def made(told: BaseModel, where: str, seen: BaseModel | None = None, status: int = 201) -> Response:
    """What was created and where it is. seen: what its ETag is of."""
    headers = {"Location": where} | ({"ETag": etag_of(seen)} if seen else {})
    return JSONResponse(told.model_dump(mode="json"), status, headers)


class Once:
    """A request that creates something."""

    def __init__(self, session: Writing, seal: Seal, key: str | None, request: Request) -> None:
        self._session, self._seal, self._key, self._request = session, seal, key, request

    def do(self, asked: BaseModel | None, create: Callable[[], Response]) -> Response:
        """Create what was asked for, or answer as the first time. Raises Refusal 422 if the key was given to another
        request."""
        if self._key is None:
            return create()
        caller: Caller = self._request.state.caller
        digest = self._digest(asked)
        mine = Answered.token_id == caller.token_id, Answered.key == self._key
        kept = self._session.scalar(select(Answered).where(*mine, Answered.made > now() - _KEPT))
        if kept is not None:
            if kept.request != digest:
                raise Refusal(422, "This Idempotency-Key was given to another request before.")
            return JSONResponse(json.loads(self._seal.open(kept.body)), kept.status, kept.headers)
        answer = create()
        self._session.execute(delete(Answered).where(Answered.made <= now() - _KEPT))
        headers = {key: value for key, value in answer.headers.items() if key in ("location", "etag")}
        # An answer may hold what is shown once, like the secret of a webhook.
        body = self._seal.close(bytes(answer.body).decode())
        row = Answered(token_id=caller.token_id, key=self._key, request=digest, headers=headers, body=body)
        row.status = answer.status_code
        self._session.add(row)
        self._session.flush()
        return answer

    def _digest(self, asked: BaseModel | None) -> str:
        body = asked.model_dump_json() if asked else ""
        return hashlib.sha256(f"{self._request.method} {self._request.url.path}\n{body}".encode()).hexdigest()


def once_of(
    request: Request,
    session: Writing,
    bench: Bench,
    idempotency_key: Annotated[
        str | None,
        Header(
            pattern="^[!-~]{1,200}$",
            description="A key of your own, best a UUID: the same request sent again with it creates nothing more.",
        ),
    ] = None,
) -> Once:
    """From the request's header."""
    return Once(session, bench.seal, idempotency_key, request)


Creating = Annotated[Once, Depends(once_of)]
