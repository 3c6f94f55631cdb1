"""Broken, crafted and odd files of other projects' test suites, and our own with bytes changed, put through `run` and
through every other reader of strangers' files.

    python bench/hostile.py --into FOLDER [--packages NAME ...] [--most 2500] [--write docs/reliability.md]

Fetches the sources of Debian packages with apt (Debian's own configuration, no root needed), takes the pictures,
tables, YAML files and archives out of them, and prints a table. Nothing of them is shipped; FOLDER is kept.
"""

import argparse
import csv
import io
import re
import subprocess
import sys
import tarfile
import tempfile
import time
from collections import Counter
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
from PIL import Image, ImageOps

from zero_easel.core.catalog.products import read_catalog
from zero_easel.core.catalog.tables import SUFFIXES, TableError
from zero_easel.core.photos.decoding import PICTURE_SUFFIXES, decode_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.standard.model import StandardError
from zero_easel.engines.limited import standard_from, table_from
from zero_easel.engines.workers import map_processes
from zero_easel.library.incoming import take
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.database import Database
from zero_easel.library.store.vault import Vault

PACKAGES = ("pillow", "tiff", "libwebp", "libheif", "vips", "openjpeg2", "giflib", "exiv2", "libpng1.6", "libavif",
            "gdk-pixbuf", "kimageformats", "openimageio", "imagemagick", "graphicsmagick", "libyaml", "libzip",
            "pandas", "csvkit", "libexif", "python3.11")  # fmt: skip
DEMO = Path(__file__).parent.parent / "src/zero_easel/demo"
COMMAND = str(Path(sys.executable).with_name("zero-easel"))
CHUNK, MARK = 150, "<!-- hostile -->"
_PYTHON = re.compile(r"\bb'|Error\b|Exception|Traceback|<class|object at 0x|errno", re.IGNORECASE)
_MEASURE = """
import ctypes, os, resource, subprocess, sys
ctypes.CDLL(None).prctl(36, 1)
done = subprocess.run(sys.argv[1:], capture_output=True)
try:
    while True:
        os.wait()
except ChildProcessError:
    print(done.returncode, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
sys.stderr.buffer.write(done.stderr)
"""


class Run(NamedTuple):
    """What became of the files of one run."""

    files: int
    rows: list[dict[str, str]]
    status: int
    megabytes: float
    seconds: float
    said: str
    black: list[str]


