"""Commands on photos one by one: cut out, and measured."""

import json
import time
from pathlib import Path
from typing import Annotated, Any

import typer

from zero_easel.cli.given import UsageError, console, read_rules
from zero_easel.cli.options import CORES, AsJson, Empty, Jobs
from zero_easel.cli.running import progress
from zero_easel.core.finishing.encode import CUTOUT_MARK, encode_cutout
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.standard.checks import KINDS
from zero_easel.core.standard.naming import collisions, printable
from zero_easel.core.tone.reading import tone_of
from zero_easel.engines.processes import reason_of
from zero_easel.engines.workers import map_processes
from zero_easel.files import write_atomically
from zero_easel.folder.measuring import FileMeasured, measure_file
from zero_easel.pipeline import clear, empty_frame


def cutout(
    photos: Annotated[list[Path], typer.Argument(metavar="PHOTO...", help="Photo files.")],
    out: Annotated[Path, typer.Option("--out", help="Folder for STEM.png, RGBA with straight alpha.")],
    empty: Empty = None,
    as_json: AsJson = False,
    jobs: Jobs = CORES,
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


def check(
    files: Annotated[list[Path], typer.Argument(metavar="FILE...", help="Finished pictures, by whomever.")],
    standard: Annotated[Path, typer.Option(help="YAML whose checks they have to meet.")],
    deliverable: Annotated[str, typer.Option(help="Which they are; the first with their ending if not given.")] = "",
    as_json: AsJson = False,
    jobs: Jobs = CORES,
) -> None:
    """Measure finished pictures by the checks of a standard. Exit status 1 if any is not met."""
    rules = read_rules(standard)
    if not rules.checks:
        raise UsageError(f"{standard} asks for no checks.")
    failed, untold = 0, set[str]()
    with progress(hidden=as_json) as bar:
        task = bar.add_task("Files", total=len(files))
        work = enumerate((path, rules, deliverable) for path in files)
        found = dict(map_processes(measure_file, work, min(jobs, len(files))))
        for at, path in enumerate(files):
            told = found[at]
            if isinstance(told, Exception):
                told = FileMeasured(path, deliverable, fault=reason_of(told, path.name))
            bar.advance(task)
            failed += not told.ok
            untold.update(told.untold)
            for line in _measured(told, as_json=as_json):
                print(line, flush=True)
    if untold and not as_json:
        console.print(f"A finished picture does not tell: {', '.join(sorted(untold))}.")
    if not as_json:
        print(f"{len(files) - failed} of {len(files)} meet all that was measured.")
    raise typer.Exit(1 if failed else 0)


def _measured(told: FileMeasured, *, as_json: bool) -> list[str]:
    if as_json:
        rows = [row._asdict() for row in told.rows]
        facts = {"file": str(told.path), "deliverable": told.deliverable, "ok": told.ok, "error": told.fault or None}
        return [json.dumps(facts | {"checks": rows, "not_told": list(told.untold)}, ensure_ascii=False)]
    if told.fault:
        return [told.fault]
    return [
        f"{told.path}: {KINDS[row.rule].label} {row.value}: {row.measured}. {row.mend}"
        for row in told.rows
        if not row.ok
    ]


def tone(
    photos: Annotated[list[Path], typer.Argument(metavar="PHOTO...", help="Photo files.")],
    empty: Empty = None,
    as_json: AsJson = False,
    jobs: Jobs = CORES,
) -> None:
    """Measure light and colour of items, and of the backdrop beside."""
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
