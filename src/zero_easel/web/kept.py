"""Pages that only show what stands in the library are drawn once, and given again until the library changes.

SQLite counts the changes of a file for whoever asks (PRAGMA data_version): one look tells whether a page that was drawn
is still what would be drawn now, whoever changed what, in this process or in another.
"""

import asyncio
import re
import sqlite3
from pathlib import Path
from typing import NamedTuple

from cachetools import LRUCache
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zero_easel.web.guards.who import Who

_PAGES = re.compile(r"/|/status|/products|/standards|/shoots/[0-9]{1,9}/(bring-in|match|clear|light|names|place|whole)")
_BYTES, _LARGEST = 32_000_000, 2_000_000


_Key = tuple[str, bytes, bool, Who]


class _Page(NamedTuple):
    """An answer. start: its status and headers."""

    start: Message
    body: bytes


class KeptPages:
    """ASGI middleware. database: the library's file. What an address tells once, by a note, is drawn each time."""

    def __init__(self, app: ASGIApp, database: Path) -> None:
        self._app, self._path = app, database
        self._pages: LRUCache[_Key, _Page] = LRUCache(_BYTES, lambda page: len(page.body) + 1000)
        self._drawing: dict[_Key, asyncio.Event] = {}
        self._version = -1
        self._connection: sqlite3.Connection | None = None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer with a page that is kept and still true, or have it drawn."""
        key = _key_of(scope)
        if key is None or not self._is_current():
            await self._app(scope, receive, send)
            return
        if key in self._drawing:
            # Somebody has just asked for the same: it is drawn once for both.
            await self._drawing[key].wait()
        kept = self._pages.get(key)
        if kept is None:
            await self._drawn(key, scope, receive, send)
            return
        # Answers are completed on their way out, so each needs headers of its own.
        await send({**kept.start, "headers": list(kept.start["headers"])})
        await send({"type": "http.response.body", "body": kept.body})

    async def _drawn(self, key: _Key, scope: Scope, receive: Receive, send: Send) -> None:
        """Have a page drawn, and keep it unless the library has changed meanwhile."""
        version, listener, through = self._version, _Listener(send), asyncio.Event()
        self._drawing[key] = through
        try:
            await self._app(scope, receive, listener.send)
        finally:
            through.set()
            if self._drawing.get(key) is through:
                del self._drawing[key]
        page = listener.page()
        if page is not None and version == self._version:
            self._pages[key] = page

    def _is_current(self) -> bool:
        """Forget all pages if the library has changed; returns whether it can be told."""
        try:
            if self._connection is None:
                self._connection = sqlite3.connect(f"file:{self._path}?mode=ro", uri=True, timeout=0)
            version = int(self._connection.execute("PRAGMA data_version").fetchone()[0])
        except sqlite3.Error:
            return False
        if version != self._version:
            self._pages.clear()
            self._version = version
        return True


class _Listener:
    """Passes an answer on and remembers it, as long as it is a whole page of usual size."""

    def __init__(self, send: Send) -> None:
        self._send = send
        self._start: Message | None = None
        self._body: bytearray | None = bytearray()
        self._whole = False

    async def send(self, message: Message) -> None:
        """One part of the answer."""
        if message["type"] == "http.response.start":
            self._start = {**message, "headers": list(message["headers"])}
        elif self._body is not None:
            self._body += message.get("body", b"")
            self._whole = not message.get("more_body", False)
            if len(self._body) > _LARGEST:
                self._body = None
        await self._send(message)

    def page(self) -> _Page | None:
        """The answer, unless it is none to be kept."""
        if self._start is None or self._body is None or not self._whole or self._start["status"] != 200:
            return None
        return _Page(self._start, bytes(self._body))


def _key_of(scope: Scope) -> _Key | None:
    """What a page depends on besides the library; None for what is no such page."""
    if scope["type"] != "http" or scope["method"] != "GET" or not _PAGES.fullmatch(scope["path"]):
        return None
    query = scope["query_string"]
    if b"note=" in query or len(query) > 500:
        return None
    partial = any(name == b"hx-request" for name, _ in scope["headers"])
    return scope["path"], query, partial, scope["state"]["who"]
