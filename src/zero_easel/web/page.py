"""What all screens share: templates, the database session, shoots by number, and the zero line."""

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Annotated, Any, TypeVar

from fastapi import Depends, HTTPException, Request
from fastapi.responses import HTMLResponse
from fastapi.templating import Jinja2Templates
from sqlalchemy.orm import Session

from zero_easel import __version__
from zero_easel.core.standard.rules import Item
from zero_easel.library.lines import PhotoLine, doubtful, lines_of, takes_part
from zero_easel.library.matches import troubles_of
from zero_easel.library.models import PhotoRow, Run, Shoot
from zero_easel.library.standards import rules_of
from zero_easel.runs.service import latest_run, progress_of
from zero_easel.workbench import Workbench

Row = TypeVar("Row")

templates = Jinja2Templates(Path(__file__).parent / "templates")
templates.env.trim_blocks = templates.env.lstrip_blocks = True


def bench_of(request: Request) -> Workbench:
    """The running application's workbench."""
    bench: Workbench = request.app.state.bench
    return bench


def session_of(request: Request) -> Iterator[Session]:
    """A database session that commits when the request went well, before the answer is sent."""
    with bench_of(request).database.session() as session:
        yield session


Bench = Annotated[Workbench, Depends(bench_of)]
Db = Annotated[Session, Depends(session_of, scope="function")]


def shoot_or_404(session: Db, shoot_id: int) -> Shoot:
    """The shoot of the address."""
    return found(session.get(Shoot, shoot_id), "shoot")


def photo_or_404(session: Db, photo_id: int) -> PhotoRow:
    """The photo of the address."""
    return found(session.get(PhotoRow, photo_id), "photo")


def run_or_404(session: Db, run_id: int) -> Run:
    """The run of the address."""
    return found(session.get(Run, run_id), "run")


async def fields_of(request: Request) -> dict[str, str]:
    """All fields of a form whose names are not known beforehand; the page itself then works in a thread."""
    return {key: str(value) for key, value in (await request.form()).items()}


def found(row: Row | None, what: str) -> Row:
    """The row, or a 404 that names what is missing."""
    if row is None:
        raise HTTPException(404, f"There is no such {what}.")
    return row


ShootById = Annotated[Shoot, Depends(shoot_or_404)]
PhotoById = Annotated[PhotoRow, Depends(photo_or_404)]
RunById = Annotated[Run, Depends(run_or_404)]
Fields = Annotated[dict[str, str], Depends(fields_of)]


def show(request: Request, template: str, status: int = 200, **context: Any) -> HTMLResponse:
    """A template as an answer."""
    return templates.TemplateResponse(request, template, context, status_code=status)


def is_partial(request: Request) -> bool:
    """Whether a part of a page was asked for."""
    return request.headers.get("hx-request") == "true"


@dataclass(frozen=True)
class Stage:
    """One mark on the zero line. said: its state in a few words. call: whether it needs a person now. going: whether
    it changes by itself just now."""

    key: str
    label: str
    said: str
    call: bool = False
    done: bool = False
    going: bool = False


def stages(session: Session, shoot: Shoot) -> list[Stage]:
    """The marks of a shoot's zero line, in order."""
    return stages_of(session, shoot, lines_of(session, shoot.id))


def stages_of(session: Session, shoot: Shoot, lines: list[PhotoLine]) -> list[Stage]:
    """The same for lines at hand."""
    part = [line for line in lines if takes_part(line)]
    broken = sum(bool(line.error) for line in lines)
    unread = sum(not line.read and not line.error for line in lines)
    troubles = troubles_of(lines)
    waiting = sum(line.clearing == "waiting" for line in part)
    look = sum(doubtful(line) for line in part)
    rules = rules_of(shoot.standard)
    settled = bool(part) and not troubles.count
    return [
        Stage("bring-in", "Bring in", _brought(len(lines), broken), call=not lines, done=bool(lines)),
        Stage(
            "match",
            "Match",
            _matched(len(lines), unread, troubles.count),
            bool(troubles.count),
            settled,
            going=unread > 0 or shoot.stale,
        ),
        Stage(
            "clear",
            "Clear",
            _cleared(len(part), waiting, look),
            look > 0,
            bool(part) and not waiting and not look,
            going=waiting > 0,
        ),
        Stage("place", "Place", _placed(rules.item), done=bool(part)),
        Stage("names", "Name", rules.names.name, done=settled),
        _deliver(session, shoot),
    ]


def _brought(count: int, broken: int) -> str:
    if not count:
        return "no photos yet"
    return f"{plural(count, 'photo')}" + (f", {broken} unreadable" if broken else "")


def _matched(count: int, unread: int, open_questions: int) -> str:
    if not count:
        return "nothing yet"
    if unread:
        return f"looking for cards, {unread} left"
    return f"{open_questions} to settle" if open_questions else "all known"


def _cleared(count: int, waiting: int, look: int) -> str:
    if not count:
        return "nothing yet"
    if waiting:
        return f"{count - waiting} of {count} cleared"
    return f"{count - look} ready, {look} to look at" if look else f"{count} ready"


def _placed(item: Item) -> str:
    words = {"true-size": "true size", "as-shot": "as shot", "even-weight": "even weight"}
    return words.get(item.scale, f"{item.share:g} % of the {item.share_of}")


def _deliver(session: Session, shoot: Shoot) -> Stage:
    run = latest_run(session, shoot.id)
    if run is None:
        return Stage("deliver", "Deliver", "not yet run")
    at = progress_of(session, run)
    words = {"running": f"{at.done} of {at.total} made", "done": f"{at.done} made"}
    said = words.get(at.state, f"{at.state}, {at.remaining} remain")
    return Stage("deliver", "Deliver", said + (f", {at.failed} failed" if at.failed else ""), call=at.can_continue,
                 done=at.state == "done", going=at.running)  # fmt: skip


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


templates.env.globals.update(doubtful=doubtful, takes_part=takes_part, version=__version__)


def capitalize_first(text: str | None) -> str:
    """A sentence with its first letter large and all others as they are."""
    return f"{text[:1].upper()}{text[1:]}" if text else ""


templates.env.filters.update(
    capitalize_first=capitalize_first, size=file_size, plural=plural, duration=duration, day=day
)
