"""An engine of local processes: pieces of work go out, results come back, and no piece can take another down.

Each worker is a process of its own with one piece in hand; what waits is given to whichever is free first, in the very
moment. A piece whose worker dies, or that takes longer than it may, is tried a second time and then set aside.
"""

import threading
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from dataclasses import dataclass
from queue import Empty, SimpleQueue
from typing import Any, TypeVar

from zero_easel.engines.confining import Confinement
from zero_easel.engines.engine import AS_MUCH_AS_THERE_IS, TRIES, Allowance, Job, Result, map_pieces
from zero_easel.engines.processes import OverdueError, abandon, can_start, handed_to, new_pool
from zero_easel.settings import available_mb

T = TypeVar("T")


@dataclass
class _Piece:
    ticket: int
    function: Callable[..., Any]
    arguments: tuple[Any, ...]
    urgency: int = 0
    tries: int = 0


@dataclass
class _Worker:
    """pool: of one process. piece: in hand, None for nothing. begun: when that was, by time.monotonic(). overdue: it
    was ended because that took too long."""

    pool: ProcessPoolExecutor
    piece: _Piece | None = None
    begun: float = 0.0
    overdue: bool = False


class Workers:
    """An Engine of `jobs` worker processes, started as they are needed."""

    def __init__(
        self, jobs: int, allowance: Allowance = AS_MUCH_AS_THERE_IS, confinement: Confinement | None = None
    ) -> None:
        self._jobs, self._allowance, self._confinement = jobs, allowance, confinement
        self._megabytes = available_mb()
        self._workers: list[_Worker] = []
        self._waiting: deque[_Piece] = deque()
        self._back: SimpleQueue[tuple[_Worker, _Piece, Future[Any]]] = SimpleQueue()
        self._tickets = 0
        # What waits is also given out by the threads that hear of results.
        self._lock = threading.RLock()

    @property
    def capacity(self) -> int:
        """See Engine."""
        return self._jobs

    @property
    def megabytes(self) -> int:
        """See Engine."""
        return self._megabytes

    @property
    def in_hand(self) -> int:
        """See Engine."""
        with self._lock:
            return len(self._waiting) + sum(worker.piece is not None for worker in self._workers)

    def submit(self, function: Callable[..., Any], *arguments: Any, urgency: int = 0) -> int:
        """See Engine. Raises OSError if no process can be started."""
        with self._lock:
            self._tickets += 1
            before = [at for at, piece in enumerate(self._waiting) if piece.urgency < urgency]
            self._waiting.insert(
                min(before, default=len(self._waiting)), _Piece(self._tickets, function, arguments, urgency)
            )
            self._give()
            return self._tickets

    def results(self, seconds: float | None = None) -> list[Result]:
        """See Engine. Raises OSError if no process can be started for what has to be tried again."""
        end = None if seconds is None else time.monotonic() + seconds
        found: list[Result] = []
        while not found:
            with self._lock:
                if not self.in_hand and self._back.empty():
                    break
                left = self._until(end)
            with suppress(Empty):
                found += self._heard(*self._back.get(timeout=left))
                while True:
                    found += self._heard(*self._back.get_nowait())
            with self._lock:
                self._end_overdue()
                try:
                    self._give()
                except OSError:
                    if not found:  # else the next to ask is told
                        raise
            if end is not None and time.monotonic() >= end:
                break
        return found

    def about(self) -> str:
        """See Engine."""
        return f"{self._jobs} photo{'' if self._jobs == 1 else 's'} at once on this computer"

    def close(self) -> None:
        """See Engine. Ends all processes at once."""
        with self._lock:
            workers, self._workers = self._workers, []
            self._waiting.clear()
            self._back = SimpleQueue()
        for worker in workers:
            abandon(worker.pool)

    def _give(self) -> None:
        """What waits to workers that are free, or that may be started still. Raises OSError if none can be, and none
        is there that will get to it."""
        while self._waiting:
            worker = next((one for one in self._workers if one.piece is None), None)
            if worker is None and len(self._workers) >= self._jobs:
                return
            if worker is None:
                worker = _Worker(new_pool(1, self._allowance.megabytes, self._confinement))
                self._workers.append(worker)
            # Taken first: what is done in a moment is heard of, and the next handed out, before this ends.
            piece = self._waiting.popleft()
            try:
                self._hand(worker, piece)
            except BrokenProcessPool:  # it died with nothing in hand
                self._waiting.appendleft(piece)
                self._drop(worker)
            except OSError:
                self._waiting.appendleft(piece)
                self._drop(worker)
                if not any(one.piece for one in self._workers):
                    raise
                return

    def _hand(self, worker: _Worker, piece: _Piece) -> None:
        future = handed_to(worker.pool, piece.function, piece.arguments)
        worker.piece, worker.begun, worker.overdue = piece, time.monotonic(), False
        future.add_done_callback(lambda done: self._done(worker, piece, done))

    def _done(self, worker: _Worker, piece: _Piece, future: Future[Any]) -> None:
        """A worker has come to an end with its piece: it gets the next one before anyone else hears of it."""
        with self._lock:
            if worker not in self._workers:
                return
            self._back.put((worker, piece, future))
            if not isinstance(future.exception(), BrokenProcessPool):
                worker.piece = None
                # Where no other can be started whoever asks for results is told.
                with suppress(OSError):
                    self._give()

    def _heard(self, worker: _Worker, piece: _Piece, future: Future[Any]) -> list[Result]:
        error = future.exception()
        if not isinstance(error, BrokenProcessPool):
            return [Result(piece.ticket, error if error is not None else future.result())]
        with self._lock:
            overdue = worker.overdue
            self._drop(worker)
        if not overdue and not can_start():
            raise OSError("no process for work can be started")
        piece.tries += 1
        if piece.tries < TRIES:
            with self._lock:
                self._waiting.appendleft(piece)
            return []
        return [Result(piece.ticket, OverdueError(self._allowance.seconds) if overdue else error)]

    def _drop(self, worker: _Worker) -> None:
        """Without waiting for its end: the thread that hears of it may be the one that asks."""
        if worker in self._workers:
            self._workers.remove(worker)
            abandon(worker.pool, wait=False)

    def _until(self, end: float | None) -> float | None:
        """Seconds to wait at most: to the end that was asked for, or until the next piece is overdue."""
        moments = [] if end is None else [end]
        if self._allowance.seconds:
            moments += [
                w.begun + self._allowance.seconds for w in self._workers if w.piece is not None and not w.overdue
            ]
        return max(0.001, min(moments) - time.monotonic()) if moments else None

    def _end_overdue(self) -> None:
        for worker in self._workers:
            late = worker.piece is not None and time.monotonic() - worker.begun >= self._allowance.seconds > 0
            if late and not worker.overdue:
                worker.overdue = True
                for process in list((worker.pool._processes or {}).values()):
                    process.kill()


def map_processes(function: Callable[..., T], work: Iterable[Job], jobs: int) -> Iterator[tuple[int, T | Exception]]:
    """map_pieces over processes of this machine, `jobs` at once, which end with it."""
    workers = Workers(jobs)
    try:
        yield from map_pieces(workers, function, work)
    finally:
        # Nothing is in hand then, unless whoever asked has had enough: that must not wait for anything.
        workers.close()
