"""What all that is told has in common: moments with their zone, addresses, and rows by the number in the address."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import Depends, Path
from pydantic import AllowInfNan, BaseModel, ConfigDict, Field, PlainSerializer, Strict, StrictBool, WithJsonSchema

from zero_easel.api.access import Reading, Writing
from zero_easel.api.problems import found
from zero_easel.library.store.models import PhotoRow, PictureRow, Run, Shoot, StandardRow

Moment = Annotated[
    datetime, PlainSerializer(lambda moment: moment.replace(tzinfo=UTC).isoformat().replace("+00:00", "Z"))
]
"""A moment as tables keep it, in UTC; told as in RFC 3339."""

ByCamera = Annotated[
    datetime,
    PlainSerializer(lambda moment: moment.isoformat()),
    WithJsonSchema({"type": "string", "examples": ["2026-09-14T09:22:34"]}),
]
"""A moment by a camera's clock, which knows no zone."""

YesOrNo = StrictBool
Float = Annotated[float, Strict(), AllowInfNan(False)]
Other = Annotated[int, Strict(), Field(ge=1, le=2**53)]
"""The number of something else, in what is sent."""

Point = Annotated[
    tuple[Float, Float],
    WithJsonSchema({"type": "array", "items": {"type": "number"}, "minItems": 2, "maxItems": 2}),
]
"""x, y."""

Number = Annotated[int, Path(ge=1, le=2**53, examples=[1])]
"""The number of something, from the address."""


class Sent(BaseModel):
    """What is sent: a misspelt field is refused and not left out."""

    model_config = ConfigDict(extra="forbid", frozen=True)


def shoot_to_see(session: Reading, shoot_id: Number) -> Shoot:
    """The shoot of the address."""
    return found(session.get(Shoot, shoot_id), "shoot")


def shoot_to_change(session: Writing, shoot_id: Number) -> Shoot:
    """The same, for changes."""
    return found(session.get(Shoot, shoot_id), "shoot")


def photo_to_see(session: Reading, photo_id: Number) -> PhotoRow:
    """The photo of the address."""
    return found(session.get(PhotoRow, photo_id), "photo")


def photo_to_change(session: Writing, photo_id: Number) -> PhotoRow:
    """The same, for changes."""
    return found(session.get(PhotoRow, photo_id), "photo")


def run_to_see(session: Reading, run_id: Number) -> Run:
    """The run of the address."""
    return found(session.get(Run, run_id), "run")


def run_to_change(session: Writing, run_id: Number) -> Run:
    """The same, for changes."""
    return found(session.get(Run, run_id), "run")


def standard_to_see(session: Reading, standard_id: Number) -> StandardRow:
    """The standard of the address."""
    return found(session.get(StandardRow, standard_id), "standard")


def standard_to_change(session: Writing, standard_id: Number) -> StandardRow:
    """The same, for changes."""
    return found(session.get(StandardRow, standard_id), "standard")


def picture_to_see(session: Reading, picture_id: Number) -> PictureRow:
    """The finished picture of the address."""
    return found(session.get(PictureRow, picture_id), "picture")


SeenShoot = Annotated[Shoot, Depends(shoot_to_see)]
SeenPhoto = Annotated[PhotoRow, Depends(photo_to_see)]
SeenRun = Annotated[Run, Depends(run_to_see)]
SeenStandard = Annotated[StandardRow, Depends(standard_to_see)]
SeenPicture = Annotated[PictureRow, Depends(picture_to_see)]
ChangedShoot = Annotated[Shoot, Depends(shoot_to_change)]
ChangedPhoto = Annotated[PhotoRow, Depends(photo_to_change)]
ChangedRun = Annotated[Run, Depends(run_to_change)]
ChangedStandard = Annotated[StandardRow, Depends(standard_to_change)]