def main() -> None:
    """Fetch, run, print."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--into", type=Path, required=True)
    parser.add_argument("--packages", nargs="*", default=PACKAGES)
    parser.add_argument("--most", type=int, default=2500)
    parser.add_argument("--write", type=Path)
    args = parser.parse_args()
    files = gathered(args.into, args.packages)
    pictures = [path for path in files if path.suffix.lower() in PICTURE_SUFFIXES][: args.most]
    changed = list(mutations(args.into / "changed"))
    lines = ["| what | files | accounted for | done | failed | left out | crashes | largest | seconds a file |",
             "|---|---|---|---|---|---|---|---|---|"]  # fmt: skip
    for name, group in (("other projects' files", pictures), ("our own, bytes changed", changed)):
        lines.append(row_of(name, [run for chunk in chunks(group) for run in [one_run(chunk)]]))
    lines += ["", *per_file([*pictures, *changed]), "", *others(files)]
    text = "\n".join(lines)
    print(text)
    if args.write:
        before, _, rest = args.write.read_text().partition(MARK)
        args.write.write_text(f"{before}{MARK}\n{text}\n{MARK}{rest.partition(MARK)[2]}")


def gathered(into: Path, packages: Iterable[str]) -> list[Path]:
    """All files of interest from the sources of some packages, fetched unless they are there."""
    into.mkdir(parents=True, exist_ok=True)
    for package in packages:
        folder = into / "files" / package
        if not folder.exists():
            folder.mkdir(parents=True)
            for archive in fetched(into / "archives", package):
                unpack(archive, folder)
    return sorted(path for path in (into / "files").rglob("*") if path.is_file())


def fetched(archives: Path, package: str) -> list[Path]:
    """The source archives of a Debian package."""
    state = archives / "apt"
    for folder in ("lists/partial", "parts"):
        (state / folder).mkdir(parents=True, exist_ok=True)
    for source in Path("/etc/apt/sources.list.d").glob("*.sources"):
        text = re.sub(r"(?m)^Types:.*$", "Types: deb-src", source.read_text())
        (state / "parts" / source.name).write_text(text)
    settings = (f"Dir::State::Lists={state / 'lists'}", "Dir::Etc::SourceList=/dev/null",
                f"Dir::Etc::SourceParts={state / 'parts'}", f"Dir::Cache={state}",
                "APT::Sandbox::User=root")  # fmt: skip
    apt = ["apt-get", "-qq", *(word for setting in settings for word in ("-o", setting))]
    if not any((state / "lists").glob("*Sources*")):
        subprocess.run([*apt, "update"], check=True)
    before = set(archives.glob("*.orig*.tar.?z*"))
    done = subprocess.run([*apt, "source", "--download-only", package], cwd=archives, capture_output=True, text=True)
    if done.returncode:
        print(f"{package} was not fetched: {done.stderr.strip().splitlines()[-1:]}", file=sys.stderr)
    found = set(archives.glob("*.orig*.tar.?z*")) - before
    return sorted(path for path in found if path.suffix != ".asc")


def unpack(archive: Path, folder: Path) -> None:
    """Take the files of interest out of a source archive, each under a name of its own."""
    wanted = {*PICTURE_SUFFIXES, *SUFFIXES, ".yaml", ".yml", ".data", ".zip"} - {".txt", ".eps", ".svg"}
    with tarfile.open(archive) as tar:
        for member in tar:
            if member.isfile() and Path(member.name).suffix.lower() in wanted and member.size < 60_000_000:
                content = tar.extractfile(member)
                assert content is not None
                (folder / member.name.partition("/")[2].replace("/", "__")[-180:]).write_bytes(content.read())


def mutations(folder: Path) -> Iterator[Path]:
    """A small photo in every format, cut short, zeroed and changed, always in the same places."""
    folder.mkdir(parents=True, exist_ok=True)
    for name, data in mutated(25):
        path = folder / name
        path.write_bytes(data)
        yield path


def mutated(turns: int, size: tuple[int, int] = (800, 600)) -> Iterator[tuple[str, bytes]]:
    """The same as names and bytes, so many of each format."""
    with Image.open(DEMO / "photos/BRYD0105.JPG") as photo:
        small = photo.convert("RGB").resize(size)
    plain = ("jpg", "png", "webp", "avif", "gif", "jp2")
    packings = ("raw", "tiff_lzw", "tiff_adobe_deflate", "jpeg", "zstd", "lzma", "packbits")
    kinds: list[tuple[str, dict[str, Any]]] = [(kind, {}) for kind in plain]
    kinds += [("jpg", {"progressive": True}), ("webp", {"lossless": True})]
    kinds += [("tif", {"compression": packing}) for packing in packings]
    random = np.random.default_rng(14)
    for number, (ending, options) in enumerate(kinds):
        kept = io.BytesIO()
        small.save(kept, {"jpg": "jpeg", "jp2": "jpeg2000", "tif": "tiff"}.get(ending, ending), **options)
        for turn in range(turns):
            data = bytearray(kept.getvalue())
            at = int(random.integers(50, len(data) - 50))
            if turn % 3 == 0:
                data = data[:at]
            elif turn % 3 == 1:
                data[at : at + 4096] = bytes(len(data[at : at + 4096]))
            else:
                for place in random.integers(30, len(data), 1 + turn):
                    data[place] ^= 1 << int(random.integers(8))
            yield f"{number:02}-{turn:04}.{ending}", bytes(data)


def chunks(files: list[Path]) -> Iterator[list[Path]]:
    """Some files at a time."""
    for start in range(0, len(files), CHUNK):
        yield files[start : start + CHUNK]


def one_run(files: list[Path]) -> Run:
    """The command over a folder of links to files."""
    with tempfile.TemporaryDirectory() as made:
        photos, out = Path(made) / "photos", Path(made) / "out"
        photos.mkdir()
        for number, path in enumerate(files):
            (photos / f"{number:04}-{path.name[-120:]}").symlink_to(path.resolve())
        rules = Path(made) / "rules.yaml"
        rules.write_text("canvas: {width: 400, height: 400}\nnames: {name: '{original}', on_duplicate: count}\n")
        began = time.monotonic()
        command = [COMMAND, "run", str(photos), "--out", str(out), "--standard", str(rules)]
        ended = subprocess.run([sys.executable, "-c", _MEASURE, *command], capture_output=True, text=True, timeout=3600)
        seconds = time.monotonic() - began
        status, kilobytes = map(int, ended.stdout.split()[-2:])
        rows = list(csv.DictReader((out / "manifest.csv").open(newline="", encoding="utf-8")))
        done = [row for row in rows if row["output"]]
        black = [row["original"] for row in done if is_wrongly_black(out / row["output"], photos / row["original"])]
        return Run(len(files), rows, status, kilobytes / 1024, seconds, ended.stderr, black)


def is_wrongly_black(made: Path, original: Path) -> bool:
    """Whether a finished picture shows much black, and the original none by Pillow's reading."""
    try:
        return _blackness(made) > 0.15 and _blackness(original) == 0
    except Exception:
        return True


