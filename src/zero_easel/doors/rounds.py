"""A thread that makes a round whenever something may have come up, from start() to stop()."""

import threading
from collections.abc import Callable

import structlog

log = structlog.get_logger()
_AGAIN = 2.0
"""Seconds after a round that came to nothing."""


class Rounds:
    """make: one round; how many seconds to wait at most before the next one is what it returns. Whatever it raises (a
    full disk, a locked library) is told and ends nothing for good. ended: is called by the thread when it ends."""

    def __init__(self, name: str, make: Callable[[], float], ended: Callable[[], None] = lambda: None) -> None:
        self._name, self._make, self._ended = name, make, ended
        self._wake, self.stopping = threading.Event(), threading.Event()
        self._thread: threading.Thread

    def start(self) -> None:
        """Begin."""
        self.stopping.clear()
        self._thread = threading.Thread(target=self._loop, name=self._name, daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """End; a round that is being made is ended first."""
        self.stopping.set()
        self._wake.set()
        self._thread.join()

    def wake(self) -> None:
        """Say that something has come up."""
        self._wake.set()

    def _loop(self) -> None:
        pause = _AGAIN
        while not self.stopping.is_set():
            self._wake.clear()
            try:
                pause = self._make()
            except Exception as error:
                log.warning(f"{self._name} waits", reason=str(error))
                pause = _AGAIN
            self._wake.wait(pause)
        self._ended()
