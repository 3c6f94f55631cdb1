"""Files that the application keeps: originals by content digest, written once and never again; all else derived."""

import hashlib
import json
import shutil
from collections.abc import Sequence
from pathlib import Path

from zero_easel.core.clearing.cutout import ENGINE
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, Rectification
from zero_easel.core.photos.decoding import digest_of
from zero_easel.files import is_partial, write_atomically

ROOM = 48_000_000
"""Bytes that must be free before work goes on that had come to nothing for want of room."""


class Vault:
    """One folder: originals/, derived/ (may be deleted at any time), runs/ (one folder of pictures each), assets/
    (what standards name), and aside/, tables that wait to be looked at."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self._originals = root / "originals"
        self._derived = root / "derived"
        self._runs = root / "runs"
        self._aside = root / "aside"

    def prepare(self) -> None:
        """Make the folders, and sweep away what an interrupted write left behind and tables that nobody looked at."""
        shutil.rmtree(self._aside, ignore_errors=True)
        for folder in (self._originals, self._derived, self._runs, self.assets):
            folder.mkdir(parents=True, exist_ok=True)
            for path in folder.rglob(".part-*"):
                if is_partial(path):
                    path.unlink(missing_ok=True)

    def keep(self, data: bytes) -> str:
        """Store an original unchanged and read-only; returns its digest. Content that is there already stays."""
        digest = digest_of(data)
        path = self.original(digest)
        if not path.exists():
            path.parent.mkdir(parents=True, exist_ok=True)
            write_atomically(path, data, mode=0o444)
        return digest

    def lay_aside(self, data: bytes) -> str:
        """Keep a table until a person has looked at it; returns its digest."""
        digest = digest_of(data)
        self._aside.mkdir(parents=True, exist_ok=True)
        write_atomically(self._aside / digest, data)
        return digest

    def aside(self, digest: str) -> Path:
        """Where a table lies that was laid aside."""
        return self._aside / digest

    def original(self, digest: str) -> Path:
        """Where the original of a digest lies."""
        return self._originals / digest[:2] / digest

    def thumbnail(self, digest: str) -> Path:
        """Where the small picture of an original lies."""
        return self._folder("thumbnails", digest) / f"{digest}.webp"

    def large(self, digest: str) -> Path:
        """Where the screen-sized picture of an original lies."""
        return self._folder("large", digest) / f"{digest}.jpg"

    def cutout(self, key: str) -> Path:
        """Where a cutout's pixels lie; its facts and previews lie beside it."""
        return self._folder("cutouts", key) / f"{key}.png"

    def preview(self, key: str, kind: str) -> Path:
        """Where a reduced cutout lies; kind is "small" or "large"."""
        return self._folder("cutouts", key) / f"{key}.{kind}.webp"

    @property
    def assets(self) -> Path:
        """Folder of the files that standards name: pictures, fonts, profiles."""
        return self.root / "assets"

    def add_asset(self, name: str, data: bytes) -> str:
        """Keep a file that standards may name, and return its name: other content under a taken name gets a number, for
        what versions of standards name must never change."""
        stem, dot, ending = name.rpartition(".")
        called, count = name, 1
        while (self.assets / called).exists() and (self.assets / called).read_bytes() != data:
            count += 1
            called = f"{stem}-{count}{dot}{ending}"
        if not (self.assets / called).exists():
            write_atomically(self.assets / called, data)
        return called

    def trouble(self) -> str:
        """Why nothing more can be written here, as a phrase; "" if something can."""
        probe = self._derived / ".part-room"
        try:
            free = shutil.disk_usage(self.root).free
            if free < ROOM:
                return f"the disk of {self.root} is full: {free / 1e6:.0f} MB are free"
            write_atomically(probe, bytes(4096), durable=False)
            probe.unlink()
        except OSError as error:
            return f"{self.root} cannot be written ({error.strerror or error})"
        return ""

    def run(self, run_id: int) -> Path:
        """Folder of a run's pictures."""
        return self._runs / str(run_id)

    def _folder(self, kind: str, key: str) -> Path:
        return self._derived / kind / key[:2]


def cutout_key(
    digest: str,
    empties: Sequence[str] = (),
    marks: Sequence[Mark] = (),
    rectified: Rectification = AS_PHOTOGRAPHED,
) -> str:
    """Digest of everything that a cutout depends on: the original, the engine's version, the digests of the empty
    frames that it may use, a person's marks, and what is undone of the photo's geometry."""
    drawn = " ".join(mark.model_dump_json() for mark in marks)
    upright = f" {json.dumps(rectified)}" if rectified != AS_PHOTOGRAPHED else ""
    return hashlib.sha256(f"{digest} {ENGINE} {' '.join(sorted(empties))} {drawn}{upright}".encode()).hexdigest()
