"""A run over a folder, as the command line asks for it: no library, the same pipeline."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from zero_easel.core.catalog import Product, Shot
from zero_easel.core.matching import Match, Matcher
from zero_easel.core.naming import natural_key, shows_backdrop
from zero_easel.core.photo import PICTURE_SUFFIXES, PhotoError
from zero_easel.core.plan import Planned, find_clashes, plan_outputs
from zero_easel.core.standard import Standard
from zero_easel.files import write_atomically
from zero_easel.pipeline import empty_frame, picture_of
from zero_easel.runs.manifest import NAME, Row, write_manifest
from zero_easel.runs.processes import map_processes, reason_of

LEFT_OUT = "left out"


class FolderError(Exception):
    """A run that cannot start; nothing was written. The message is a sentence for the person who asked."""


@dataclass(frozen=True)
class FolderRun:
    """A run that may start. photos and planned go together; left_out are photos that a shot list does not name;
    empties show the bare backdrop and are used, not finished."""

    out: Path
    standard: Standard
    photos: list[Path]
    planned: list[Planned]
    left_out: list[Path]
    absent: list[str]
    empties: list[Path]


def list_photos(folder: Path, out: Path, recursive: bool) -> list[Path]:
    """Picture files of a folder in natural order, without hidden files and without the output folder's."""
    found = folder.rglob("*") if recursive else folder.iterdir()
    photos = [
        path
        for path in found
        if path.is_file()
        and path.suffix.lower() in PICTURE_SUFFIXES
        and not any(part.startswith(".") for part in path.relative_to(folder).parts)
        and not path.resolve().is_relative_to(out.resolve())
    ]
    return sorted(photos, key=lambda p: natural_key(str(p.relative_to(folder))))


def prepare(
    folder: Path,
    out: Path,
    standard: Standard,
    products: Sequence[Product],
    shots: Sequence[Shot],
    *,
    empties: Sequence[Path] = (),
    recursive: bool = False,
    replace: bool = False,
) -> FolderRun:
    """Find, match and name everything. Raises FolderError before a single byte is written."""
    if not folder.is_dir():
        raise FolderError(f"{folder} is not a folder.")
    if out.resolve() == folder.resolve():
        raise FolderError(f"{out} holds the photos; name another folder for the pictures.")
    if out.exists() and not out.is_dir():
        raise FolderError(f"{out} is a file, not a folder.")
    given = {path.resolve() for path in empties}
    found = list_photos(folder, out, recursive)
    bare = [*empties, *(p for p in found if shows_backdrop(p.name) and p.resolve() not in given)]
    photos = [path for path in found if path not in bare and path.resolve() not in given]
    for path in bare:
        try:
            empty_frame(path)
        except PhotoError as error:
            raise FolderError(str(error)) from error
    if not photos:
        deeper = "" if recursive else " Add --recursive to look in its folders."
        raise FolderError(f"{folder} holds no photos.{deeper}")
    run = _matched(photos, out, standard, products, shots, bare)
    clashes = find_clashes(run.planned)
    if clashes:
        named = _with_folders(clashes[0].originals, run, folder)
        more = f" ({len(clashes) - 1} more like this.)" if len(clashes) > 1 else ""
        raise FolderError(f"{clashes[0].output} would come from {' and '.join(named)}; nothing was written.{more}")
    taken = [name for name in [*(p.output for p in run.planned), NAME] if (out / name).exists()]
    if taken and not replace:
        more = f" and {len(taken) - 1} more" if len(taken) > 1 else ""
        raise FolderError(f"{taken[0]}{more} exists in {out} already; add --replace to write over it.")
    return run


def execute(run: FolderRun, jobs: int, on_row: Callable[[Row], None]) -> list[Row]:
    """Make all pictures and the manifest; rows are in the order of the photos. A failed photo stops nothing.

    Raises OSError if the output folder cannot be written.
    """
    run.out.mkdir(parents=True, exist_ok=True)
    rows: dict[int, Row] = {}
    work = (
        (index, (path, run.standard, run.out / run.planned[index].output, run.empties))
        for index, path in enumerate(run.photos)
    )
    for index, result in map_processes(_make, work, jobs):
        rows[index] = _row(run.planned[index], run.photos[index], result)
        on_row(rows[index])
    left_out = [_left_out(path, "not on the shot list") for path in run.left_out]
    left_out += [_left_out(path, "shows the empty backdrop") for path in run.empties]
    in_order = [rows[index] for index in sorted(rows)] + left_out
    write_atomically(run.out / NAME, write_manifest(in_order))
    return in_order


def _matched(
    photos: list[Path],
    out: Path,
    standard: Standard,
    products: Sequence[Product],
    shots: Sequence[Shot],
    empties: list[Path],
) -> FolderRun:
    matcher = Matcher(products, shots)
    matches = {path: matcher.match(path.name) for path in photos}
    taken = [path for path in photos if matches[path].listed]
    named: list[tuple[str, Match]] = [(path.name, matches[path]) for path in taken]
    planned = plan_outputs(named, {p.code: p for p in products}, standard.deliverable)
    present = {path.name.casefold() for path in (*photos, *empties)}
    absent = [shot.filename for shot in shots if shot.filename.casefold() not in present]
    return FolderRun(out, standard, taken, planned, [p for p in photos if not matches[p].listed], absent, empties)


def _with_folders(originals: list[str], run: FolderRun, folder: Path) -> list[str]:
    """File names with their folders: in a recursive run two sources may be called the same."""
    paths = [p for p, planned in zip(run.photos, run.planned, strict=True) if planned.original in originals]
    return [str(path.relative_to(folder)) for path in paths]


def _make(path: Path, standard: Standard, target: Path, empties: list[Path]) -> tuple[int, int, int, str, list[str]]:
    picture = picture_of(path, standard, empties)
    write_atomically(target, picture.data)
    return picture.width, picture.height, len(picture.data), picture.sha256, picture.notes


def _row(planned: Planned, path: Path, result: tuple[int, int, int, str, list[str]] | Exception) -> Row:
    if isinstance(result, Exception):
        return Row(path.name, planned.code, planned.view, "", 0, 0, 0, "", "failed", reason_of(result, path.name))
    width, height, size, sha256, notes = result
    message = "; ".join([planned.note, *notes] if planned.note else notes)
    return Row(path.name, planned.code, planned.view, planned.output, width, height, size, sha256, "done", message)


def _left_out(path: Path, why: str) -> Row:
    return Row(path.name, "", "", "", 0, 0, 0, "", LEFT_OUT, why)
