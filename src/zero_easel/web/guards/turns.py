"""How many requests are worked on at once: as many as there are connections to the library, the others wait for a turn.

Without it a request that holds a connection waits for a thread, while all threads wait for a connection.
"""

import asyncio

from starlette.types import ASGIApp, Receive, Scope, Send

from zero_easel.api.problems import RETRY_AFTER
from zero_easel.web.guards.security import refusal

_AT_ONCE = 12
"""Requests under way; a page is mostly computing, so more of them would only slow each other down."""
_PATIENCE = 5.0
"""Seconds that a request waits for its turn."""
_ALWAYS = ("/static/", "/status", "/news")
"""Addresses that are answered whatever goes on."""


class Turns:
    """ASGI middleware. A request that does not come to its turn is answered with 503 and when to ask again."""

    def __init__(self, app: ASGIApp, at_once: int = _AT_ONCE, patience: float = _PATIENCE) -> None:
        self._app, self._patience = app, patience
        self._turns = asyncio.Semaphore(at_once)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let a request through when it is its turn."""
        if scope["type"] != "http" or scope["path"].startswith(_ALWAYS):
            await self._app(scope, receive, send)
            return
        try:
            await asyncio.wait_for(self._turns.acquire(), self._patience)
        except TimeoutError:
            reason, again = "Too much is asked at once. Please try again in a moment.", {"Retry-After": RETRY_AFTER}
            await refusal(scope, 503, reason, again)(scope, receive, send)
            return
        try:
            await self._app(scope, receive, send)
        finally:
            self._turns.release()
