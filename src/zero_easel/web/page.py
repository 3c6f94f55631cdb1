"""What all screens share: templates, the database session, shoots by number, and the zero line."""

import json
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, TypeVar
from urllib.parse import quote

from fastapi import Depends, HTTPException, Request
from fastapi.responses import HTMLResponse
from fastapi.templating import Jinja2Templates
from pydantic import AfterValidator
from sqlalchemy.orm import Session

from zero_easel import __version__
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED
from zero_easel.core.placing.placement import Adjustment
from zero_easel.library.lists.kept import one_look
from zero_easel.library.lists.lines import PhotoLine, doubtful, takes_part
from zero_easel.library.store.models import PhotoRow, Run, Shoot
from zero_easel.web.flash import Flash
from zero_easel.web.matched import Matching
from zero_easel.workbench import Workbench

Row = TypeVar("Row")


def _storable(number: int) -> int:
    if not -(2**63) <= number < 2**63:
        raise ValueError("this number is too large")
    return number


Number = Annotated[int, AfterValidator(_storable)]
"""A number from outside, as the database can hold it."""

templates = Jinja2Templates(Path(__file__).parent / "templates")
templates.env.trim_blocks = templates.env.lstrip_blocks = True


def bench_of(request: Request) -> Workbench:
    """The running application's workbench."""
    bench: Workbench = request.app.state.bench
    return bench


def session_of(request: Request) -> Iterator[Session]:
    """A database session that commits when the request went well, before the answer is sent."""
    with bench_of(request).database.acting(request.state.who.name).session() as session:
        one_look(session)
        yield session


Bench = Annotated[Workbench, Depends(bench_of)]
Db = Annotated[Session, Depends(session_of, scope="function")]


def shoot_or_404(session: Db, shoot_id: Number) -> Shoot:
    """The shoot of the address."""
    return found(session.get(Shoot, shoot_id), "shoot")


def matched_or_404(request: Request, session: Db, shoot_id: Number) -> Shoot:
    """The shoot of the address, its photos matched."""
    matching: Matching = request.app.state.matching
    matching.ensure(bench_of(request).database, session, shoot_id)
    return shoot_or_404(session, shoot_id)


def photo_or_404(session: Db, photo_id: Number) -> PhotoRow:
    """The photo of the address."""
    return found(session.get(PhotoRow, photo_id), "photo")


def run_or_404(session: Db, run_id: Number) -> Run:
    """The run of the address."""
    return found(session.get(Run, run_id), "run")


def flash_of(request: Request) -> Flash:
    """Sentences that wait for their page."""
    flash: Flash = request.app.state.flash
    return flash


async def fields_of(request: Request) -> dict[str, str]:
    """All fields of a form whose names are not known beforehand; the page itself then works in a thread."""
    return {key: str(value) for key, value in (await request.form()).items()}


def found(row: Row | None, what: str) -> Row:
    """The row, or a 404 that names what is missing."""
    if row is None:
        raise HTTPException(404, f"There is no such {what}.")
    return row


ShootById = Annotated[Shoot, Depends(shoot_or_404)]
MatchedShoot = Annotated[Shoot, Depends(matched_or_404)]
PhotoById = Annotated[PhotoRow, Depends(photo_or_404)]
RunById = Annotated[Run, Depends(run_or_404)]
Waiting = Annotated[Flash, Depends(flash_of)]
Fields = Annotated[dict[str, str], Depends(fields_of)]


def show(request: Request, template: str, status: int = 200, **context: Any) -> HTMLResponse:
    """A template as an answer."""
    return templates.TemplateResponse(request, template, context, status_code=status)


def is_partial(request: Request) -> bool:
    """Whether a part of a page was asked for."""
    return request.headers.get("hx-request") == "true"


def plural(count: int, word: str) -> str:
    """1 photo, 2 photos."""
    return f"{count:,} {word}{'' if count == 1 else 's'}"


def file_size(size: int) -> str:
    """Bytes as people read them."""
    if size < 1000:
        return f"{size} B"
    return f"{size / 1e3:.0f} kB" if size < 1e6 else f"{size / 1e6:.1f} MB"


def duration(seconds: float | None) -> str:
    """A time to wait, roundly."""
    if seconds is None:
        return ""
    if seconds < 90:
        return f"{max(1, round(seconds))} s"
    return f"{seconds / 60:.0f} min" if seconds < 5400 else f"{seconds / 3600:.1f} h"


def day(moment: datetime | None) -> str:
    """12 November 2026."""
    return f"{moment.day} {moment:%B %Y}" if moment else ""


_SHOWN = 1000
"""px of the longer side of a photo whose geometry is undone for a page."""


def straight_source(line: PhotoLine, adjustment: Adjustment) -> str:
    """Address of a whole photo at screen size as it is drawn: what is undone of its geometry is undone."""
    if adjustment.rectified == AS_PHOTOGRAPHED:
        return f"/media/large/{line.digest}.jpg"
    wanted = quote(json.dumps(adjustment.rectified, separators=(",", ":")))
    return f"/photos/{line.id}/straight.jpg?longest={_SHOWN}&as={wanted}"


templates.env.globals.update(straight_source=straight_source)
templates.env.globals.update(doubtful=doubtful, takes_part=takes_part, version=__version__)


def capitalize_first(text: str | None) -> str:
    """A sentence with its first letter large and all others as they are."""
    return f"{text[:1].upper()}{text[1:]}" if text else ""


def sentence(phrase: str | None) -> str:
    """A phrase with its first letter large and a stop at its end."""
    return capitalize_first(phrase) + ("" if not phrase or phrase[-1] in ".?" else ".")


templates.env.filters.update(
    capitalize_first=capitalize_first, sentence=sentence, size=file_size, plural=plural, duration=duration, day=day
)
