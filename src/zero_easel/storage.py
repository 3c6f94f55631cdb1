"""Where files are kept so that whoever works on them reaches them: a folder, perhaps a shared one, or object storage.

Keys are paths with slashes below the storage. A file appears whole or not at all.
"""

import hashlib
import os
import shutil
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from datetime import datetime
from functools import lru_cache
from pathlib import Path
from typing import Any, NamedTuple, Protocol

from platformdirs import user_cache_path

from zero_easel.files import UnreachableError, ensure_seen, is_partial, write_atomically

ROOM = 48_000_000
"""Bytes that must be free before work goes on that had come to nothing for want of room."""
CACHE_BYTES = 4_000_000_000
"""Of what lies elsewhere, copies on this machine may take so much before the oldest go."""
_PROBE = "derived/.part-room"


class Stored(NamedTuple):
    """A file that is kept. modified: seconds since 1970. content: alike for keys that share their bytes on the disk."""

    key: str
    bytes: int
    modified: float
    content: str


class Storage(Protocol):
    """url: by which another process finds it. All methods raise OSError if it cannot be reached."""

    url: str

    def path(self, key: str, *, fixed: bool) -> Path:
        """A file of this machine with the content of a key, which must not be changed. fixed: that content never
        changes. Raises FileNotFoundError."""

    def read(self, key: str) -> bytes:
        """Raises FileNotFoundError."""

    def write(self, key: str, data: bytes, *, fixed: bool, durable: bool, read_only: bool) -> None:
        """Whole or not at all. durable: it must survive a power cut. read_only: nobody is to write over it."""

    def size(self, key: str) -> int | None:
        """Bytes, None for what is not there."""

    def link(self, source: str, target: str) -> None:
        """Keep the same content under another key, too, without reading it if possible. Raises FileNotFoundError."""

    def remove(self, key: str) -> None:
        """Also what is not there."""

    def remove_all(self, prefix: str) -> None:
        """All below a prefix, with slashes for folders."""

    def entries(self, prefix: str) -> Iterator[Stored]:
        """All below a prefix; half-written files are none."""

    def folder(self, prefix: str) -> Path:
        """A folder of this machine with all files that lie directly below a prefix; their content never changes."""

    def prepare(self) -> None:
        """Make it ready, and sweep away what interrupted writes left."""

    def sweep(self, prefix: str) -> None:
        """Take away what interrupted writes left below a prefix, where nobody is writing."""

    def trouble(self) -> str:
        """Why nothing more can be written here, as a phrase; "" if something can."""


@dataclass(frozen=True)
class Kept:
    """One file of a storage, which may not be there yet. fixed: its content never changes."""

    storage: Storage
    key: str
    fixed: bool = True

    def path(self) -> Path:
        """A file of this machine with its content. Raises OSError, FileNotFoundError for what is not there."""
        return self.storage.path(self.key, fixed=self.fixed)

    def read(self) -> bytes:
        """Its content. Raises as path does."""
        return self.storage.read(self.key) if not self.fixed else self.path().read_bytes()

    def write(self, data: bytes, *, durable: bool = True, read_only: bool = False) -> None:
        """Whole or not at all. Raises OSError."""
        self.storage.write(self.key, data, fixed=self.fixed, durable=durable, read_only=read_only)

    def size(self) -> int | None:
        """Bytes, None for what is not there."""
        return self.storage.size(self.key)

    def exists(self) -> bool:
        """Whether it is there."""
        return self.size() is not None

    def take(self, other: "Kept") -> None:
        """Become what another file of the same storage is. Raises OSError."""
        self.storage.link(other.key, self.key)

    def beside(self, ending: str) -> "Kept":
        """The file of the same name with another ending."""
        return Kept(self.storage, f"{self.key.rpartition('.')[0]}{ending}", self.fixed)


def storage_of(location: str) -> Storage:
    """The storage at a path, or at an address as fsspec reads it (s3://bucket/prefix). Raises ValueError for an address
    of a kind that is not known."""
    scheme, separator, rest = location.partition("://")
    if not separator:
        return FolderStorage(Path(location))
    return FolderStorage(Path(rest)) if scheme in ("file", "local") else _remote(location.rstrip("/"), os.getpid())


@lru_cache(4)
def _remote(url: str, _process: int) -> "RemoteStorage":
    """Connections belong to one process."""
    return RemoteStorage(url)


def full_disk(folder: Path) -> str:
    """That the disk of a folder is full, as a phrase; "" if it is not. Raises OSError."""
    free = shutil.disk_usage(folder).free
    return f"the disk of {folder} is full: {free / 1e6:.0f} MB are free" if free < ROOM else ""


