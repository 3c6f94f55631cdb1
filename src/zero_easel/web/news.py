"""Telling open pages that something has changed, by server-sent events (HTML standard, 9.2), so that none has to ask.

A page hears only that, and asks for the parts that it shows. SQLite counts the changes of the library for whoever
looks, whoever made them, in this process or another.
"""

import asyncio
import sqlite3
import time
from collections.abc import AsyncIterator, Awaitable, Callable
from contextlib import suppress
from pathlib import Path

_LOOK, _STILL = 0.2, 15.0
"""Seconds between two looks; after which silence is broken, so that a connection that has gone is noticed."""
_BREATH, _LONG_BREATH = 0.25, 1.0
"""Seconds between two pieces of news for one page at least: at first, and doubled up to this while news goes on: a
photo that has just been shot is seen at once, and a run of thousands asks no page more than once a second."""


class News:
    """For one library. also: more that pages show and that changes without the library. still: seconds after which it
    is asked again whether somebody may listen, and silence is broken."""

    def __init__(self, database: Path, also: Callable[[], object], still: float = _STILL) -> None:
        self._path, self._also, self._still = database, also, still
        self._count = 0
        self._closed = False
        self._task: asyncio.Task[None] | None = None

    def begin(self) -> None:
        """Watch from now on; called where requests are answered."""
        self._closed = False
        self._task = asyncio.create_task(self._watch())

    def close(self) -> None:
        """Let all who listen go, so that the application can end; from any thread."""
        self._closed = True

    async def end(self) -> None:
        """Watch no more."""
        self.close()
        if self._task is not None:
            self._task.cancel()
            with suppress(asyncio.CancelledError):
                await self._task

    async def listen(self, may: Callable[[], Awaitable[bool]]) -> AsyncIterator[bytes]:
        """The stream of one page, as text/event-stream: at once, so that what happened while nobody listened is made
        up for, and then after each change. may: whether it may still listen, asked now and then: a stream must not
        outlast the sign-in by which it was opened."""
        told, quiet, breath = -1, 0.0, _BREATH
        asked = time.monotonic()
        while not self._closed:
            if time.monotonic() - asked >= self._still:
                asked = time.monotonic()
                if not await may():
                    return
            if told != self._count:
                told, quiet = self._count, 0.0
                yield f"event: work\ndata: {told}\n\n".encode()
                await asyncio.sleep(breath)
                breath = min(_LONG_BREATH, 2 * breath)
                continue
            await asyncio.sleep(_LOOK)
            quiet += _LOOK
            breath = _BREATH if quiet >= _LONG_BREATH else breath
            if quiet >= self._still:
                quiet = 0.0
                yield b": still here\n\n"

    async def _watch(self) -> None:
        seen: object = None
        connection = sqlite3.connect(f"file:{self._path}?mode=ro", uri=True, timeout=0, check_same_thread=False)
        try:
            while True:
                with suppress(sqlite3.Error):
                    now = (connection.execute("PRAGMA data_version").fetchone()[0], self._also())
                    if now != seen:
                        seen = now
                        self._count += 1
                await asyncio.sleep(_LOOK)
        finally:
            connection.close()
