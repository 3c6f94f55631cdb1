"""The command line: thin over the same services as the pages."""

import json
import sys
import time
from pathlib import Path
from typing import Annotated, Any, Literal

import typer

from zero_easel.cli import fit, runs
from zero_easel.cli.given import UsageError, console, products_in, read_rules, shots_in, some, texts_in
from zero_easel.cli.running import carry_out, progress
from zero_easel.cli.stopping import Commands, prepare_process
from zero_easel.core.catalog.plan import NamedPhoto, Namer
from zero_easel.core.finishing.encode import CUTOUT_MARK, encode_cutout
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.standard.editing import changed
from zero_easel.core.standard.model import Standard, StandardError
from zero_easel.core.standard.naming import collisions, printable
from zero_easel.core.standard.patterns import PatternError
from zero_easel.core.standard.yaml.file import schema as schema_of
from zero_easel.core.standard.yaml.file import write_standard
from zero_easel.core.tone.reading import tone_of
from zero_easel.engines.choosing import engine_of
from zero_easel.engines.engine import Allowance
from zero_easel.engines.processes import reason_of
from zero_easel.engines.workers import map_processes
from zero_easel.files import write_atomically
from zero_easel.folder.batch import FolderError, folder_within, list_photos, prepare
from zero_easel.folder.geometry import Geometry
from zero_easel.folder.matching import match_photos
from zero_easel.pipeline import clear, empty_frame
from zero_easel.settings import Settings, available_cores, fitting_jobs

app = typer.Typer(
    cls=Commands,
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help="Zero Easel: from a folder of product photos to uniform, correctly named pictures.",
)

Jobs = Annotated[int, typer.Option(min=1, max=256, help="Photos worked on at once.")]
Port = Annotated[int, typer.Option(min=0, max=65535, help="Port on 127.0.0.1; the next free one if it is taken.")]
Data = Annotated[Path | None, typer.Option(help="Folder for everything the application keeps.")]
Empty = Annotated[list[Path] | None, typer.Option("--empty", help="Photo of the bare backdrop; may be given again.")]
Columns = Annotated[
    list[str] | None,
    typer.Option(
        "--column", metavar="FIELD=HEADING", help='What a column holds, like code="Art. code"; once for each.'
    ),
]
NoCards = Annotated[bool, typer.Option("--no-cards", help="No code cards are among the photos.")]
PicturesCount = Annotated[
    bool,
    typer.Option("--pictures-count", help="Of a raw file and the picture beside it, the picture is the photo."),
]
Target = Annotated[
    Path | None, typer.Option(help="Photo of the colour target of 24 patches, to which all colours are brought.")
]
Grey = Annotated[
    Path | None, typer.Option(help="Photo of a grey card in the shoot's light, which becomes neutral in all photos.")
]
Lens = Annotated[
    str,
    typer.Option(
        metavar="known|PERCENT",
        help="Make straight what lenses bent: by each lens's data, or by the % that photos' corners were moved.",
    ),
]
Rectangles = Annotated[
    list[Path] | None,
    typer.Option("--rectangle", help="Photo whose item has four straight sides, to be seen from in front; once each."),
]
Scheduler = Annotated[
    str,
    typer.Option(metavar="ADDRESS", help="Dask scheduler whose workers see both folders, like tcp://host:8786."),
]
EngineKind = Literal["local", "dask"]
_CORES, _FITTING = available_cores(), fitting_jobs()


