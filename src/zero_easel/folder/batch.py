"""A run over a folder, as the command line asks for it: no library, the same plan and the same pipeline."""

import shutil
import tempfile
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, field
from dataclasses import replace as with_other
from functools import partial
from pathlib import Path
from typing import Any, NamedTuple

from zero_easel.core.catalog.cards import SHOWS_GREY, SHOWS_TARGET
from zero_easel.core.catalog.matching import Match
from zero_easel.core.catalog.plan import Planned, names_ask_for
from zero_easel.core.catalog.products import Product, Shot
from zero_easel.core.finishing.embed import camera_of
from zero_easel.core.items.item import CutItem
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.assets import Assets
from zero_easel.core.photos.decoding import PICTURE_SUFFIXES, Photo, header_of, read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.placing.layout import cuts_nothing, is_by_row
from zero_easel.core.placing.placement import Adjustment, Placement, Subject
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.naming import natural_key, printable, shows_backdrop
from zero_easel.core.standard.patterns import PatternError
from zero_easel.core.tone.balance import Colour
from zero_easel.core.tone.grey_card import find_grey_card
from zero_easel.core.tone.target import Calibration
from zero_easel.engines.cutouts import keep_cutout, kept_cutout
from zero_easel.engines.engine import Engine, map_pieces, patiently
from zero_easel.engines.making import Made, made
from zero_easel.engines.processes import reason_of
from zero_easel.files import ensure_seen
from zero_easel.folder.geometry import Geometry, PhotoFile
from zero_easel.folder.lists import Lists
from zero_easel.folder.matching import Matched, doubts_of, match_photos, name_of
from zero_easel.pipeline import Source, Task, calibration_of, empty_frame, needs_cutout
from zero_easel.planning.batch import EMPTY_BACKDROP, Batch, BatchPhoto, Products, lay_all, plan, why_left_out
from zero_easel.planning.manifest import FAILED, LEFT_OUT, NAMES, ManifestRow, is_finished
from zero_easel.planning.manifest import NAME as MANIFEST
from zero_easel.storage import FolderStorage, Kept


class FolderError(Exception):
    """A run that cannot start; nothing was written. The message is a sentence for the person who asked."""


@dataclass(frozen=True)
class FolderRun:
    """A run that may start. photos: in shooting order; the places of the batch refer to them. doubts are sentences
    about products that a person should make sure of; absent are files that only the shot list knows; empties show the
    bare backdrop and are used, not finished; unusable are files that should show it and cannot be read, with the
    reason. assets: folder of the files that the standard names. to_look_at: photos that are left out as code cards that
    cannot be read, and may be items. keep_dates: whether pictures take the dates of their photos' files.
    finished: folders that hold what earlier runs made, and are not read. calibration: by the colour target that was
    named. geometry: what is undone of the photos'."""

    out: Path
    standard: Standard
    photos: list[Path]
    batch: Batch
    doubts: list[str]
    absent: list[str]
    empties: list[Path]
    unusable: list[tuple[Path, str]]
    assets: Path | None
    to_look_at: list[str]
    keep_dates: bool = False
    finished: Sequence[Path] = ()
    calibration: Calibration | None = None
    geometry: Geometry = field(default_factory=Geometry)

    @property
    def targets(self) -> list[str]:
        """Photos that show a colour target, while none was named."""
        shown = [name_of(self.photos[at]) for at, why in self.batch.left_out.items() if why == SHOWS_TARGET]
        return shown if self.calibration is None else []

    @property
    def by_photo(self) -> dict[int, list[Planned]]:
        """The pictures of each photo that gives any."""
        rows: dict[int, list[Planned]] = {}
        for picture in self.batch.pictures:
            rows.setdefault(picture.at, []).append(picture)
        return rows


def list_photos(folder: Path, out: Path, recursive: bool) -> list[Path]:
    """Picture files of a folder in natural order, without hidden files, the output folder's, and what runs have made in
    folders within it (finished_within)."""
    found = folder.rglob("*") if recursive else folder.iterdir()
    finished = finished_within(folder) if recursive else []
    photos = [
        path
        for path in found
        if path.is_file()
        and path.suffix.lower() in PICTURE_SUFFIXES
        and not any(part.startswith(".") for part in path.relative_to(folder).parts)
        and not path.resolve().is_relative_to(out.resolve())
        and not any(path.is_relative_to(done) for done in finished)
    ]
    return sorted(photos, key=lambda p: natural_key(str(p.relative_to(folder))))


def finished_within(folder: Path) -> list[Path]:
    """Folders within a folder that hold the pictures of earlier runs, in order."""
    return sorted(path.parent for path in folder.rglob(MANIFEST) if path.parent != folder and is_finished(path.parent))


