"""Worker processes: the same function over many pieces of work, where no piece can take the others down."""

import multiprocessing
import os
import signal
import threading
from collections.abc import Callable, Generator, Iterable, Iterator
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from typing import Any, TypeVar

from zero_easel.core.photos.opening import PhotoError
from zero_easel.pipeline import PictureError

T = TypeVar("T")
Piece = tuple[int, tuple[Any, ...]]


def new_pool(jobs: int) -> ProcessPoolExecutor:
    """Processes that are forked from one of a single thread, which has loaded the pipeline and does nothing else.

    A fork of a threaded server may inherit locks that nobody will open; a process that starts from scratch takes a
    second of computing before its first photo, and so does each of its neighbours.
    """
    context = multiprocessing.get_context("forkserver")
    context.set_forkserver_preload(["__main__", "zero_easel.pipeline"])
    return ProcessPoolExecutor(jobs, context, _begin)


def handed_to(pool: ProcessPoolExecutor, function: Callable[..., T], arguments: tuple[Any, ...]) -> Future[T]:
    """pool.submit, which may start processes. Raises OSError where none can be started, BrokenProcessPool."""
    try:
        return pool.submit(function, *arguments)
    except EOFError as error:
        # The process that workers are forked from took the order, and ended before it had carried it out.
        raise OSError("no process for work can be started") from error


def map_processes(function: Callable[..., T], work: Iterable[Piece], jobs: int) -> Iterator[tuple[int, T | Exception]]:
    """Results of function(*arguments) by index as they come, at most two pieces in hand for each process.

    Whatever the function raises is the result of that piece alone. If a process dies, for want of memory as a rule,
    the pieces in hand are tried once more, one at a time, so that only the culprit fails.
    """
    source = iter(work)
    exhausted = False
    while not exhausted:
        broken: list[Piece] = []
        pool = new_pool(jobs)
        try:
            exhausted = yield from _until_broken(pool, function, source, 2 * jobs, broken)
        finally:
            # Nothing is in hand then, unless whoever asked has had enough: that must not wait for anything.
            abandon(pool)
        for index, arguments in broken:
            yield index, _again(function, arguments)


def alone(function: Callable[..., T], arguments: tuple[Any, ...]) -> T | Exception:
    """One piece of work in a process of its own. Raises OSError where none can be started."""
    with new_pool(1) as pool:
        future = handed_to(pool, function, arguments)
        try:
            return future.result()
        except Exception as error:
            return error


def abandon(pool: ProcessPoolExecutor) -> None:
    """End a pool and what it has in hand, also one whose processes could not all be started."""
    for process in list((pool._processes or {}).values()):
        process.kill()
    pool.shutdown(cancel_futures=True)


def can_start() -> bool:
    """Whether a process for work starts at all: else no piece of work is to blame that it came to nothing."""
    return isinstance(alone(os.getpid, ()), int)


def reason_of(error: BaseException, name: str) -> str:
    """What to tell a person about anything that went wrong with one photo."""
    if isinstance(error, PictureError | PhotoError):
        return str(error)
    if isinstance(error, MemoryError | BrokenProcessPool):
        return f"{name} needs more memory than this computer has free."
    if isinstance(error, OSError):
        return f"{name}: a file could not be read or written ({error.strerror or error})."
    return f"{name} could not be worked on: it holds something that was not foreseen."


def _again(function: Callable[..., T], arguments: tuple[Any, ...]) -> T | Exception:
    try:
        return alone(function, arguments)
    except OSError as error:
        return error


def _begin() -> None:
    """First act of a worker. The photos are the parallel part, so the libraries stay on one thread each."""
    import cv2

    from zero_easel.core.photos import vips

    vips.set_threads(1)
    cv2.setNumThreads(1)
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    threading.Thread(target=_end_with_parent, daemon=True).start()


def _end_with_parent() -> None:
    """A killed parent says no goodbye; without this its workers would wait for work for ever."""
    parent = multiprocessing.parent_process()
    if parent is not None:
        parent.join()
        os._exit(1)


def _until_broken(
    pool: ProcessPoolExecutor, function: Callable[..., T], source: Iterator[Piece], most: int, broken: list[Piece]
) -> Generator[tuple[int, T | Exception], None, bool]:
    """Work until the source is exhausted (returns True) or a process died; lost pieces go to `broken`."""
    waiting: dict[Future[T], Piece] = {}
    exhausted = False
    while True:
        while not exhausted and not broken and len(waiting) < most:
            piece = next(source, None)
            if piece is None:
                exhausted = True
                break
            try:
                waiting[handed_to(pool, function, piece[1])] = piece
            except BrokenProcessPool:
                broken.append(piece)
        if not waiting:
            return exhausted
        for future in wait(waiting, return_when=FIRST_COMPLETED).done:
            index, arguments = waiting.pop(future)
            error = future.exception()
            if isinstance(error, BrokenProcessPool):
                broken.append((index, arguments))
            elif isinstance(error, Exception):
                yield index, error
            else:
                yield index, future.result()