@app.command()
def run(
    photos: Annotated[Path, typer.Argument(metavar="PHOTOS", help="Folder of photos. It is only read.")],
    out: Annotated[Path, typer.Option("--out", help="Folder for the pictures and manifest.csv.")],
    catalog: Annotated[Path | None, typer.Option(help="Product table, CSV or XLSX.")] = None,
    column: Columns = None,
    shotlist: Annotated[Path | None, typer.Option(help="Table of filename, code, view.")] = None,
    standard: Annotated[Path | None, typer.Option(help="YAML, as printed by zero-easel standard.")] = None,
    assets: Annotated[
        Path | None,
        typer.Option(help="Folder of what the standard names: pictures, fonts, profiles; its own folder if not given."),
    ] = None,
    empty: Empty = None,
    recursive: Annotated[bool, typer.Option("--recursive", help="Look in subfolders too.")] = False,
    no_cards: NoCards = False,
    pictures_count: PicturesCount = False,
    target: Target = None,
    grey: Grey = None,
    lens: Lens = "",
    rectangle: Rectangles = None,
    replace: Annotated[bool, typer.Option("--replace", help="Write over pictures of an earlier run.")] = False,
    jobs: Jobs = _CORES,
    engine: Annotated[
        EngineKind, typer.Option(help="What works on photos: processes of this computer, or Dask workers.")
    ] = "local",
    scheduler: Scheduler = "",
) -> None:
    """Make the standard's picture of every photo in a folder."""
    rules, geometry = read_rules(standard), _geometry(lens, rectangle or [])
    products = products_in(catalog, column, lambda: texts_in(photos, out, recursive, jobs))
    try:
        with progress() as bar:
            reading = bar.add_task("Looking for code cards", total=None, visible=False)
            work = prepare(
                photos,
                out,
                rules,
                products,
                shots_in(shotlist),
                empties=empty or [],
                recursive=recursive,
                assets=assets or (standard.parent if standard else None),
                replace=replace,
                cards=not no_cards,
                raw_counts=not pictures_count,
                target=target,
                grey=grey,
                geometry=geometry,
                jobs=jobs,
                on_read=lambda done, count: bar.update(reading, completed=done, total=count, visible=True),
            )
    except FolderError as error:
        raise UsageError(str(error)) from error
    if work.absent:
        console.print(f"The shot list names {some(work.absent)}, not found among the photos.")
    if work.calibration:
        console.print(f"Colours follow the target: {work.calibration.error} Delta E remain on average.")
    for name in work.targets:
        console.print(f"{name} shows a colour target; --target {name} brings all colours to it.")
    for doubt in work.doubts:
        console.print(f"To make sure of: {doubt}.")
    carry_out(work, engine_of(engine, scheduler, jobs, _allowance()))


app.command("fit")(fit.fit)
app.add_typer(runs.app, name="runs")


@app.command("bring-in")
def bring_in(
    paths: Annotated[list[Path], typer.Argument(metavar="PATH...", help="Photos, tables, ZIP archives, or folders.")],
    shoot: Annotated[str, typer.Option(help="Name of the shoot; made if there is none.")],
    recursive: Annotated[bool, typer.Option("--recursive", help="Look in subfolders too.")] = False,
    data: Data = None,
    jobs: Jobs = _CORES,
) -> None:
    """Bring photos and tables into the application's library; it may be running meanwhile."""
    from zero_easel.library.intake import bring_all_in, list_incoming

    missing = [path for path in paths if not path.exists()]
    if missing:
        raise UsageError(f"{missing[0]} does not exist.")
    files = list_incoming(paths, recursive)
    if not files:
        deeper = "" if recursive else " Add --recursive to look in its folders."
        raise UsageError(f"{paths[0]} holds nothing to bring in.{deeper}")
    counts = {True: 0, False: 0}
    with progress() as bar:
        task = bar.add_task("Bringing in", total=len(files))

        def note(report: Any) -> None:
            bar.update(task, advance=1, total=(bar.tasks[0].total or 0) + report.of)
            if report.kind == "photo":
                counts[report.ok] += 1
            if report.message:
                bar.console.print(report.message)

        try:
            bring_all_in((data or Settings().data).resolve(), files, shoot, jobs, note, Settings().store)
        except ValueError as error:
            raise UsageError(str(error)) from error
    print(f"{counts[True]} photos brought in" + (f", {counts[False]} with a problem" if counts[False] else ""))
    raise typer.Exit(1 if counts[False] else 0)