def prepare(
    folder: Path,
    out: Path,
    standard: Standard,
    products: Sequence[Product],
    shots: Sequence[Shot],
    *,
    empties: Sequence[Path] = (),
    assets: Path | None = None,
    recursive: bool = False,
    replace: bool = False,
    cards: bool = True,
    raw_counts: bool = True,
    target: Path | None = None,
    grey: Path | None = None,
    geometry: Geometry | None = None,
    keep_dates: bool = False,
    at_least: int = 0,
    jobs: int = 1,
    on_read: Callable[[int, int], None] | None = None,
) -> FolderRun:
    """Find, match and name everything. Raises FolderError before a single byte is written.

    Photos are looked through for code cards, if there may be any, `jobs` at once, where names and shot list leave some
    without a product; on_read is told how many of how many are done. at_least: px of the longer side, below which a
    photo stays out. raw_counts: of a raw file and the picture beside it the former is the photo. target: a photo of
    the colour target, to which all colours are brought; grey: one of a grey card, which is neutral. geometry: what is
    undone of the photos', nothing by default.
    """
    _refuse_folders(folder, out)
    found = _found(folder, out, standard, empties, recursive)
    known, neutral = _calibrated(target) if target else None, _grey_of(grey) if grey else None
    matched = match_photos(found.photos, products, shots, jobs, on_read, cards=cards, raw_counts=raw_counts)
    for shown, why in ((target, SHOWS_TARGET), (grey, SHOWS_GREY)):
        mine, match = shown and shown.resolve(), Match("", "", why, card=True)
        matched = [one._replace(match=match) if one.path.resolve() == mine else one for one in matched]
    geometry = geometry or Geometry()
    _refuse_unknown(geometry, found.photos)
    light = Adjustment(neutral=neutral, target=known.matrix if known else None)
    held = {one.path: light._replace(rectified=geometry.of(one.path)) for one in matched}
    run = _planned(matched, out, standard, products, shots, found.bare, folder, assets, at_least, held)
    earlier = [done for done in finished_within(folder) if done.resolve() != out.resolve()] if recursive else []
    run = with_other(run, calibration=known, geometry=geometry, unusable=found.unusable)
    run = with_other(run, keep_dates=keep_dates, finished=earlier)
    _refuse_clashes(run, replace=replace)
    return run


def _refuse_folders(folder: Path, out: Path) -> None:
    """Raises FolderError if there is nothing to read from, or nowhere to write to."""
    if not folder.is_dir():
        raise FolderError(f"{folder} is not a folder.")
    if out.resolve() == folder.resolve():
        raise FolderError(f"{out} holds the photos; name another folder for the pictures.")
    if out.exists() and not out.is_dir():
        raise FolderError(f"{out} is a file, not a folder.")


class _Found(NamedTuple):
    """Files of a folder. bare: photos of the bare backdrop. unusable: what is called so and cannot be read, and why."""

    photos: list[Path]
    bare: list[Path]
    unusable: list[tuple[Path, str]]


def _found(folder: Path, out: Path, standard: Standard, empties: Sequence[Path], recursive: bool) -> _Found:
    """What lies there. empties: photos of the bare backdrop that were named. Raises FolderError."""
    given, found = {path.resolve() for path in empties}, list_photos(folder, out, recursive)
    for path in empties:
        if reason := _unreadable(path):
            raise FolderError(reason)
    # Where backdrops are kept a name says nothing: it is a picture like all others.
    called_so = [] if cuts_nothing(standard) else [p for p in found if shows_backdrop(p.name)]
    called_so = [p for p in called_so if p.resolve() not in given]
    photos = [path for path in found if path not in called_so and path.resolve() not in given]
    # A file that only happens to be called so stops nothing.
    unusable = [(path, reason) for path in called_so if (reason := _unreadable(path))]
    if not photos:
        deeper = "" if recursive else " Add --recursive to look in its folders."
        raise FolderError(f"{folder} holds no photos.{deeper}")
    return _Found(photos, [*empties, *(path for path in called_so if path not in dict(unusable))], unusable)


def _refuse_unknown(geometry: Geometry, photos: Sequence[Path]) -> None:
    """Raises FolderError if a photo is to be brought upright that is not among them."""
    present = {path.resolve() for path in photos}
    for path in sorted(geometry.upright - present):
        raise FolderError(f"{path} is to be brought upright, and is not among the photos.")


