"""The command line: thin over the same services as the pages."""

import json
import sys
import time
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeElapsedColumn, TimeRemainingColumn

from zero_easel.core.catalog import Problem, Product, Shot, TableError, read_catalog, read_shotlist
from zero_easel.core.encode import CUTOUT_MARK, encode_cutout
from zero_easel.core.naming import collisions
from zero_easel.core.photo import PhotoError, read_photo
from zero_easel.core.standard import Standard, StandardError, read_standard, write_standard
from zero_easel.files import write_atomically
from zero_easel.pipeline import clear, empty_frame
from zero_easel.runs.folder import LEFT_OUT, FolderError, execute, prepare
from zero_easel.runs.manifest import Row
from zero_easel.runs.processes import map_processes, reason_of
from zero_easel.settings import available_cores

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
    help="Zero Easel: from a folder of product photos to uniform, rightly named pictures.",
)
_err = Console(stderr=True, soft_wrap=True, highlight=False, markup=False)

Jobs = Annotated[int, typer.Option(min=1, max=256, help="Photos worked on at once.")]
Port = Annotated[int, typer.Option(min=0, max=65535, help="Port on 127.0.0.1; the next free one if it is taken.")]
Data = Annotated[Path | None, typer.Option(help="Folder for everything the application keeps.")]
Empty = Annotated[list[Path] | None, typer.Option("--empty", help="Photo of the bare backdrop; may be given again.")]
_CORES = available_cores()


class UsageError(Exception):
    """Wrong usage, told in a sentence; exit status 2."""


@app.command()
def run(
    photos: Annotated[Path, typer.Argument(metavar="PHOTOS", help="Folder of photos. It is only read.")],
    out: Annotated[Path, typer.Option("--out", help="Folder for the pictures and manifest.csv.")],
    catalog: Annotated[Path | None, typer.Option(help="Product table, CSV.")] = None,
    shotlist: Annotated[Path | None, typer.Option(help="CSV of filename, code, view.")] = None,
    standard: Annotated[Path | None, typer.Option(help="YAML, as printed by zero-easel standard.")] = None,
    empty: Empty = None,
    recursive: Annotated[bool, typer.Option("--recursive", help="Look in subfolders too.")] = False,
    replace: Annotated[bool, typer.Option("--replace", help="Write over pictures of an earlier run.")] = False,
    jobs: Jobs = _CORES,
) -> None:
    """Make the standard's picture of every photo in a folder."""
    rules = _standard(standard)
    try:
        work = prepare(photos, out, rules, _products(catalog), _shots(shotlist), empties=empty or [],
                       recursive=recursive, replace=replace)  # fmt: skip
    except FolderError as error:
        raise UsageError(str(error)) from error
    if work.absent:
        _err.print(f"The shot list names {_some(work.absent)}, not found among the photos.")
    with _progress() as bar:
        task = bar.add_task("Pictures", total=len(work.photos))

        def note(row: Row) -> None:
            bar.advance(task)
            if row.status == "failed":
                bar.console.print(row.message)

        try:
            rows = execute(work, jobs, note)
        except OSError as error:
            raise UsageError(f"{out} cannot be written: {error.strerror or error}.") from error
    left_out = [row.original for row in rows if row.status == LEFT_OUT]
    if left_out:
        _err.print(f"Left out, not on the shot list or showing the empty backdrop: {_some(left_out)}.")
    failed = sum(row.status == "failed" for row in rows)
    print(f"{len(work.photos) - failed} pictures in {out}" + (f", {failed} photos failed" if failed else ""))
    raise typer.Exit(1 if failed else 0)


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
    with _progress(hidden=as_json) as bar:
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
def standard() -> None:
    """Print the built-in standard as commented YAML."""
    sys.stdout.write(write_standard(Standard()))


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
    try:
        app(standalone_mode=True)
    except UsageError as error:
        _err.print(f"zero-easel: {error}")
        sys.exit(2)


def _cut_one(path: Path, target: Path, empties: list[Path]) -> dict[str, Any]:
    started = time.perf_counter()
    photo = read_photo(path)
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
    reason = str(error) if isinstance(error, PhotoError) else reason_of(error, path.name)
    return {
        "photo": str(path),
        "output": None,
        "width": None,
        "height": None,
        "confidence": 0.0,
        "flags": [],
        "seconds": None,
        "error": reason,
    }


def _progress(hidden: bool = False) -> Progress:
    """A bar on a terminal, nothing elsewhere; lines printed beside it go to standard error."""
    return Progress(
        TextColumn("{task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        TimeElapsedColumn(),
        TimeRemainingColumn(),
        console=_err,
        disable=hidden or not _err.is_terminal,
    )


def _standard(path: Path | None) -> Standard:
    if path is None:
        return Standard()
    try:
        return read_standard(_bytes(path).decode("utf-8-sig", errors="replace"), path.name)
    except StandardError as error:
        raise UsageError(f"{error}.") from error


def _products(path: Path | None) -> list[Product]:
    if path is None:
        return []
    return _table(path, lambda data: read_catalog(data, path.name))


def _shots(path: Path | None) -> list[Shot]:
    if path is None:
        return []
    return _table(path, lambda data: read_shotlist(data, path.name))


def _table(path: Path, read: Any) -> Any:
    try:
        entries, problems = read(_bytes(path))
    except TableError as error:
        raise UsageError(str(error)) from error
    _report(path, problems)
    return entries


def _report(path: Path, problems: list[Problem]) -> None:
    for problem in problems:
        _err.print(f"{path.name}, row {problem.row}: {problem.reason}; the row was left out.")


def _bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise UsageError(f"{path} cannot be read: {error.strerror or error}.") from error


def _some(names: list[str]) -> str:
    """The first few of many names."""
    shown = ", ".join(names[:3])
    return f"{shown} and {len(names) - 3} more" if len(names) > 3 else shown
