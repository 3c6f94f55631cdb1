"""A run over a folder, as the command line asks for it: no library, the same pipeline."""

import tempfile
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import NamedTuple

from zero_easel.core.cards import Snap
from zero_easel.core.catalog import Product, Shot
from zero_easel.core.item import CutItem
from zero_easel.core.laid import Laid, Subject
from zero_easel.core.matching import Match, Matcher, in_shooting_order, odd_counts
from zero_easel.core.naming import natural_key, shows_backdrop
from zero_easel.core.patterns import PatternError
from zero_easel.core.photo import PICTURE_SUFFIXES, Photo, PhotoError, read_photo
from zero_easel.core.placement import is_by_row, lay_out
from zero_easel.core.plan import Namer, Planned, find_clashes
from zero_easel.core.plan import Subject as NamedSubject
from zero_easel.core.pose import Size
from zero_easel.core.reading import Reading, read
from zero_easel.core.shooting import Frame
from zero_easel.core.standard import Standard
from zero_easel.files import write_atomically
from zero_easel.pipeline import PictureError, clear, empty_frame, needs_cutout, picture_of
from zero_easel.runs.manifest import NAME, Row, write_manifest
from zero_easel.runs.processes import map_processes, reason_of

LEFT_OUT = "left out"


class FolderError(Exception):
    """A run that cannot start; nothing was written. The message is a sentence for the person who asked."""


@dataclass(frozen=True)
class FolderRun:
    """A run that may start. photos, planned and subjects go together; left_out are photos that stay out, each with why;
    doubts are sentences about products that a person should make sure of; absent are files that only the shot list
    knows; empties show the bare backdrop and are used, not finished."""

    out: Path
    standard: Standard
    photos: list[Path]
    planned: list[Planned]
    subjects: list[Subject]
    left_out: list[tuple[Path, str]]
    doubts: list[str]
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
    jobs: int = 1,
    on_read: Callable[[int, int], None] | None = None,
) -> FolderRun:
    """Find, match and name everything. Raises FolderError before a single byte is written.

    Photos are looked through for code cards, `jobs` at once, if names and shot list leave some without a product;
    on_read is told how many of how many are done.
    """
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
    matched = match_photos(photos, products, shots, jobs, on_read)
    run = _planned(matched, out, standard, products, shots, bare, folder)
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
    for folder in {(run.out / planned.output).parent for planned in run.planned} | {run.out}:
        folder.mkdir(parents=True, exist_ok=True)
    rows: dict[int, Row] = {}

    def note(index: int, result: tuple[int, int, int, str, list[str]] | Exception) -> None:
        rows[index] = _row(run.planned[index], run.photos[index], result)
        on_row(rows[index])

    if is_by_row(run.standard):
        # Kept beside the pictures, where there is room for them, and gone when the run ends.
        with tempfile.TemporaryDirectory(dir=run.out, prefix=".cutouts-") as kept:
            _execute_by_row(run, jobs, Path(kept), note)
    else:
        work = ((index, _arguments(run, index, None, None)) for index in range(len(run.photos)))
        for index, result in map_processes(_make, work, jobs):
            note(index, result)
    left_out = [_left_out(path, why) for path, why in run.left_out]
    left_out += [_left_out(path, "shows the empty backdrop") for path in run.empties]
    in_order = [rows[index] for index in sorted(rows)] + left_out
    write_atomically(run.out / NAME, write_manifest(in_order))
    return in_order


def _execute_by_row(
    run: FolderRun, jobs: int, kept: Path, note: Callable[[int, tuple[int, int, int, str, list[str]] | Exception], None]
) -> None:
    """Clear everything, lay the whole row out, then draw. kept: folder for the cutouts until then."""
    subjects, failed = list(run.subjects), set()
    work = (
        (index, (path, kept / str(index), run.empties, run.subjects[index], run.standard))
        for index, path in enumerate(run.photos)
    )
    for index, result in map_processes(_measure, work, jobs):
        if isinstance(result, Exception):
            failed.add(index)
            note(index, result)
        else:
            subjects[index] = result
    laid = lay_out(subjects, run.standard)
    ready = [index for index in range(len(subjects)) if index not in failed]
    drawing = ((index, _arguments(run, index, laid[index], kept / str(index))) for index in ready)
    for index, result in map_processes(_make, drawing, jobs):
        note(index, result)


def _arguments(run: FolderRun, index: int, laid: Laid | None, kept: Path | None) -> tuple[object, ...]:
    target = run.out / run.planned[index].output
    return run.photos[index], run.standard, target, run.empties, run.subjects[index], laid, kept


class Matched(NamedTuple):
    """A photo and what it shows. taken: None if the photo was not decoded."""

    path: Path
    match: Match
    taken: datetime | None