def _refuse_clashes(run: FolderRun, *, replace: bool) -> None:
    """Raises FolderError if two pictures would have one name, or one is there already and may not be replaced."""
    out, clashes = run.out, run.batch.clashes
    if clashes:
        named = clashes[0].sources
        more = f" ({len(clashes) - 1} more like this.)" if len(clashes) > 1 else ""
        raise FolderError(f"{clashes[0].output} would come from {' and '.join(named)}; nothing was written.{more}")
    taken = [name for name in [*(p.output for p in run.batch.pictures), *NAMES] if (out / name).exists()]
    if taken and not replace:
        more = f" and {len(taken) - 1} more" if len(taken) > 1 else ""
        raise FolderError(f"{taken[0]}{more} exists in {out} already; add --replace to write over it.")


def execute(
    run: FolderRun,
    engine: Engine,
    on_row: Callable[[ManifestRow, Made], None],
    on_trouble: Callable[[str], None] | None = None,
) -> list[ManifestRow]:
    """Make all pictures and the lists; rows are in the order of the photos. A failed photo stops nothing. on_row: is
    told of each picture as it is made. on_trouble: see map_pieces. The engine is closed then.

    However it ends, the lists say what is there and what is still to be made. Raises OSError if the output folder
    cannot be written.
    """
    for folder in {(run.out / picture.output).parent for picture in run.batch.pictures} | {run.out}:
        folder.mkdir(parents=True, exist_ok=True)
    by_photo = run.by_photo
    others = [_without(run.photos[at], LEFT_OUT, why) for at, why in run.batch.left_out.items()]
    others += [_without(path, LEFT_OUT, EMPTY_BACKDROP) for path in run.empties]
    others += [_without(path, FAILED, reason) for path, reason in run.unusable]
    lists = Lists(run.out, run.standard, by_photo, others, on_row)
    lists.write()
    mapped = partial(map_pieces, engine, on_trouble=on_trouble)

    def note(at: int, result: list[Made] | Exception) -> None:
        if isinstance(result, Exception):
            result = [Made(failure=reason_of(result, name_of(run.photos[at])))] * len(by_photo[at])
        lists.note(at, result)

    try:
        if is_by_row(run.standard):
            # Kept beside the pictures, where there is room for them, and gone when the run ends.
            with tempfile.TemporaryDirectory(dir=run.out, prefix=".cutouts-", ignore_cleanup_errors=True) as kept:
                _execute_by_row(run, by_photo, mapped, Path(kept), note)
        else:
            work = ((at, _arguments(run, at, by_photo[at], {}, None)) for at in by_photo)
            for at, result in mapped(_make, work):
                note(at, result)
        lists.compare_with_disk()
        return patiently(lists.write, on_trouble)
    except BaseException:
        # Stopped by hand, or the folder has gone: the lists are still worth trying.
        with suppress(OSError):
            lists.write()
        raise
    finally:
        engine.close()


def _execute_by_row(
    run: FolderRun,
    by_photo: Mapping[int, list[Planned]],
    mapped: Callable[..., Iterator[tuple[int, Any]]],
    kept: Path,
    note: Callable[[int, list[Made] | Exception], None],
) -> None:
    """Clear everything, lay the whole row out, then draw. mapped: a function over pieces of work. kept: folder for the
    cutouts until then."""
    subjects, failed = dict(run.batch.subjects), set()
    work = (
        (at, (_file(run, at), _cutout_in(kept, at), subject, run.standard))
        for at, subject in run.batch.subjects.items()
        if at in by_photo
    )
    for at, result in mapped(_measure, work):
        if isinstance(result, Exception):
            failed.add(at)
            note(at, result)
        else:
            subjects[at] = result
    # Photos of whose view nothing is wanted are not cleared, and stand in no row.
    rows = lay_all({at: subject for at, subject in subjects.items() if at in by_photo}, run.standard)
    drawing = (
        (at, _arguments(run, at, by_photo[at], {name: row[at] for name, row in rows.items()}, _cutout_in(kept, at)))
        for at in by_photo
        if at not in failed
    )
    for at, done in mapped(_make, drawing):
        note(at, done)


def _cutout_in(kept: Path, at: int) -> Kept:
    return Kept(FolderStorage(kept), f"{at}.png")


def _arguments(
    run: FolderRun, at: int, pictures: Sequence[Planned], placements: Mapping[str, Placement | None], kept: Kept | None
) -> tuple[object, ...]:
    parts = [
        (
            Task(picture.deliverable, picture.output, picture.values, placements.get(picture.deliverable)),
            Kept(FolderStorage(run.out), picture.output, fixed=False),
        )
        for picture in pictures
    ]
    return _file(run, at), run.standard, parts, run.batch.subjects[at], kept, run.assets, run.keep_dates


def _file(run: FolderRun, at: int) -> PhotoFile:
    path, known = run.photos[at], run.batch.subjects[at].adjustment.rectified
    return PhotoFile(path, run.empties, known, run.geometry.is_upright(path))