@app.command()
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
    jobs: Jobs = _CORES,
) -> None:
    """Copy photos byte by byte under new names, or undo that."""
    from zero_easel.folder import renaming

    if undo is not None:
        try:
            print(f"{renaming.undo(undo)} files have their old names again.")
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
            print(f"{source.old}\t{source.planned.output}\t{source.planned.note}")
        return
    with progress() as bar:
        task = bar.add_task("Copies", total=len(sources))
        try:
            copied = renaming.copy_under_new_names(sources, out, lambda _: bar.advance(task))
        except renaming.RenameError as error:
            raise UsageError(str(error)) from error
        except OSError as error:
            raise UsageError(f"{out} cannot be written: {error.strerror or error}.") from error
    print(f"{len(copied)} copies in {out}, with the table {renaming.NAME}")


@app.command()
def cutout(
    photos: Annotated[list[Path], typer.Argument(metavar="PHOTO...", help="Photo files.")],
    out: Annotated[Path, typer.Option("--out", help="Folder for STEM.png, RGBA with straight alpha.")],
    empty: Empty = None,
    as_json: Annotated[bool, typer.Option("--json", help="One line of JSON per photo on standard output.")] = False,
    jobs: Jobs = _CORES,
) -> None:
    """Clear the backdrop of photos, at their own full size."""
    targets = [out / f"{path.stem}.png" for path in photos]
    for name, sources in collisions((str(p), t.name) for p, t in zip(photos, targets, strict=True)):
        raise UsageError(f"{name} would come from {' and '.join(sources)}; nothing was written.")
    for target in targets:
        if target.exists() and CUTOUT_MARK not in target.read_bytes()[:512]:
            raise UsageError(f"{target} exists and is no cutout made here; name another folder.")
    try:
        out.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UsageError(f"{out} cannot be written: {error.strerror or error}.") from error
    failed = 0
    with progress(hidden=as_json) as bar:
        task = bar.add_task("Cutouts", total=len(photos))
        work = enumerate((photo, target, empty or []) for photo, target in zip(photos, targets, strict=True))
        for report in _in_order(map_processes(_cut_one, work, min(jobs, len(photos))), photos):
            bar.advance(task)
            failed += report["error"] is not None
            if as_json:
                print(json.dumps(report, ensure_ascii=False), flush=True)
            if report["error"]:
                bar.console.print(report["error"])
    raise typer.Exit(1 if failed else 0)


@app.command()
def tone(
    photos: Annotated[list[Path], typer.Argument(metavar="PHOTO...", help="Photo files.")],
    empty: Empty = None,
    as_json: Annotated[bool, typer.Option("--json", help="One line of JSON per photo on standard output.")] = False,
    jobs: Jobs = _CORES,
) -> None:
    """Measure light and colour: of the backdrop beside each item, and of the item."""
    failed = 0
    work = enumerate((photo, empty or []) for photo in photos)
    for report in _in_order(map_processes(_tone_one, work, min(jobs, len(photos))), photos):
        failed += report["error"] is not None
        if as_json:
            print(json.dumps(report, ensure_ascii=False), flush=True)
        elif report["error"]:
            console.print(report["error"])
        else:
            print(f"{report['photo']}\t{_in_words(report)}")
    raise typer.Exit(1 if failed else 0)


def _in_words(report: dict[str, Any]) -> str:
    if report["backdrop_lab"] is None:
        words = "no backdrop is known"
    else:
        light, red, yellow = report["backdrop_lab"]
        lamp = f", light of {report['kelvin']} K" if report["kelvin"] else ", coloured"
        words = f"backdrop L* {light:.0f} a* {red:+.0f} b* {yellow:+.0f}{lamp}"
    if report["item_lab"]:
        light, red, yellow = report["item_lab"]
        words += f"; item L* {light:.0f} a* {red:+.0f} b* {yellow:+.0f}, {report['clipped']:.1%} of it clipped"
    if report["colours"]:
        words += f", mostly {report['colours'][0][0]}"
    if report["noise"] is not None:
        words += f"; noise {report['noise']:.2%}"
    return words


