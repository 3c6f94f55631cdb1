"""Writing files so that there is never half a one, and holding a folder for one process alone."""

import errno
import os
import socket
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import BinaryIO

from filelock import FileLock

_NO_ROOM = frozenset({errno.ENOSPC, errno.EDQUOT, errno.EROFS, errno.EFBIG})


class UnreachableError(OSError):
    """A place that cannot be reached at the moment, as a phrase: a folder, a storage, or where work is done."""


def no_room(error: BaseException) -> bool:
    """Whether something could not be written or read for want of room, or because its place is not there: that may
    pass, and is not because of what it is."""
    return isinstance(error, UnreachableError) or (isinstance(error, OSError) and error.errno in _NO_ROOM)


def ensure_seen(folder: Path) -> None:
    """Raises UnreachableError unless a folder is there."""
    if not folder.is_dir():
        raise UnreachableError(f"{socket.gethostname()} does not see the folder {folder}")


def write_atomically(path: Path, data: bytes, mode: int = 0o644, *, durable: bool = True) -> None:
    """Write to a temporary name in the same folder, flush to disk if it must survive a power cut, then rename.

    Raises OSError.
    """
    with write_to(path, mode, durable=durable) as file:
        file.write(data)


@contextmanager
def write_to(path: Path, mode: int = 0o644, *, durable: bool = True) -> Iterator[BinaryIO]:
    """The same for what is written piece by piece; it gets its name once all is written. Raises OSError."""
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=".part-")
    try:
        with os.fdopen(handle, "wb") as file:
            yield file
            file.flush()
            if durable:
                os.fsync(file.fileno())
        Path(temporary).chmod(mode)
        Path(temporary).replace(path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise


def is_partial(path: Path) -> bool:
    """Whether a file is what an interrupted write left behind."""
    return path.name.startswith(".part-")


def data_lock(folder: Path) -> FileLock:
    """Hold the data folder for this process alone; the lock ends with it. Raises filelock.Timeout if it is in use, and
    OSError if the folder cannot be written."""
    folder.mkdir(parents=True, exist_ok=True)
    lock = FileLock(folder / "in-use.lock")
    lock.acquire(blocking=False)
    return lock
