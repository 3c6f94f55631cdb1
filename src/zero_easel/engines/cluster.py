"""An engine of Dask workers, on this machine or on others, behind a scheduler that sees no pixels.

A Dask worker hands each piece to a process of its own below it (workers.Workers), so that limits of time and memory
hold there as they do here, and a photo that takes its process down takes no Dask worker with it. Work goes to workers
of the very same program alone: that is a resource which they offer (dask's abstract resources).
"""

import pickle
import secrets
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from queue import Empty, SimpleQueue
from typing import Any

import dask
import distributed
from distributed.scheduler import KilledWorker

from zero_easel.engines.engine import AS_MUCH_AS_THERE_IS, TRIES, Allowance, Result
from zero_easel.engines.version import program
from zero_easel.engines.workers import Workers
from zero_easel.files import UnreachableError
from zero_easel.settings import available_mb

METADATA = "zero-easel"
"""Under which a scheduler keeps the program that gives work."""
_ANSWER = 10.0
"""Seconds within which a scheduler has to answer."""
_LOOK = 2.0
"""Seconds after which the workers are counted anew."""
_BELOW = threading.local()


def settings_of_dask() -> None:
    """What this application needs of Dask, wherever a scheduler or worker of it runs."""
    dask.config.set(
        {
            # A worker starts processes of its own, which a daemon may not.
            "distributed.worker.daemon": False,
            "distributed.comm.timeouts.connect": f"{_ANSWER:g}s",
            # Pieces are given to whoever is free.
            "distributed.scheduler.work-stealing": True,
            "distributed.scheduler.worker-saturation": 1.0,
            # Dask would have the memory of freed pixels given back at once, and taken anew for each step.
            "distributed.nanny.pre-spawn-environ": {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"},
            # Nothing is told to anybody else.
            "distributed.diagnostics.nvml": False,
        }
    )


def offered(threads: int) -> dict[str, float]:
    """The resources that a worker of this program offers, which works on so many photos at once."""
    return {program(): float(threads)}


def carry_out(allowance: Allowance, function: Callable[..., Any], arguments: tuple[Any, ...]) -> Any:
    """One piece of work, in a Dask worker: in a process below it. Raises what the function raises."""
    known = getattr(_BELOW, "workers", None)
    if known is None or known[0] != allowance:
        if known is not None:
            known[1].close()
        known = _BELOW.workers = (allowance, Workers(1, allowance))
    workers = known[1]
    try:
        workers.submit(function, *arguments)
        value = workers.results()[0].value
    except OSError as error:
        workers.close()
        # Not the photo's fault: it is given to somebody else.
        raise UnreachableError(error.errno, str(error)) from error
    if isinstance(value, BaseException):
        raise value
    return value


def _travelling() -> Callable[[bytes], Any]:
    """carry_out for a packed piece. A function made here goes by its code and not by its name, and its piece as bytes:
    the scheduler, which unpacks what it is given, needs to know nothing of this application."""

    def piece(packed: bytes) -> Any:
        import pickle

        from zero_easel.engines.cluster import carry_out

        return carry_out(*pickle.loads(packed))

    return piece


@dataclass
class _Given:
    function: Callable[..., Any]
    arguments: tuple[Any, ...]
    urgency: int
    tries: int = 0
    future: Any = None


class Cluster:
    """An Engine. scheduler: its address; "" for workers of its own on this machine, `jobs` at most, that come and go
    as they are needed."""

    def __init__(self, scheduler: str = "", jobs: int = 1, allowance: Allowance = AS_MUCH_AS_THERE_IS) -> None:
        self._scheduler, self._jobs, self._allowance = scheduler, jobs, allowance
        self._client: Any = None
        self._own: Any = None
        self._pieces: dict[int, _Given] = {}
        self._back: SimpleQueue[tuple[int, Any]] = SimpleQueue()
        self._tickets, self._trouble = 0, ""
        self._megabytes = available_mb()
        self._counted, self._capacity, self._strange = float("-inf"), 0, 0

    @property
    def capacity(self) -> int:
        """See Engine."""
        if self._own is not None or not self._scheduler:
            return self._jobs
        if self._client is not None and time.monotonic() - self._counted > _LOOK:
            self._count()
        return self._capacity

    @property
    def megabytes(self) -> int:
        """See Engine."""
        return 0 if self._scheduler else self._megabytes

    @property
    def in_hand(self) -> int:
        """See Engine."""
        return len(self._pieces)

    def submit(self, function: Callable[..., Any], *arguments: Any, urgency: int = 0) -> int:
        """See Engine."""
        self._connect()
        self._tickets += 1
        piece = _Given(function, arguments, urgency)
        self._give(self._tickets, piece)
        # Only what was given is in hand: else whoever asks would give it once more.
        self._pieces[self._tickets] = piece
        return self._tickets

    def results(self, seconds: float | None = None) -> list[Result]:
        """See Engine."""
        end = None if seconds is None else time.monotonic() + seconds
        found: list[Result] = []
        while not found and self._pieces:
            self._give_again()
            left = 1.0 if end is None else max(0.001, min(1.0, end - time.monotonic()))
            with suppress(Empty):
                found += self._heard(*self._back.get(timeout=left))
                while True:
                    found += self._heard(*self._back.get_nowait())
            if not found and self._trouble:
                trouble, self._trouble = self._trouble, ""
                raise UnreachableError(trouble)
            if end is not None and time.monotonic() >= end:
                break
        return found

    def about(self) -> str:
        """See Engine."""
        client = self._client
        board = f", watched at {client.dashboard_link}" if client is not None else ""
        if not self._scheduler:
            return f"up to {self._jobs} Dask workers on this computer{board}"
        if client is None:
            return f"the Dask scheduler {self._scheduler}, which does not answer at the moment"
        workers = self._capacity
        who = f"{workers} photo{'' if workers == 1 else 's'} at once by workers" if workers else "no worker yet"
        if self._strange:
            other = "one has" if self._strange == 1 else f"{self._strange} have"
            who += f" ({other} another version than {program()} and gets no work)"
        return f"{who} at the Dask scheduler {self._scheduler}{board}"

    def close(self) -> None:
        """See Engine."""
        pieces, self._pieces = self._pieces, {}
        self._back = SimpleQueue()
        client, self._client = self._client, None
        own, self._own = self._own, None
        for piece in pieces.values():
            with suppress(Exception):
                piece.future.cancel(force=True)
        for part in (client, own):
            if part is not None:
                with suppress(Exception):
                    part.close(timeout=2)

    def _connect(self) -> None:
        """Raises UnreachableError."""
        if self._client is not None and self._client.status == "running":
            return
        client, self._client = self._client, None
        if client is not None:
            with suppress(Exception):
                client.close(timeout=2)
        settings_of_dask()
        try:
            address = self._scheduler or self._own_cluster()
            client = distributed.Client(address, timeout=_ANSWER, set_as_default=False, name="zero-easel")
            client.set_metadata([METADATA], program())
        except Exception as error:
            raise UnreachableError(self._silent()) from error
        self._client, self._counted = client, float("-inf")

    def _silent(self) -> str:
        return f"the Dask scheduler {self._scheduler or 'of this computer'} does not answer"

    def _own_cluster(self) -> Any:
        if self._own is None:
            self._own = distributed.LocalCluster(
                n_workers=min(1, self._jobs),
                threads_per_worker=1,
                memory_limit=0,
                resources=offered(1),
                dashboard_address=":0",
                silence_logs=50,
            )
            # A piece takes a second; as many workers as there are pieces are good.
            self._own.adapt(minimum=1, maximum=self._jobs, target_duration="200ms", wait_count=30)
        return self._own

    def _count(self) -> None:
        """How many photos its workers take at once, and how many workers are of another program."""
        self._counted = time.monotonic()
        with suppress(Exception):
            workers = self._client.scheduler_info(n_workers=-1)["workers"].values()
            self._capacity = int(sum(worker.get("resources", {}).get(program(), 0) for worker in workers))
            self._strange = sum(program() not in worker.get("resources", {}) for worker in workers)

    def _give(self, ticket: int, piece: _Given) -> None:
        """Raises UnreachableError."""
        # A key of its own each time: Dask would answer with what it knows under an old one.
        key = f"{piece.function.__name__}-{secrets.token_hex(8)}"
        back = self._back
        packed = pickle.dumps((self._allowance, piece.function, piece.arguments))
        options = {"key": key, "pure": False, "resources": {program(): 1}, "priority": piece.urgency}
        try:
            piece.future = self._client.submit(_travelling(), packed, **options)
        except Exception as error:  # it has gone in this very moment
            raise UnreachableError(self._silent()) from error
        piece.future.add_done_callback(lambda future: back.put((ticket, future)))

    def _give_again(self) -> None:
        """What was lost with its scheduler or worker. Raises UnreachableError."""
        lost = [ticket for ticket, piece in self._pieces.items() if piece.future is None]
        gone = self._client is None or self._client.status != "running"
        if gone:
            lost = list(self._pieces)
            for piece in self._pieces.values():
                piece.future = None
        if not lost:
            return
        self._connect()
        for ticket in lost:
            self._give(ticket, self._pieces[ticket])

    def _heard(self, ticket: int, future: Any) -> list[Result]:
        piece = self._pieces.get(ticket)
        if piece is None or piece.future is not future:
            return []
        if future.status == "finished":
            del self._pieces[ticket]
            return [Result(ticket, future.result())]
        error = future.exception() if future.status == "error" else None
        if isinstance(error, KilledWorker):
            piece.tries += 1
            if piece.tries < TRIES:
                error = None
        if error is None or isinstance(error, UnreachableError):
            piece.future = None
            self._trouble = str(error) if error is not None else self._trouble
            return []
        del self._pieces[ticket]
        return [Result(ticket, error)]
