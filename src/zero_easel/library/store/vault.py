"""Files that the application keeps: originals by content digest, written once and never again; all else derived."""

import hashlib
import json
import shutil
import tempfile
from collections.abc import Callable, Sequence
from pathlib import Path

from zero_easel.core.clearing.cutout import ENGINE
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, Rectification
from zero_easel.core.photos.assets import Assets
from zero_easel.core.photos.decoding import Photo, digest_of, read_photo
from zero_easel.files import write_atomically
from zero_easel.storage import Kept, Stored, full_disk, storage_of


class InUseError(Exception):
    """A storage that another library keeps its files in, told in a sentence."""


class Vault:
    """One storage of originals/, derived/ (may be deleted at any time), runs/ (one folder of pictures each) and assets/
    (what standards name); and aside/, tables that wait to be looked at, on this machine.

    location: of the storage, see storage_of. local: a folder for what only this machine needs; the storage's own where
    it is a folder. read: how a picture among the assets is decoded; raises PhotoError.
    """

    def __init__(
        self, location: str | Path, local: Path | None = None, read: Callable[[Path], Photo] = read_photo
    ) -> None:
        self.storage = storage_of(str(location))
        self.local = local or (Path(tempfile.gettempdir()) if "://" in str(location) else Path(location))
        self._aside, self._read = self.local / "aside", read

    @property
    def location(self) -> str:
        """By which a worker finds the same files."""
        return self.storage.url

    def prepare(self) -> None:
        """Make it ready, and sweep away what an interrupted write left behind and tables that nobody looked at. Raises
        OSError."""
        shutil.rmtree(self._aside, ignore_errors=True)
        self.storage.prepare()

    def claim(self, library: str) -> None:
        """Keep the files of one library alone here: runs of two would overwrite each other. Raises InUseError."""
        owner = Kept(self.storage, "library", fixed=False)
        if not owner.exists():
            owner.write(library.encode())
        elif owner.read().decode(errors="replace") != library:
            raise InUseError(f"{self.location} holds the files of another library. Name a place of its own.")

    def keep(self, data: bytes) -> str:
        """Store an original unchanged and read-only; returns its digest. Content that is there already stays."""
        digest = digest_of(data)
        kept = self.original(digest)
        if not kept.exists():
            kept.write(data, read_only=True)
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

    def original(self, digest: str) -> Kept:
        """The original of a digest."""
        return Kept(self.storage, f"originals/{digest[:2]}/{digest}")

    def thumbnail(self, digest: str) -> Kept:
        """The small picture of an original."""
        return self._derived("thumbnails", digest, ".webp")

    def large(self, digest: str) -> Kept:
        """The screen-sized picture of an original."""
        return self._derived("large", digest, ".jpg")

    def cutout(self, key: str) -> Kept:
        """A cutout's pixels; its facts and previews lie beside it."""
        return self._derived("cutouts", key, ".png")

    def preview(self, key: str, kind: str) -> Kept:
        """A reduced cutout; kind is "small" or "large"."""
        return self._derived("cutouts", key, f".{kind}.webp")

    def cutouts(self) -> set[str]:
        """Keys of all cutouts that are there."""
        found = (entry.key.rpartition("/")[2] for entry in self.storage.entries("derived/cutouts"))
        return {name.removesuffix(".png") for name in found if name.endswith(".png")}

    @property
    def assets(self) -> Assets:
        """The files that standards name: pictures, fonts, profiles."""
        return Assets(self.storage.folder("assets"), self._read)

    def add_asset(self, name: str, data: bytes) -> str:
        """Keep a file that standards may name, and return its name: other content under a taken name gets a number, for
        what versions of standards name must never change."""
        stem, dot, ending = name.rpartition(".")
        called, count = name, 1
        while (kept := Kept(self.storage, f"assets/{called}")).exists() and kept.read() != data:
            count += 1
            called = f"{stem}-{count}{dot}{ending}"
        if not kept.exists():
            kept.write(data)
        return called

    def trouble(self) -> str:
        """Why nothing more can be written here, as a phrase; "" if something can."""
        try:
            return self.storage.trouble() or full_disk(self.local)
        except OSError as error:
            return f"{self.local} cannot be reached ({error.strerror or error})"

    def picture(self, run_id: int, output: str) -> Kept:
        """A picture of a run, made or still to be made."""
        return Kept(self.storage, f"runs/{run_id}/{output}", fixed=False)

    def pictures(self, run_id: int) -> dict[str, int]:
        """Bytes of all pictures of a run that are there, by their outputs."""
        start = f"runs/{run_id}/"
        return {entry.key.removeprefix(start): entry.bytes for entry in self.storage.entries(start.rstrip("/"))}

    def remove_run(self, run_id: int) -> None:
        """Take all pictures of a run away."""
        self.storage.remove_all(f"runs/{run_id}")

    def sweep(self) -> None:
        """Take away what workers left that died while they wrote; none may be at work."""
        for prefix in ("derived/cutouts", "runs"):
            self.storage.sweep(prefix)

    def entries(self, kind: str) -> list[Stored]:
        """All files of a kind: "originals", "runs", or of what is derived "derived/cutouts" and the like."""
        return list(self.storage.entries(kind))

    def _derived(self, kind: str, key: str, ending: str) -> Kept:
        return Kept(self.storage, f"derived/{kind}/{key[:2]}/{key}{ending}")


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