def _blackness(path: Path) -> float:
    with Image.open(path) as picture:
        return float((np.asarray(picture.convert("RGBA").convert("L").resize((100, 100))) < 3).mean())


def row_of(name: str, runs: list[Run]) -> str:
    """The figures of some runs, as a row; what should not be is printed beside."""
    rows = [row for run in runs for row in run.rows]
    states = Counter(row["status"] for row in rows)
    for row in rows:
        if _PYTHON.search(row["message"]):
            print("python in a reason:", row["original"], row["message"])
        if "memory" in row["message"]:
            print("crash:", row["original"])
    for run in runs:
        if "Traceback" in run.said or run.status not in (0, 1):
            print("the run itself failed:", run.status, run.said[-500:])
        print(*(f"black: {one}" for one in run.black), sep="\n", end="\n" if run.black else "")
    files = sum(run.files for run in runs)
    crashes = sum("memory" in row["message"] for row in rows)
    largest, seconds = max(run.megabytes for run in runs), sum(run.seconds for run in runs)
    told = len({row["original"] for row in rows})
    return (f"| {name} | {files} | {told} | {states['done']} | {states['failed']} | {states['left out']} | {crashes} | "
            f"{largest:.0f} MB | {seconds / files:.2f} |")  # fmt: skip


def per_file(files: list[Path]) -> list[str]:
    """How long the longest file takes to decode, and which pictures differ from Pillow's reading of them."""
    longest, differing, compared = (0.0, ""), [], 0
    for at, result in map_processes(decoded, ((at, (path,)) for at, path in enumerate(files)), 2):
        if isinstance(result, Exception):
            print("not caught:", files[at], type(result).__name__, result)
            continue
        seconds, difference = result
        longest = max(longest, (seconds, files[at].name))
        compared += difference is not None
        if difference is not None and difference > 2:
            differing.append(f"{files[at].name} ({difference:.0f})")
    which = ", ".join(differing[:12]) or "none"
    return [
        f"Longest to decode: {longest[1]}, {longest[0]:.1f} s. Of {compared} pictures that Pillow reads as well, "
        f"{len(differing)} differ from its reading by more than 2 levels on average: {which}."
    ]


def decoded(path: Path) -> tuple[float, float | None]:
    """Seconds to decode a file, and how far it is from Pillow's reading; None where that means nothing."""
    data, began = path.read_bytes(), time.perf_counter()
    try:
        photo = decode_photo(data, path.name)
    except PhotoError:
        return time.perf_counter() - began, None
    seconds = time.perf_counter() - began
    if photo.facts.profile or photo.facts.orientation != 1 or photo.facts.bits != 8 or photo.doubt:
        return seconds, None
    try:
        with Image.open(io.BytesIO(data)) as other:
            if other.mode not in ("L", "RGB"):
                return seconds, None
            same = np.asarray(ImageOps.exif_transpose(other).convert("RGB"))
    except Exception:
        return seconds, None
    if same.shape != photo.pixels.shape:
        return seconds, 255.0
    return seconds, float(np.abs(same.astype(int) - photo.pixels).mean())


def others(files: list[Path]) -> list[str]:
    """Tables, standards and archives: how many are read and refused, and what was not caught."""
    counts: Counter[tuple[str, str]] = Counter()
    with tempfile.TemporaryDirectory() as made:
        database, vault = Database(Path(made) / "easel.sqlite"), Vault(Path(made))
        database.migrate()
        vault.prepare()
        with database.session() as session:
            create_shoot(session, "Shelf")
        for path in files:
            kind = {".zip": "archives", ".yaml": "YAML", ".yml": "YAML", ".data": "YAML"}.get(path.suffix.lower())
            kind = kind or ("tables" if path.suffix.lower() in SUFFIXES else "")
            if kind:
                counts[kind, other(kind, path, database, vault)] += 1
    return [f"{kind}: " + ", ".join(f"{n} {how}" for (k, how), n in sorted(counts.items()) if k == kind) + "."
            for kind in sorted({kind for kind, _ in counts})]  # fmt: skip


def other(kind: str, path: Path, database: Database, vault: Vault) -> str:
    """What becomes of one file that is no picture."""
    try:
        if kind == "tables":
            read_catalog(table_from(path.read_bytes(), path.name), path.name)
        elif kind == "YAML":
            standard_from(path.read_text("utf-8", "replace"), path.name)
        else:
            with path.open("rb") as file:
                reports = list(take(database, vault, 1, path.name, file))
            return "taken" if reports[0].ok else "refused"
    except (TableError, StandardError) as error:
        if _PYTHON.search(str(error)):
            print("python in a reason:", path.name, error)
        return "refused"
    except Exception as error:
        print("not caught:", path, type(error).__name__, error)
        return "NOT CAUGHT"
    return "read"


if __name__ == "__main__":
    main()