def match_photos(
    photos: Sequence[Path],
    products: Sequence[Product],
    shots: Sequence[Shot],
    jobs: int,
    on_read: Callable[[int, int], None] | None = None,
) -> list[Matched]:
    """What photo files show, in shooting order: by shot list and name, and by code cards where these do not tell."""
    matcher = Matcher(products, shots)
    plain = [matcher.match(path.name) for path in photos]
    seen: dict[int, tuple[Reading, datetime | None] | None] = {}
    if any(not match.code for match in plain):
        work = ((index, (path,)) for index, path in enumerate(photos))
        for index, result in map_processes(_read, work, min(jobs, len(photos))):
            seen[index] = None if isinstance(result, Exception) else result
            if on_read is not None:
                on_read(len(seen), len(photos))
    snaps = [_snap(path, seen.get(index, (Reading((), False, None), None))) for index, path in enumerate(photos)]
    matches = matcher.match_all(snaps)
    order = in_shooting_order(snaps)
    return [Matched(photos[at], matches[at], snaps[at].frame.taken) for at in order]


def _read(path: Path) -> tuple[Reading, datetime | None]:
    photo = read_photo(path)
    return read(photo.pixels), photo.facts.taken


def _snap(path: Path, seen: tuple[Reading, datetime | None] | None) -> Snap:
    if seen is None:
        return Snap(Frame(path.name, None), unreadable=True)
    reading, taken = seen
    return Snap(Frame(path.name, taken), reading.codes, reading.card_like)


def _planned(
    matched: list[Matched],
    out: Path,
    standard: Standard,
    products: Sequence[Product],
    shots: Sequence[Shot],
    empties: list[Path],
    folder: Path,
) -> FolderRun:
    taken = [one for one in matched if one.match.listed and not one.match.card]
    left_out = [
        (one.path, one.match.doubt or one.match.why) for one in matched if not one.match.listed or one.match.card
    ]
    columns = sorted({key for product in products for key in product.extra})
    try:
        namer = Namer(standard, columns, folder.resolve().name)
        subjects = [NamedSubject(one.path.name, one.match, one.taken) for one in taken]
        by_code = {p.code: p for p in products}
        planned = namer.plan(subjects, by_code)
    except PatternError as error:
        raise FolderError(f"The file names cannot be made: {error}.") from error
    present = {one.path.name.casefold() for one in matched} | {path.name.casefold() for path in empties}
    absent = [shot.filename for shot in shots if shot.filename.casefold() not in present]
    row = [_subject(by_code.get(p.code) or Product(code=p.code), p.view) for p in planned]
    paths = [one.path for one in taken]
    return FolderRun(out, standard, paths, planned, row, left_out, _doubts(matched), absent, empties)


def _subject(product: Product, view: str) -> Subject:
    """What a photo's place depends on besides its pixels."""
    return Subject(None, (0, 0), product.category, view, Size(product.width_mm, product.height_mm, product.depth_mm))


def _doubts(matched: list[Matched]) -> list[str]:
    """What a person should make sure of, in sentences."""
    said = [f"{one.path.name}: {one.match.doubt}" for one in matched if one.match.doubt and not one.match.card]
    said += [one.match.doubt for one in matched if one.match.doubt and one.match.card]
    odd = odd_counts(one.match.code for one in matched if not one.match.card)
    return said + [f"{code} has {n} photo{'' if n == 1 else 's'}, unlike most" for code, n in sorted(odd.items())]


def _with_folders(originals: list[str], run: FolderRun, folder: Path) -> list[str]:
    """File names with their folders: in a recursive run two sources may be called the same."""
    paths = [p for p, planned in zip(run.photos, run.planned, strict=True) if planned.original in originals]
    return [str(path.relative_to(folder)) for path in paths]


def _photo(path: Path) -> Photo:
    try:
        return read_photo(path)
    except PhotoError as error:
        raise PictureError(str(error)) from error


def _clear(path: Path, empties: list[Path]) -> CutItem:
    return clear(_photo(path), [empty_frame(empty) for empty in empties])


def _measure(path: Path, kept: Path, empties: list[Path], subject: Subject, standard: Standard) -> Subject:
    """Clear a photo, keep its cutout, and return what its place depends on."""
    if not needs_cutout(subject, standard):
        facts = _photo(path).facts
        return subject._replace(frame=(facts.width, facts.height))
    item = _clear(path, empties)
    png, facts_text = item.packed()
    kept.with_suffix(".png").write_bytes(png)
    kept.with_suffix(".json").write_text(facts_text)
    return subject._replace(measures=item.measures, frame=(item.width, item.height))


def _make(
    path: Path, standard: Standard, target: Path, empties: list[Path], subject: Subject, laid: Laid | None,
    kept: Path | None,
) -> tuple[int, int, int, str, list[str]]:  # fmt: skip
    def item() -> CutItem:
        if kept is None:
            return _clear(path, empties)
        return CutItem.unpacked(kept.with_suffix(".png").read_bytes(), kept.with_suffix(".json").read_text())

    picture = picture_of(subject, standard, path.name, original=lambda: _photo(path), item=item, laid=laid)
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
