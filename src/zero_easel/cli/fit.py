"""Whole pictures in other sizes, asked for on the command line in one line: a standard made of what was said."""

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Annotated, Any, NamedTuple

import typer
from pydantic import ValidationError

from zero_easel.cli.given import UsageError, tell
from zero_easel.cli.options import AsJson
from zero_easel.cli.running import carry_out
from zero_easel.core.finishing.contact_sheet import ContactSheet, Entry, contact_sheet
from zero_easel.core.photos.decoding import header_of
from zero_easel.core.placing.layout import uncut_sizes
from zero_easel.core.placing.placement import Adjustment, Subject
from zero_easel.core.standard.deliverable import FORMATS, SIDES, Deliverable
from zero_easel.core.standard.lengths import read_length
from zero_easel.core.standard.model import Names, Standard
from zero_easel.core.standard.rule import explained
from zero_easel.core.standard.rules import Canvas
from zero_easel.core.standard.sizes import rules_on
from zero_easel.core.standard.yaml.file import write_standard
from zero_easel.engines.workers import Workers
from zero_easel.files import write_atomically
from zero_easel.folder.batch import FolderError, FolderRun, execute, prepare
from zero_easel.planning.manifest import DONE, ManifestRow
from zero_easel.planning.whole import whole_standard
from zero_easel.runs.contact_sheets import on_white
from zero_easel.settings import available_cores

SIZES = (*SIDES, "percent", "megapixels", "exact")
ALSO = (*SIZES, "by", "format", "quality", "max-kb", "density", "printed", "ground", "folder", "name")
"""What may be said of a further size."""
SHEET = "contact-sheet.pdf"
_WEIGHED = 6
"""Pictures that are made to tell what all of them will weigh."""


class Fitting(NamedTuple):
    """What was asked for beside the sizes. name: pattern. padding: as in standards."""

    name: str = "{original}"
    ground: str = "#FFFFFF"
    padding: str = "0px"
    density: float = 72
    enlarge: bool = False
    keep_folders: bool = False
    backdrop: str = "kept"
    shadow: str = "drop"
    find: str = ""
    put: str = ""


def standard_of(sizes: Sequence[Mapping[str, str]], asked: Fitting) -> Standard:
    """The standard of a plain job. sizes: one for each deliverable, keys of ALSO. Raises UsageError."""
    try:
        return whole_standard(
            [_deliverable(size, at, asked) for at, size in enumerate(sizes)],
            canvas=Canvas(ground=asked.ground, padding=asked.padding, density=asked.density),
            names=Names(
                name=asked.name, keep_folders=asked.keep_folders, count="run", find=asked.find, replace_with=asked.put
            ),
            enlarge=asked.enlarge,
            backdrop=asked.backdrop,
            shadow=asked.shadow,
        )
    except ValidationError as error:
        raise UsageError(f"{explained(error)}.") from error


def also(text: str) -> dict[str, str]:
    """ "longest=400,format=webp,folder=small" taken apart. Raises UsageError."""
    found: dict[str, str] = {}
    for part in text.split(","):
        key, _, value = (word.strip() for word in part.partition("="))
        if key not in ALSO or not value:
            raise UsageError(f"--also {text} should read KEY=VALUE,KEY=VALUE with {', '.join(ALSO)}.")
        if key in found:
            raise UsageError(f"--also {text} says {key} twice.")
        found[key] = value
    return found


def _deliverable(size: Mapping[str, str], at: int, asked: Fitting) -> Deliverable:
    kind = [key for key in SIZES if key in size]
    if len(kind) > 1:
        raise UsageError(f"one size has {kind[0]} and {kind[1]}; say one of them.")
    density = _number(size, "density", asked.density)
    rest = {key: size[key] for key in ("by", "folder", "ground", "printed") if key in size}
    for key, field in (("quality", "quality"), ("max-kb", "max_kb")):
        if key in size:
            rest[field] = size[key]
    if "name" in size:
        rest["file"] = size["name"]
    return Deliverable.model_validate({
        "name": "pictures" if at == 0 else f"pictures {at + 1}",
        "format": _format(size.get("format", "jpeg")),
        "density": density if density != asked.density else 0,
        **_size(kind[0] if kind else "", size, density),
        **rest,
    })  # fmt: skip


def _size(kind: str, size: Mapping[str, str], density: float) -> dict[str, Any]:
    if not kind:
        return {"size": "percent", "number": 100}
    if kind == "exact":
        sides = size["exact"].lower().replace("\u00d7", "x").split("x")
        if len(sides) != 2:
            raise UsageError(f"exact {size['exact']} should read WxH, like 300x250 or 9cmx13cm.")
        width, height = (round(_px(side, "exact", density)) for side in sides)
        return {"size": "exact", "width": width, "height": height}
    number = _px(size[kind], kind, density) if kind in SIDES else _number(size, kind, 0)
    return {"size": kind, "number": number}


