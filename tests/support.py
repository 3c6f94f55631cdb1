"""Places and helpers that all tests share."""

import signal
import subprocess
import sys
import time
from collections.abc import Callable
from contextlib import chdir, redirect_stderr, redirect_stdout
from functools import cache
from io import BytesIO, StringIO
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image
from sqlalchemy import Connection, text

from zero_easel.cli import main
from zero_easel.core.finishing.grounds import light_of
from zero_easel.core.finishing.render import draw, flat
from zero_easel.core.items.flag import Flag
from zero_easel.core.items.item import CutItem
from zero_easel.core.items.measure import measures_of
from zero_easel.core.light.colour import Float
from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.photos.decoding import Photo, PhotoFacts
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Placement, Subject
from zero_easel.core.standard.grounds import read_ground
from zero_easel.core.standard.model import Standard
from zero_easel.library.store.database import Database

HERE = Path(__file__).parent
AWKWARD = HERE / "awkward"
TRUTH = HERE / "truth"
SHOTLIST = HERE / "shotlist.csv"
DEMO = HERE.parent / "src/zero_easel/demo"
PHOTOS = DEMO / "photos"
CATALOG = DEMO / "products.csv"


@cache
def halved(name: str) -> bytes:
    """A demo photo at half its width and height: cleared in half the time, where nothing depends on its size."""
    with Image.open(PHOTOS / name) as photo:
        file = BytesIO()
        photo.reduce(2).save(file, "JPEG", quality=95, exif=photo.getexif())
    return file.getvalue()


def new_library(path: Path) -> Database:
    """An empty library in a file, its tables at the newest revision."""
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(_empty_library())
    return Database(path)


@cache
def _empty_library() -> bytes:
    """What migrating leaves: all revisions take a second, and every test begins with them."""
    with TemporaryDirectory() as folder:
        database = Database(Path(folder) / "easel.sqlite")
        database.migrate()
        database.close()
        return (Path(folder) / "easel.sqlite").read_bytes()


THEN = "2026-11-01 10:00:00"
"""When rows of libraries as earlier versions left them were written."""


def put(connection: Connection, table: str, **values: object) -> None:
    """Insert a row into a table that no model describes any more."""
    names = ", ".join(values)
    connection.execute(text(f"INSERT INTO {table} ({names}) VALUES ({', '.join(f':{key}' for key in values)})"), values)


def photo_of(pixels: NDArray[np.uint8], name: str = "made.png") -> Photo:
    """A photo of given upright pixels."""
    height, width = pixels.shape[:2]
    facts = PhotoFacts(pixels.nbytes, "PNG", width, height, 8, 1, "", 0.0, None)
    return Photo(name, pixels, None, facts)


def item_of(alpha: NDArray[np.float32], colour: tuple[int, int, int] = (200, 40, 40)) -> CutItem:
    """An item of one colour with a given matte, filling its photo."""
    height, width = alpha.shape
    pixels = np.zeros((height, width, 4), np.uint8)
    pixels[..., :3] = colour
    pixels[..., 3] = np.round(alpha * 255)
    measures = measures_of(pixels[..., 3], 0, 0, Size(width, height))
    flags = [Flag("made", "made up")]
    return CutItem(pixels, 0, 0, width, height, measures, 0.9, flags, np.zeros((8, 8), np.uint8))


def lit(ground: str) -> Float | None:
    """Linear light of a plain ground, None for a transparent one."""
    found = read_ground(ground)
    return None if found.kind == "transparent" else light_of(found, Size(1, 1), lambda: np.ones((1, 1, 3), np.float32))


class Rendered(NamedTuple):
    """A picture of an item. bounds: of the item on the canvas, px. matrix: the map that was applied."""

    pixels: NDArray[np.uint8] | NDArray[np.uint16]
    bounds: Box
    matrix: Map


def render(item: CutItem, standard: Standard, placement: Placement | None = None) -> Rendered:
    """Draw an item on the standard's canvas, on a plain ground, where it was laid among others or by itself."""
    if placement is None:
        placement = lay_out([Subject(item.measures, item.frame)], standard)[0]
    assert placement is not None
    drawn = draw(item, placement)
    ground = read_ground(standard.canvas.ground)
    light = None if ground.kind == "transparent" else light_of(ground, placement.canvas, _no_picture)
    return Rendered(flat(drawn, light), drawn.bounds, drawn.matrix)


def _no_picture() -> Float:
    raise ValueError("the ground's picture is not at hand")


def zero_easel_command(*arguments: str | Path) -> list[str]:
    """The installed command with arguments."""
    return [str(Path(sys.executable).with_name("zero-easel")), *map(str, arguments)]


def installed(*arguments: str | Path) -> "subprocess.CompletedProcess[str]":
    """The installed command, run to its end in a process of its own."""
    return subprocess.run(zero_easel_command(*arguments), capture_output=True, text=True, timeout=600, check=False)


def zero_easel(*arguments: str | Path, cwd: Path | None = None) -> "subprocess.CompletedProcess[str]":
    """What the installed command does with arguments, without the seconds that a process takes to start."""
    out, err, before, status = StringIO(), StringIO(), sys.argv, 0
    sys.argv = ["zero-easel", *map(str, arguments)]
    try:
        with redirect_stdout(out), redirect_stderr(err), chdir(cwd or Path.cwd()):
            main()
    except SystemExit as end:
        status = end.code if isinstance(end.code, int) else int(end.code is not None)
    finally:
        sys.argv = before
    return subprocess.CompletedProcess([*map(str, arguments)], status, out.getvalue(), err.getvalue())


class Server:
    """A served application in a process of its own, over one data folder."""

    def __init__(self, data: Path, command: str = "serve") -> None:
        executable = str(Path(sys.executable).with_name("zero-easel"))
        self.process = subprocess.Popen(
            [executable, command, "--data", str(data), "--port", "8600"], stdout=subprocess.PIPE, text=True
        )
        assert self.process.stdout is not None
        said = self.process.stdout.readline()
        assert "http://" in said, said
        self.address = said.split("Zero Easel is at ")[1].split()[0]

    def kill(self) -> None:
        """Without any chance to tidy up."""
        self.process.kill()
        self.process.wait()

    def stop(self) -> None:
        """As Ctrl-C does."""
        self.process.send_signal(signal.SIGINT)
        self.process.wait(60)


def until(what: Callable[[], bool]) -> None:
    """Wait for a state, however slow the machine is."""
    end = time.monotonic() + 240
    while not what():
        assert time.monotonic() < end, "it never came to that"
        time.sleep(0.05)