def _tone_one(path: Path, empties: list[Path]) -> dict[str, Any]:
    item = clear(read_photo(path, printable(path.name), wide=True), [empty_frame(frame) for frame in empties])
    return {"photo": str(path), **tone_of(item)._asdict(), "error": None}


@app.command()
def standard(
    schema: Annotated[bool, typer.Option("--schema", help="Print the JSON Schema of standards instead.")] = False,
    check: Annotated[Path | None, typer.Option(help="Read a standard, and say what is wrong with it.")] = None,
) -> None:
    """Print the built-in standard as commented YAML."""
    if check is not None:
        print(f"{check} is a standard: {read_rules(check).name}")
    elif schema:
        print(json.dumps(schema_of(), indent=1, ensure_ascii=False))
    else:
        sys.stdout.write(write_standard(Standard()))


@app.command()
def worker(
    scheduler: Annotated[str, typer.Argument(metavar="ADDRESS", help="Of the Dask scheduler, like tcp://host:8786.")],
    jobs: Jobs = _FITTING,
) -> None:
    """Work for a Dask scheduler at which an application or a run gives its work."""
    from zero_easel.engines.cluster_worker import OtherProgramError, work_for

    try:
        work_for(scheduler, jobs, console.print)
    except OtherProgramError as error:
        raise UsageError(str(error)) from error


@app.command()
def serve(port: Port = 8470, data: Data = None) -> None:
    """Start the application."""
    from zero_easel.web.server import serve as start

    start(port, data, demo=False)


@app.command()
def demo(port: Port = 8470, data: Data = None) -> None:
    """Start the application with the made-up shop Brindle Yard loaded."""
    from zero_easel.web.server import serve as start

    start(port, data, demo=True)


def main() -> None:
    """Entry point: wrong usage is one sentence and exit status 2."""
    prepare_process()
    try:
        app(standalone_mode=True)
    except UsageError as error:
        console.print(f"zero-easel: {error}")
        sys.exit(2)


def _allowance() -> Allowance:
    """What one photo may take, by the settings."""
    settings = Settings()
    return Allowance(settings.photo_seconds, settings.photo_mb)


def _geometry(lens: str, rectangles: list[Path]) -> Geometry:
    try:
        return Geometry.asked(lens, rectangles)
    except ValueError as error:
        raise UsageError(str(error)) from error


def _cut_one(path: Path, target: Path, empties: list[Path]) -> dict[str, Any]:
    started = time.perf_counter()
    photo = read_photo(path, printable(path.name))
    item = clear(photo, [empty_frame(frame) for frame in empties])
    write_atomically(target, encode_cutout(item.whole()))
    return {
        "photo": str(path),
        "output": str(target),
        "width": item.width,
        "height": item.height,
        "confidence": item.confidence,
        "flags": [f"{flag.code}: {flag.text}" for flag in item.flags],
        "seconds": round(time.perf_counter() - started, 3),
        "error": None,
    }


def _in_order(results: Any, photos: list[Path]) -> Any:
    """Reports in the order of the photos, each as soon as all before it are there."""
    held: dict[int, dict[str, Any]] = {}
    next_up = 0
    for index, result in results:
        held[index] = result if isinstance(result, dict) else _failed(photos[index], result)
        while next_up in held:
            yield held.pop(next_up)
            next_up += 1


def _failed(path: Path, error: Exception) -> dict[str, Any]:
    return {
        "photo": str(path),
        "output": None,
        "width": None,
        "height": None,
        "confidence": 0.0,
        "flags": [],
        "seconds": None,
        "error": reason_of(error, printable(path.name)),
    }


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