def _px(text: str, key: str, density: float) -> float:
    """A length in px. Raises UsageError."""
    try:
        length = read_length(text.strip(), "px")
    except ValueError as error:
        raise UsageError(f"{key} {error}.") from error
    if length.unit == "%" or length.number <= 0:
        raise UsageError(f"{key} must be a length, like 1400, 10cm or 4in (given: {text}).")
    return length.px(0, density)


def _number(size: Mapping[str, str], key: str, default: float) -> float:
    text = size.get(key, "")
    try:
        return float(text.strip().removesuffix("%")) if text else default
    except ValueError as error:
        raise UsageError(f"{key} must be a number (given: {text}).") from error


def _format(word: str) -> str:
    known = {name: name for name in FORMATS} | {kind.suffix[1:]: name for name, kind in FORMATS.items()}
    if word.lower() not in known:
        raise UsageError(f"format must be one of {', '.join(FORMATS)} (given: {word}).")
    return known[word.lower()]


class Shown(NamedTuple):
    """A picture that would be made. size: "" where the photo does not tell its own."""

    old: str
    new: str
    size: str


def keeping(run: FolderRun, text: str) -> FolderRun:
    """A run in which "cover" keeps another part of every photo. text: "X,Y,ZOOM", X and Y in per cent of the photo.
    Raises UsageError."""
    try:
        x, y, zoom = (float(word.strip().removesuffix("%")) for word in text.split(","))
    except ValueError as error:
        raise UsageError(f"--part {text} should read X,Y,ZOOM, like 50%,40%,1.5.") from error
    if not (0 <= x <= 100 and 0 <= y <= 100 and 1 <= zoom <= 20):
        raise UsageError(f"--part {text}: X and Y are 0 to 100 % of the photo, ZOOM is 1 to 20.")
    subjects = {
        at: subject._replace(
            adjustment=Adjustment(keep=(x / 100 * subject.frame.width, y / 100 * subject.frame.height), zoom=zoom)
        )
        for at, subject in run.batch.subjects.items()
    }
    return replace(run, batch=run.batch._replace(subjects=subjects))


def write_sheet(run: FolderRun, rows: Sequence[ManifestRow], per_page: int) -> None:
    """A contact sheet of the first size, beside the pictures. Raises OSError."""
    first = run.standard.deliverables[0].name
    made = [row for row in rows if row.status == DONE and row.deliverable == first]
    entries = (Entry(lambda row=row: on_white(run.out / row.output), [row.output]) for row in made)  # type: ignore[misc]
    if made:
        rules = ContactSheet(per_page=per_page, caption="{original}", caption_2="", title=run.out.resolve().name)
        write_atomically(run.out / SHEET, contact_sheet(entries, len(made), rules))


def shown(run: FolderRun) -> list[Shown]:
    """What a run would make, without making it."""
    rules = {wanted.name: rules_on(run.standard, wanted) for wanted in run.standard.deliverables}
    found = []
    for at, pictures in run.by_photo.items():
        header = header_of(run.photos[at])
        for picture in pictures:
            sizes = uncut_sizes([Subject(None, header.size)], rules[picture.deliverable]) if header else []
            found.append(Shown(picture.path, picture.output, "{} x {}".format(*sizes[0]) if sizes else ""))
    return found


