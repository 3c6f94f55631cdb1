"""The command line: thin over the same services as the pages."""

import json
import sys
from pathlib import Path
from typing import Annotated

import typer

from zero_easel import __version__
from zero_easel.cli import backups, bringing_in, delivering, doors, fit, library, owner, photos, rename, tokens
from zero_easel.cli.given import UsageError, console, products_in, read_rules, shots_in, some, texts_in
from zero_easel.cli.options import (
    CORES,
    FITTING,
    AsJson,
    Columns,
    Data,
    Empty,
    EngineKind,
    Grey,
    Jobs,
    Lens,
    NoCards,
    PicturesCount,
    Port,
    Rectangles,
    Scheduler,
    Target,
)
from zero_easel.cli.running import carry_out, progress
from zero_easel.cli.stopping import Commands, prepare_process
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.yaml.file import schema as schema_of
from zero_easel.core.standard.yaml.file import write_standard
from zero_easel.engines.choosing import engine_of
from zero_easel.engines.engine import Allowance
from zero_easel.folder.batch import FolderError, FolderRun, prepare
from zero_easel.folder.geometry import Geometry
from zero_easel.settings import Settings

app = typer.Typer(
    cls=Commands,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)


def _tell_version(asked: bool) -> None:
    if asked:
        print(f"zero-easel {__version__}")
        raise typer.Exit


@app.callback()
def whole(
    version: Annotated[
        bool, typer.Option("--version", help="Print the version.", callback=_tell_version, is_eager=True)
    ] = False,
) -> None:
    """Zero Easel: from a folder of product photos to uniform, correctly named pictures."""


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
    jobs: Jobs = CORES,
    engine: Annotated[
        EngineKind, typer.Option(help="What works on photos: processes of this computer, or Dask workers.")
    ] = "local",
    scheduler: Scheduler = "",
    as_json: AsJson = False,
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
    _tell(work)
    carry_out(work, engine_of(engine, scheduler, jobs, _allowance()), as_json=as_json)


app.command("fit")(fit.fit)
app.add_typer(library.shoots, name="shoots")
app.add_typer(library.photos, name="photos")
app.add_typer(library.match, name="match")
app.command("clear")(library.clear)
app.add_typer(delivering.runs, name="runs")
app.command("deliver")(delivering.deliver)
app.add_typer(delivering.targets, name="targets")
app.add_typer(tokens.app, name="tokens")
app.command("owner")(owner.owner)


app.command("bring-in")(bringing_in.bring_in)
app.command()(doors.watch)
app.command()(doors.camera)
app.command()(doors.shop)
app.command()(backups.backup)
app.command()(backups.restore)
app.command("verify")(backups.verify_library)
app.command()(rename.rename)
app.command()(photos.cutout)
app.command()(photos.tone)
app.command()(photos.check)


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
    jobs: Jobs = FITTING,
) -> None:
    """Work for a Dask scheduler that gets its work from others."""
    from zero_easel.engines.cluster_worker import OtherProgramError, work_for

    try:
        work_for(scheduler, jobs, console.print)
    except OtherProgramError as error:
        raise UsageError(str(error)) from error


@app.command()
def serve(
    port: Port = 8470,
    data: Data = None,
    listen: Annotated[
        str, typer.Option(metavar="ADDRESS", help="Of this machine; others reach it at any but 127.0.0.1.")
    ] = "127.0.0.1",
    certificate: Annotated[Path | None, typer.Option(help="For TLS: the certificate with its chain, PEM.")] = None,
    key: Annotated[Path | None, typer.Option(help="For TLS: its private key, PEM.")] = None,
) -> None:
    """Start the application."""
    from zero_easel.web.server import Listening
    from zero_easel.web.server import serve as start

    start(Listening(port, listen, certificate, key), data, demo=False)


@app.command()
def demo(port: Port = 8470, data: Data = None) -> None:
    """Start the application with the made-up shop Brindle Yard loaded."""
    from zero_easel.web.server import Listening
    from zero_easel.web.server import serve as start

    start(Listening(port), data, demo=True)


def main() -> None:
    """Entry point: wrong usage is one sentence and an exit status of its own."""
    prepare_process()
    try:
        app(standalone_mode=True)
    except UsageError as error:
        console.print(f"zero-easel: {error}")
        sys.exit(error.status)


def _tell(work: FolderRun) -> None:
    """What a person should know before pictures are made."""
    if work.absent:
        console.print(f"The shot list names {some(work.absent)}, not found among the photos.")
    if work.calibration:
        console.print(f"Colours follow the target: {work.calibration.error} Delta E remain on average.")
    for name in work.targets:
        console.print(f"{name} shows a colour target; --target {name} brings all colours to it.")
    for doubt in work.doubts:
        console.print(f"To make sure of: {doubt}.")


def _allowance() -> Allowance:
    """What one photo may take, by the settings."""
    settings = Settings()
    return Allowance(settings.photo_seconds, settings.photo_mb)


def _geometry(lens: str, rectangles: list[Path]) -> Geometry:
    try:
        return Geometry.asked(lens, rectangles)
    except ValueError as error:
        raise UsageError(str(error)) from error
