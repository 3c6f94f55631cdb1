"""Decoding what strangers sent, for a process that must not fall over: in others, confined, each with so much memory
and time and no more. A photo that ends its decoder takes nothing with it but itself."""

import atexit
import resource
import tempfile
import threading
from collections.abc import Callable
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress
from functools import cache
from pathlib import Path
from queue import LifoQueue
from typing import Any, TypeVar

from zero_easel.core.photos.decoding import Photo, read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.engines.confining import Confinement
from zero_easel.engines.processes import abandon, handed_to, new_pool
from zero_easel.settings import available_cores

T = TypeVar("T")
_MEGABYTES, _SECONDS = 4_000, 60.0


class Decoders:
    """So many processes, started as they are needed, each with one photo in hand. seconds: that one may take, of the
    clock and of computing. megabytes: of memory that one may take."""

    def __init__(self, count: int, seconds: float = _SECONDS, megabytes: int = _MEGABYTES) -> None:
        self._seconds, self._megabytes = seconds, megabytes
        self._free: LifoQueue[ProcessPoolExecutor | None] = LifoQueue()
        for _ in range(count):
            self._free.put(None)
        self._lock = threading.Lock()
        self._started: set[ProcessPoolExecutor] = set()

    def do(self, name: str, function: Callable[..., T], *arguments: Any) -> T:
        """function(*arguments) in one of them; whatever it raises is raised here. Waits until one is free. Raises
        PhotoError, which names the photo, if it takes too long, needs too much memory, or ends the process."""
        pool = self._free.get()
        try:
            pool = pool or self._new()
            future: Future[T] = handed_to(pool, _limited, (self._seconds, function, arguments))
            return future.result(self._seconds)
        except TimeoutError as error:
            self._drop(pool)
            pool = None
            raise PhotoError(f"{name} takes more than {self._seconds:.0f} seconds to read.") from error
        except BrokenProcessPool as error:
            self._drop(pool)
            pool = None
            raise PhotoError(f"{name} cannot be read: whatever reads it falls over, or needs too much.") from error
        except MemoryError as error:
            raise PhotoError(f"{name} needs more than {self._megabytes / 1000:g} GB of memory to be read.") from error
        finally:
            self._free.put(pool)

    def begin(self) -> None:
        """Start one beforehand, so that nobody waits for it; what goes wrong with that is told to whoever needs it."""
        threading.Thread(target=self._try, name="decoders", daemon=True).start()

    def _try(self) -> None:
        with suppress(Exception):
            self.do("nothing", sum, ())

    def close(self) -> None:
        """End them all, and wait until they have ended."""
        with self._lock:
            started, self._started = self._started, set()
        for pool in started:
            abandon(pool)

    def _new(self) -> ProcessPoolExecutor:
        pool = new_pool(1, self._megabytes, Confinement((tempfile.gettempdir(),)))
        with self._lock:
            self._started.add(pool)
        return pool

    def _drop(self, pool: ProcessPoolExecutor | None) -> None:
        if pool is not None:
            with self._lock:
                self._started.discard(pool)
            abandon(pool, wait=False)


@cache
def decoders() -> Decoders:
    """Those of this process: as many as there are cores."""
    made = Decoders(available_cores())
    atexit.register(made.close)
    return made


def read_apart(path: Path) -> Photo:
    """A photo, decoded in one of them. Raises PhotoError."""
    return decoders().do(path.name, read_photo, path)


def _limited(seconds: float, function: Callable[..., T], arguments: tuple[Any, ...]) -> T:
    """In a decoder: so much computing for this photo, and the system ends the process."""
    used = sum(resource.getrusage(resource.RUSAGE_SELF)[:2])
    _, hard = resource.getrlimit(resource.RLIMIT_CPU)
    resource.setrlimit(resource.RLIMIT_CPU, (int(used + 4 * seconds) + 1, hard))
    return function(*arguments)
