"""Worker processes: the same function over many pieces of work, where no piece can take the others down."""

import multiprocessing
import os
import resource
import signal
import sys
import threading
from collections.abc import Callable
from concurrent.futures import Future, ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path
from typing import Any, TypeVar

import structlog

from zero_easel.core.photos.opening import PhotoError, lacks_memory
from zero_easel.engines.confining import Confinement, confine
from zero_easel.pipeline import PictureError

T = TypeVar("T")
log = structlog.get_logger()

_NICE = 5
"""By how much work steps back behind what gives it out (POSIX, nice): a page that is asked for has three quarters of a
core even while every core works. More would leave work nothing beside another program that wants all cores."""


class OverdueError(Exception):
    """A piece of work that took longer than it may, each time that it was tried."""

    def __init__(self, seconds: float) -> None:
        super().__init__(seconds)
        self.seconds = seconds


def new_pool(jobs: int, megabytes: int = 0, confinement: Confinement | None = None) -> ProcessPoolExecutor:
    """Processes that are forked from one of a single thread, which has loaded the pipeline and does nothing else.
    megabytes: of memory that each may take besides what it takes at its start; 0 for as much as there is. confinement:
    what they may do, None for whatever this process may.

    A fork of a threaded server may inherit locks that nobody will open; a process that starts from scratch takes a
    second of computing before its first photo, and so does each of its neighbours.
    """
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["__main__", "zero_easel.pipeline"])
    return ProcessPoolExecutor(jobs, context, _begin, (megabytes, confinement))


def handed_to(pool: ProcessPoolExecutor, function: Callable[..., T], arguments: tuple[Any, ...]) -> Future[T]:
    """pool.submit, which may start processes. Raises OSError where none can be started, BrokenProcessPool."""
    try:
        return pool.submit(function, *arguments)
    except EOFError as error:
        # The process that workers are forked from took the order, and ended before it had carried it out.
        raise OSError("no process for work can be started") from error


def alone(function: Callable[..., T], arguments: tuple[Any, ...]) -> T | Exception:
    """One piece of work in a process of its own. Raises OSError where none can be started."""
    with new_pool(1) as pool:
        future = handed_to(pool, function, arguments)
        try:
            return future.result()
        except Exception as error:
            return error


def abandon(pool: ProcessPoolExecutor, *, wait: bool = True) -> None:
    """End a pool and what it has in hand, also one whose processes could not all be started. wait: until they have
    ended."""
    for process in list((pool._processes or {}).values()):
        process.kill()
    pool.shutdown(wait=wait, cancel_futures=True)


def can_start() -> bool:
    """Whether a process for work starts at all: else no piece of work is to blame that it came to nothing."""
    return isinstance(alone(os.getpid, ()), int)


def reason_of(error: BaseException, name: str) -> str:
    """What to tell a person about anything that went wrong with one photo."""
    if isinstance(error, PictureError | PhotoError):
        return str(error)
    if isinstance(error, MemoryError | BrokenProcessPool) or lacks_memory(str(error)):
        return f"{name} needs more memory than this computer has free."
    if isinstance(error, OverdueError):
        return f"{name} takes longer than the {error.seconds:g} seconds that one photo may take."
    if isinstance(error, OSError):
        return f"{name}: a file could not be read or written ({error.strerror or error})."
    return f"{name} could not be worked on: it holds something that was not foreseen."


def within(megabytes: int) -> None:
    """Let this process take so much more memory and no more."""
    pages = int(Path("/proc/self/statm").read_text().split()[0]) if Path("/proc/self/statm").exists() else 0
    most = pages * os.sysconf("SC_PAGE_SIZE") + megabytes * 1_000_000
    resource.setrlimit(resource.RLIMIT_AS, (most, most))


def _begin(megabytes: int, confinement: Confinement | None) -> None:
    """First act of a worker. The photos are the parallel part, so the libraries stay on one thread each."""
    os.nice(_NICE)
    if confinement is not None:
        if missing := confine(confinement):
            log.info("work is not confined", missing=missing)
        # Decoders complain of each damaged file; whoever sends thousands must not write the application's log.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stderr.fileno())
    import cv2

    from zero_easel.core.photos import vips

    vips.set_threads(1)
    cv2.setNumThreads(1)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with_parent, daemon=True).start()
    if megabytes:
        within(megabytes)


def _end_with_parent() -> None:
    """A killed parent says no goodbye; without this its workers would wait for work for ever."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)