class FolderStorage:
    """A folder of this machine, or one that all machines see under the same path."""

    def __init__(self, root: Path) -> None:
        self.root, self.url = root, str(root)

    def path(self, key: str, *, fixed: bool) -> Path:  # noqa: ARG002
        """See Storage. The file may be missing."""
        ensure_seen(self.root)
        return self.root / key

    def read(self, key: str) -> bytes:
        """See Storage."""
        return self.path(key, fixed=True).read_bytes()

    def write(self, key: str, data: bytes, *, fixed: bool, durable: bool, read_only: bool) -> None:  # noqa: ARG002
        """See Storage."""
        write_atomically(self._ready(key), data, mode=0o444 if read_only else 0o644, durable=durable)

    def size(self, key: str) -> int | None:
        """See Storage."""
        try:
            return (self.root / key).stat().st_size
        except (FileNotFoundError, NotADirectoryError):
            return None

    def link(self, source: str, target: str) -> None:
        """See Storage. Never half a file: where none can be linked, a copy is made under another name first."""
        path = self._ready(target)
        path.unlink(missing_ok=True)
        try:
            os.link(self.root / source, path)
        except FileNotFoundError:
            raise
        except OSError:
            part = path.with_name(f".part-{path.name}")
            shutil.copyfile(self.root / source, part)
            part.replace(path)

    def remove(self, key: str) -> None:
        """See Storage."""
        (self.root / key).unlink(missing_ok=True)

    def remove_all(self, prefix: str) -> None:
        """See Storage."""
        shutil.rmtree(self.root / prefix, ignore_errors=True)

    def entries(self, prefix: str) -> Iterator[Stored]:
        """See Storage."""
        for folder, _, names in os.walk(self.root / prefix):
            for name in names:
                path = Path(folder, name)
                with suppress(FileNotFoundError):  # one that went meanwhile
                    if not is_partial(path):
                        found = path.stat()
                        key, content = path.relative_to(self.root).as_posix(), f"{found.st_dev} {found.st_ino}"
                        yield Stored(key, found.st_size, found.st_mtime, content)

    def folder(self, prefix: str) -> Path:
        """See Storage."""
        return self.root / prefix

    def prepare(self) -> None:
        """See Storage."""
        for name in ("originals", "derived", "runs", "assets"):
            (self.root / name).mkdir(parents=True, exist_ok=True)
            self.sweep(name)

    def sweep(self, prefix: str) -> None:
        """See Storage."""
        for path in (self.root / prefix).rglob(".part-*"):
            if is_partial(path):
                path.unlink(missing_ok=True)

    def trouble(self) -> str:
        """See Storage."""
        try:
            if full := full_disk(self.root):
                return full
            if not (self.root / "originals").is_dir():
                return f"the originals in {self.root} are gone"
            probe = self._ready(_PROBE)
            write_atomically(probe, bytes(4096), durable=False)
            probe.unlink()
        except OSError as error:
            return f"{self.root} cannot be written ({error.strerror or error})"
        return ""

    def _ready(self, key: str) -> Path:
        """Where a file goes. What was taken away as a whole, a share say, is not put up again in its stead."""
        ensure_seen(self.root)
        path = self.root / key
        path.parent.mkdir(parents=True, exist_ok=True)
        return path