def weighed(run: FolderRun, jobs: int) -> float:
    """Bytes that all pictures will have together, by making a few of them elsewhere; 0 if none can be made."""
    places = list(run.by_photo)
    chosen = set(places[:: max(1, len(places) // _WEIGHED)][:_WEIGHED])
    pictures = [one for one in run.batch.pictures if one.at in chosen]
    with tempfile.TemporaryDirectory(prefix="zero-easel-") as folder:
        batch = run.batch._replace(pictures=pictures, left_out={})
        rows = execute(
            replace(run, out=Path(folder), batch=batch, empties=[], unusable=[]), Workers(jobs), lambda *_: None
        )
    made = [row.bytes for row in rows if row.status == DONE]
    return sum(made) / len(made) * len(run.batch.pictures) if made else 0.0


def fit(
    photos: Annotated[Path, typer.Argument(metavar="PHOTOS", help="Folder of photos. It is only read.")],
    out: Annotated[Path | None, typer.Option("--out", help="Folder for the pictures and manifest.csv.")] = None,
    longest: Annotated[str, typer.Option(help="Longest side: px, or a length like 10cm.")] = "",
    shorter: Annotated[str, typer.Option(help="Shorter side.")] = "",
    width: Annotated[str, typer.Option(help="Width.")] = "",
    height: Annotated[str, typer.Option(help="Height.")] = "",
    percent: Annotated[str, typer.Option(help="Per cent of the photo's own size.")] = "",
    megapixels: Annotated[str, typer.Option(help="Millions of pixels.")] = "",
    exact: Annotated[str, typer.Option(metavar="WxH", help="Exactly this size.")] = "",
    by: Annotated[str, typer.Option(help="How it is filled: contain, cover or stretch.")] = "",
    enlarge: Annotated[
        bool, typer.Option("--enlarge", help="Enlarge smaller ones, which keep their size else.")
    ] = False,
    density: Annotated[float, typer.Option(min=1, max=10_000, help="px per inch, written into the files.")] = 72,
    printed: Annotated[
        str, typer.Option(help="Longer side on paper, like 10in: the density follows, pixels stay.")
    ] = "",
    kind: Annotated[str, typer.Option("--format", help="jpeg, png, webp, avif, tiff, jpeg2000.")] = "",
    quality: Annotated[int, typer.Option(min=0, max=100, help="1 to 100.")] = 0,
    max_kb: Annotated[float, typer.Option(min=0, help="At most so many kB each.")] = 0,
    name: Annotated[str, typer.Option(help="New names, like {original}_small or {shoot}_{n:03}.")] = "{original}",
    find: Annotated[str, typer.Option(help="Text that is replaced in finished names...")] = "",
    put: Annotated[str, typer.Option(help="... and what is put in its place.")] = "",
    at_least: Annotated[
        int, typer.Option("--at-least", min=0, help="Leave out photos whose longer side has fewer px.")
    ] = 0,
    ground: Annotated[str, typer.Option(help="What lies behind and around: #RRGGBB or transparent.")] = "#FFFFFF",
    padding: Annotated[str, typer.Option(help='Canvas around: "5%", or "0 15% 0 0" from the top; minus clips.')] = "",
    part: Annotated[
        str,
        typer.Option("--part", metavar="X,Y,ZOOM", help="What cover keeps: its middle in %, and zoom."),
    ] = "",
    sheet: Annotated[
        int, typer.Option("--sheet", min=0, max=200, help="Write contact-sheet.pdf, so many pictures a page.")
    ] = 0,
    more: Annotated[
        list[str] | None, typer.Option("--also", help="A further size: longest=400,format=webp,folder=small")
    ] = None,
    backdrop: Annotated[
        str, typer.Option(help="kept; or in-place: cleared to the ground, where it stands in the photo.")
    ] = "kept",
    shadow: Annotated[str, typer.Option(help="Of what is cleared: drop, natural or drawn.")] = "drop",
    recursive: Annotated[bool, typer.Option("--recursive", help="Look in subfolders too.")] = False,
    keep_folders: Annotated[bool, typer.Option("--keep-folders", help="Pictures lie in the photos' folders.")] = False,
    keep_dates: Annotated[bool, typer.Option("--keep-dates", help="Pictures take their photos' file dates.")] = False,
    replace_: Annotated[bool, typer.Option("--replace", help="Write over pictures of an earlier run.")] = False,
    dry: Annotated[bool, typer.Option("--dry-run", help="Only show names, sizes and bytes.")] = False,
    standard_out: Annotated[
        Path | None, typer.Option("--standard-out", help="Keep what was said as a standard, YAML.")
    ] = None,
    jobs: Annotated[int, typer.Option(min=1, max=256, help="Photos worked on at once.")] = available_cores(),
    as_json: AsJson = False,
) -> None:
    """Make whole pictures of all photos in a folder, in any sizes."""
    said = {
        "longest": longest, "shorter": shorter, "width": width, "height": height, "percent": percent,
        "megapixels": megapixels, "exact": exact, "by": by, "format": kind, "quality": str(quality or ""),
        "max-kb": str(max_kb or ""), "printed": printed,
    }  # fmt: skip
    sizes = [{key: value for key, value in said.items() if value}, *map(also, more or ())]
    asked = Fitting(name, ground, padding or "0px", density, enlarge, keep_folders, backdrop, shadow, find, put)
    rules = standard_of(sizes, asked)
    if standard_out is not None:
        write_atomically(standard_out, write_standard(rules).encode())
    if out is None:
        if standard_out is None:
            raise UsageError("say where the pictures go with --out.")
        return
    try:
        work = prepare(
            photos, out, rules, [], [], recursive=recursive, replace=replace_ or dry, cards=False,
            keep_dates=keep_dates, at_least=at_least, jobs=jobs,
        )  # fmt: skip
    except FolderError as error:
        raise UsageError(str(error)) from error
    work = keeping(work, part) if part else work
    if dry:
        _show(work, jobs, as_json=as_json)
        return
    carry_out(work, Workers(jobs), lambda rows: write_sheet(work, rows, sheet) if sheet else None, as_json=as_json)


def _show(work: FolderRun, jobs: int, *, as_json: bool) -> None:
    for one in shown(work):
        tell(one._asdict(), f"{one.old}\t{one.new}\t{one.size}", as_json=as_json)
    if as_json:
        return
    total = weighed(work, jobs)
    count = len(work.batch.pictures)
    about = f", about {total / 1e6:.1f} MB" if total else ""
    print(f"{count} picture{'' if count == 1 else 's'}{about}; nothing was written")
