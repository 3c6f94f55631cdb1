"""Photos under new names, byte by byte, and back."""

from pathlib import Path
from typing import Annotated, Any

import typer

from zero_easel.cli.given import UsageError, console, products_in, shots_in, tell, texts_in
from zero_easel.cli.options import CORES, AsJson, Columns, Jobs, NoCards
from zero_easel.cli.running import progress
from zero_easel.core.catalog.plan import NamedPhoto, Namer
from zero_easel.core.standard.editing import changed
from zero_easel.core.standard.model import Standard, StandardError
from zero_easel.core.standard.patterns import PatternError
from zero_easel.folder.batch import folder_within, list_photos
from zero_easel.folder.matching import match_photos


def rename(
    photos: Annotated[Path | None, typer.Argument(metavar="PHOTOS", help="Folder of photos. It is only read.")] = None,
    out: Annotated[Path | None, typer.Option("--out", help="Folder or .zip file for the copies.")] = None,
    catalog: Annotated[Path | None, typer.Option(help="Product table, CSV or XLSX.")] = None,
    column: Columns = None,
    shotlist: Annotated[Path | None, typer.Option(help="Table of filename, code, view.")] = None,
    pattern: Annotated[str, typer.Option(help="New names, like {code}_{view}.")] = "{code}_{view}",
    folder: Annotated[str, typer.Option(help="Subfolders, like {category}/{code}.")] = "",
    count: Annotated[str, typer.Option(help="{n} counts within each product, folder or run.")] = "product",
    on_duplicate: Annotated[str, typer.Option(help="A name wanted twice: refuse, or count the later ones.")] = "refuse",
    recursive: Annotated[bool, typer.Option("--recursive", help="Look in subfolders too.")] = False,
    no_cards: NoCards = False,
    dry: Annotated[bool, typer.Option("--show", help="Only show old and new names.")] = False,
    undo: Annotated[
        Path | None, typer.Option("--undo", metavar="TABLE", help="Give the files beside it their old names.")
    ] = None,
    jobs: Jobs = CORES,
    as_json: AsJson = False,
) -> None:
    """Copy photos byte by byte under new names, or undo that."""
    from zero_easel.folder import renaming

    if undo is not None:
        try:
            count_back = renaming.undo(undo)
            tell({"renamed": count_back}, f"{count_back} files have their old names again.", as_json=as_json)
        except renaming.RenameError as error:
            raise UsageError(str(error)) from error
        return
    if photos is None or not (out or dry):
        raise UsageError("say which folder of photos, and where the copies go with --out.")
    rules = _changed(names_name=pattern, names_folder=folder, names_count=count, names_on_duplicate=on_duplicate)
    sources, doubts = _renamed(
        photos, out or photos / ".nowhere", rules, catalog, column, shotlist, recursive, jobs, not no_cards
    )
    for doubt in doubts:
        console.print(f"To make sure of: {doubt}.")
    if dry or out is None:
        for source in sources:
            told = {"old": source.old, "new": source.planned.output, "note": source.planned.note}
            tell(told, "\t".join(told.values()), as_json=as_json)
        return
    with progress() as bar:
        task = bar.add_task("Copies", total=len(sources))
        try:
            copied = renaming.copy_under_new_names(sources, out, lambda _: bar.advance(task))
        except renaming.RenameError as error:
            raise UsageError(str(error)) from error
        except OSError as error:
            raise UsageError(f"{out} cannot be written: {error.strerror or error}.") from error
    if as_json:
        for one in copied:
            tell(one._asdict(), "", as_json=True)
    else:
        print(f"{len(copied)} copies in {out}, with the table {renaming.NAME}")


def _changed(**values: str) -> Standard:
    """The built-in standard with some values replaced; part_field stands for part.field."""
    rules = Standard()
    for key, value in values.items():
        try:
            rules = changed(rules, key.replace("_", ".", 1), value)
        except StandardError as error:
            raise UsageError(f"{error}.") from error
    return rules


def _renamed(
    photos: Path,
    out: Path,
    rules: Standard,
    catalog: Path | None,
    column: list[str] | None,
    shotlist: Path | None,
    recursive: bool,
    jobs: int,
    cards: bool,
) -> tuple[list[Any], list[str]]:
    """Photos of a folder with their new names, in shooting order, and what to make sure of. Code cards stay out."""
    if not photos.is_dir():
        raise UsageError(f"{photos} is not a folder.")
    products = products_in(catalog, column, lambda: texts_in(photos, out, recursive, jobs))
    # A raw file and the picture beside it both get their name.
    found, shots = list_photos(photos, out, recursive), shots_in(shotlist)
    matched = match_photos(found, products, shots, jobs, cards=cards, raw_counts=None)
    part = [one for one in matched if not one.match.card]
    columns = sorted({key for product in products for key in product.extra})
    try:
        namer = Namer(rules, columns, photos.resolve().name)
        planned = namer.plan(
            [NamedPhoto(one.path.name, one.match, one.taken, folder_within(one.path, photos)) for one in part],
            {product.code: product for product in products},
        )
    except PatternError as error:
        raise UsageError(f"{error}.") from error
    from zero_easel.folder.renaming import Copy

    doubts = [f"{one.path.name}: {one.match.doubt}" for one in matched if one.match.doubt]
    sources = [
        Copy(one.path.relative_to(photos).as_posix(), one.path, plan) for one, plan in zip(part, planned, strict=True)
    ]
    return sources, doubts