class RemoteStorage:
    """Object storage, or whatever else fsspec has a file system for, with copies on this machine.

    Writing one object is atomic there. Access comes from the environment of each process, as the file system's own
    documentation says; none of it is kept or handed on.
    """

    def __init__(self, url: str, cache: Path | None = None) -> None:
        import fsspec

        self.url = url
        self._files, self._base = fsspec.core.url_to_fs(url, use_listings_cache=False)
        self._cache = cache or user_cache_path("zero-easel", appauthor=False) / hashlib.sha256(url.encode()).hexdigest()
        # Looked at again once a tenth of what copies may take has come since.
        self._fetched = CACHE_BYTES

    def __reduce__(self) -> tuple[Any, ...]:
        return storage_of, (self.url,)

    def path(self, key: str, *, fixed: bool) -> Path:
        """See Storage."""
        copy = self._copy_of(key, "" if fixed else self._version(key))
        with suppress(FileNotFoundError):
            os.utime(copy)
            return copy
        self._keep_copy(copy, self.read(key))
        return copy

    def read(self, key: str) -> bytes:
        """See Storage."""
        with _told(self.url):
            return bytes(self._files.cat_file(self._at(key)))

    def write(self, key: str, data: bytes, *, fixed: bool, durable: bool, read_only: bool) -> None:  # noqa: ARG002
        """See Storage."""
        with _told(self.url):
            self._files.pipe_file(self._at(key), data)
        if fixed:
            self._keep_copy(self._copy_of(key, ""), data)

    def size(self, key: str) -> int | None:
        """See Storage."""
        with suppress(FileNotFoundError), _told(self.url):
            return int(self._files.info(self._at(key))["size"])
        return None

    def link(self, source: str, target: str) -> None:
        """See Storage."""
        with _told(self.url):
            self._files.cp_file(self._at(source), self._at(target))

    def remove(self, key: str) -> None:
        """See Storage."""
        with suppress(FileNotFoundError), _told(self.url):
            self._files.rm_file(self._at(key))
        self._copy_of(key, "").unlink(missing_ok=True)

    def remove_all(self, prefix: str) -> None:
        """See Storage."""
        with suppress(FileNotFoundError), _told(self.url):
            self._files.rm(self._at(prefix), recursive=True)

    def entries(self, prefix: str) -> Iterator[Stored]:
        """See Storage."""
        with _told(self.url):
            found: dict[str, dict[str, Any]] = self._files.find(self._at(prefix), detail=True)
        for name, about in found.items():
            key = name.removeprefix(self._base).lstrip("/")
            if not is_partial(Path(key)):
                yield Stored(key, int(about["size"]), _moment(about), key)

    def folder(self, prefix: str) -> Path:
        """See Storage."""
        folder = self._cache / prefix
        folder.mkdir(parents=True, exist_ok=True)
        for entry in self.entries(prefix):
            if not (folder / Path(entry.key).name).exists():
                write_atomically(folder / Path(entry.key).name, self.read(entry.key), durable=False)
        return folder

    def prepare(self) -> None:
        """See Storage."""
        if trouble := self.trouble():
            raise UnreachableError(trouble)

    def sweep(self, prefix: str) -> None:
        """See Storage. Objects are whole by themselves."""

    def trouble(self) -> str:
        """See Storage."""
        try:
            with _told(self.url):
                self._files.pipe_file(self._at(_PROBE), b"room")
                self._files.rm_file(self._at(_PROBE))
        except OSError as error:
            return f"{self.url} cannot be written ({error.strerror or error})"
        return ""

    def _at(self, key: str) -> str:
        return f"{self._base}/{key}"

    def _version(self, key: str) -> str:
        """Names what lies under a key at the moment. Raises FileNotFoundError."""
        with _told(self.url):
            about = self._files.info(self._at(key))
        told = [about.get(field) for field in ("ETag", "etag", "LastModified", "mtime", "size")]
        return hashlib.sha256(repr(told).encode()).hexdigest()[:16]

    def _copy_of(self, key: str, version: str) -> Path:
        name = hashlib.sha256(f"{key} {version}".encode()).hexdigest()
        # Whoever reads a copy may go by its ending.
        return self._cache / "copies" / name[:2] / f"{name}{Path(key).suffix}"

    def _keep_copy(self, copy: Path, data: bytes) -> None:
        copy.parent.mkdir(parents=True, exist_ok=True)
        write_atomically(copy, data, durable=False)
        self._fetched += len(data)
        if self._fetched > CACHE_BYTES / 10:
            self._fetched = 0
            drop_oldest(self._cache / "copies", CACHE_BYTES)


def drop_oldest(folder: Path, most: int) -> None:
    """Let the files of a folder that were not used for longest go until they take no more than most bytes."""
    found = []
    for path in folder.rglob("*"):
        with suppress(FileNotFoundError):
            if path.is_file():
                found.append((path.stat().st_mtime, path.stat().st_size, path))
    taken = sum(size for _, size, _ in found)
    for _, size, path in sorted(found):
        if taken <= most:
            return
        with suppress(FileNotFoundError):
            path.unlink()
        taken -= size


def _moment(about: dict[str, Any]) -> float:
    told = about.get("LastModified") or about.get("mtime") or about.get("created") or 0.0
    return told.timestamp() if isinstance(told, datetime) else float(told)


@contextmanager
def _told(url: str) -> Iterator[None]:
    """Whatever a client of a storage raises is an OSError here: nobody else knows these clients."""
    try:
        yield
    except OSError:
        raise
    except Exception as error:
        raise UnreachableError(f"{url} does not answer: {error}") from error