def _calibrated(target: Path) -> Calibration:
    """Raises FolderError."""
    found = calibration_of(_shown(target))
    if found is None:
        raise FolderError(f"{name_of(target)} shows no colour target of 24 patches, or too much of it is clipped.")
    return found


def _grey_of(card: Path) -> Colour:
    """Raises FolderError."""
    found = find_grey_card(_shown(card).pixels)
    if found is None:
        raise FolderError(f"{name_of(card)} shows no grey card: an even grey sheet on something neutral and lighter.")
    return found


def _shown(path: Path) -> Photo:
    """Raises FolderError."""
    try:
        return read_photo(path, name_of(path))
    except PhotoError as error:
        raise FolderError(str(error)) from error


def _planned(
    matched: list[Matched],
    out: Path,
    standard: Standard,
    products: Sequence[Product],
    listed: Sequence[Shot],
    empties: list[Path],
    folder: Path,
    assets: Path | None,
    at_least: int,
    held: Mapping[Path, Adjustment],
) -> FolderRun:
    whole = cuts_nothing(standard) or names_ask_for(standard, "width", "height")
    shots = []
    for one in matched:
        frame = _frame(one.path) if whole or at_least else Size(0, 0)
        small = f"its longer side has fewer than {at_least} px" if 0 < max(frame) < at_least else ""
        within = folder_within(one.path, folder)
        out_of_it = why_left_out(one.match) or small
        own = held[one.path]
        shots.append(
            BatchPhoto(name_of(one.path), one.match, one.taken, out_of_it, frame, adjustment=own, folder=within)
        )
    columns = sorted({key for product in products for key in product.extra})
    catalog = Products({p.code: p for p in products}, columns, bool(products or listed))
    try:
        batch = plan(shots, standard, catalog, name_of(folder.resolve()))
    except PatternError as error:
        raise FolderError(f"The file names cannot be made: {error}.") from error
    present = {name_of(one.path).casefold() for one in matched} | {name_of(path).casefold() for path in empties}
    absent = [shot.filename for shot in listed if shot.filename.casefold() not in present]
    photos = [one.path for one in matched]
    unsure = [name_of(one.path) for one in matched if one.match.card and one.match.doubt]
    return FolderRun(out, standard, photos, batch, doubts_of(matched), absent, empties, [], assets, unsure)


def _unreadable(path: Path) -> str:
    """Why a photo of the bare backdrop cannot be used, "" if it can."""
    try:
        empty_frame(path)
    except PhotoError as error:
        return str(error)
    return ""


def folder_within(path: Path, folder: Path) -> str:
    """The folders between a photo and the one that was named."""
    return "/".join(printable(part) for part in path.relative_to(folder).parts[:-1])


def _frame(path: Path) -> Size:
    """Size of the upright photo by its header; 0 x 0 if that does not tell."""
    header = header_of(path)
    return header.size if header else Size(0, 0)


def _measure(photo: PhotoFile, kept: Kept, subject: Subject, standard: Standard) -> Subject:
    """Clear a photo, keep its cutout, and return what its place depends on."""
    ensure_seen(photo.path.parent)
    subject = _rectified(photo, subject)
    if not needs_cutout(subject, standard):
        return subject._replace(frame=photo.frame)
    item = photo.item()
    keep_cutout(kept, item.packed(), durable=False)
    return subject._replace(measures=item.measures, frame=item.frame)


def _rectified(photo: PhotoFile, subject: Subject) -> Subject:
    """With what is undone of its geometry, as far as that had to be found."""
    return subject._replace(adjustment=subject.adjustment._replace(rectified=photo.rectification))


def _make(
    photo: PhotoFile,
    standard: Standard,
    parts: list[tuple[Task, Kept]],
    subject: Subject,
    kept: Kept | None,
    assets: Path | None,
    keep_dates: bool,
) -> list[Made]:
    """The pictures of one photo."""

    def item() -> CutItem:
        return (kept_cutout(kept) if kept is not None else None) or photo.item()

    ensure_seen(photo.path.parent)
    path, subject = photo.path, _rectified(photo, subject)
    source = Source(name_of(path), photo.photo, item, lambda: camera_of(path.read_bytes()))
    found = [made(source, subject, standard, task, target, Assets(assets)) for task, target in parts]
    if keep_dates:
        for one, (_, target) in zip(found, parts, strict=True):
            if not one.failure:
                shutil.copystat(path, target.path())
    return found


def _without(path: Path, status: str, why: str) -> ManifestRow:
    return ManifestRow(name_of(path), "", "", "", 0, 0, 0, "", status, why)
