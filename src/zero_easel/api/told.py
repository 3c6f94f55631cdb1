"""What all that is told has in common: moments with their zone, addresses, and rows by the number in the address."""

from collections.abc import Callable
from datetime import UTC, datetime
from typing import Annotated, Any, TypeVar

from fastapi import Depends, Path
from pydantic import AllowInfNan, BaseModel, ConfigDict, Field, PlainSerializer, Strict, StrictBool, WithJsonSchema
from sqlalchemy.orm import Session

from zero_easel.api.access import Reading, Writing
from zero_easel.api.problems import found
from zero_easel.library.store.access import Webhook
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


Row = TypeVar("Row")


def by_number(model: type[Row], key: str, what: str, of: Any) -> Callable[..., Row]:
    """A dependency: the row whose number stands in the address under a key. of: Reading, or Writing for changes. It
    raises Refusal 404, which names what is missing."""

    def row(session: Session, number: int) -> Row:
        return found(session.get(model, number), what)

    number = Annotated[int, Path(alias=key, ge=1, le=2**53, examples=[1])]
    row.__annotations__ = {"session": of, "number": number, "return": model}
    return row


SeenShoot = Annotated[Shoot, Depends(by_number(Shoot, "shoot_id", "shoot", Reading))]
SeenPhoto = Annotated[PhotoRow, Depends(by_number(PhotoRow, "photo_id", "photo", Reading))]
SeenRun = Annotated[Run, Depends(by_number(Run, "run_id", "run", Reading))]
SeenStandard = Annotated[StandardRow, Depends(by_number(StandardRow, "standard_id", "standard", Reading))]
SeenPicture = Annotated[PictureRow, Depends(by_number(PictureRow, "picture_id", "picture", Reading))]
SeenWebhook = Annotated[Webhook, Depends(by_number(Webhook, "webhook_id", "webhook", Reading))]
ChangedShoot = Annotated[Shoot, Depends(by_number(Shoot, "shoot_id", "shoot", Writing))]
ChangedPhoto = Annotated[PhotoRow, Depends(by_number(PhotoRow, "photo_id", "photo", Writing))]
ChangedRun = Annotated[Run, Depends(by_number(Run, "run_id", "run", Writing))]
ChangedStandard = Annotated[StandardRow, Depends(by_number(StandardRow, "standard_id", "standard", Writing))]
ChangedWebhook = Annotated[Webhook, Depends(by_number(Webhook, "webhook_id", "webhook", Writing))]
