"""Making one picture file, and what is told of it."""

from dataclasses import dataclass

from zero_easel.core.finishing.checking import Checked
from zero_easel.core.light.geometry import Map
from zero_easel.core.photos.assets import Assets
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.model import Standard
from zero_easel.engines.processes import reason_of
from zero_easel.files import no_room
from zero_easel.pipeline import Source, Task, picture_of
from zero_easel.storage import Kept


@dataclass(frozen=True)
class Made:
    """Facts of a finished picture that is now in its folder. matrix: from the photo to the canvas, as CSS's matrix().
    failure: why there is none, else "". cut_sides: of the
    canvas, at which its item is cut off."""

    width: int = 0
    height: int = 0
    bytes: int = 0
    quality: int = 0
    sha256: str = ""
    message: str = ""
    checks: tuple[Checked, ...] = ()
    matrix: Map | None = None
    failure: str = ""
    cut_sides: tuple[str, ...] = ()


def made(source: Source, subject: Subject, rules: Standard, task: Task, target: Kept, assets: Assets) -> Made:
    """Make a picture and write its file. Whatever goes wrong is told, and stops no other picture. Raises OSError where
    there is no room for the file (files.no_room): no picture is to blame for that."""
    try:
        picture = picture_of(source, subject, rules, task, assets)
        target.write(picture.data)
    except Exception as error:
        if no_room(error):
            raise
        return Made(failure=reason_of(error, source.name))
    return Made(
        picture.width,
        picture.height,
        len(picture.data),
        picture.quality,
        picture.sha256,
        "; ".join(picture.notes),
        tuple(picture.checks),
        picture.matrix,
        cut_sides=picture.cut_sides,
    )
