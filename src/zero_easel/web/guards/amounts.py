"""How much one person may send within a day: an upload that never ends must not fill the disk of all."""

import time

from cachetools import TTLCache
from starlette.datastructures import Headers
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zero_easel.web.guards.security import refusal

_DAY = 86_400.0
_SMALL = 100_000
"""Bytes of a body that is not counted: forms, marks, rules."""


class DailyAmounts:
    """ASGI middleware. gigabytes: that one person, or, without accounts, one address may send within a day."""

    def __init__(self, app: ASGIApp, gigabytes: float) -> None:
        self._app, self._most = app, gigabytes * 1e9
        self._sent: TTLCache[tuple[int, object], float] = TTLCache(100_000, 2 * _DAY, time.monotonic)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Count what a request brings; refuse one of somebody who has sent too much."""
        if scope["type"] != "http" or scope["method"] in ("GET", "HEAD"):
            await self._app(scope, receive, send)
            return
        who = int(time.time() // _DAY), scope["state"]["who"].person_id or (scope["client"] or ("",))[0]
        length = Headers(scope=scope).get("content-length", "")
        small = length.isdigit() and int(length) <= _SMALL
        if not small and self._sent.get(who, 0.0) > self._most:
            reason = f"Within a day one person may send {self._most / 1e9:g} GB, and that has been sent."
            await refusal(scope, 429, reason, {"Retry-After": "3600"})(scope, receive, send)
            return

        async def counted() -> Message:
            message = await receive()
            size = len(message.get("body", b""))
            if size > _SMALL or message.get("more_body"):
                self._sent[who] = self._sent.get(who, 0.0) + size
            return message

        await self._app(scope, counted, send)
