"""What came of a run, counted and listed without reading more of its pictures than are shown."""

from collections import Counter
from collections.abc import Sequence
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, Select, and_, func, select
from sqlalchemy.orm import InstrumentedAttribute, Session

from zero_easel.core.finishing.checking import Checked
from zero_easel.library.store.models import Original, PhotoRow, PictureRow, PictureState, Run

SHOWN = 200
"""Pictures on one page."""
_NAMED = 12
"""Failed pictures that are named."""
_ORDERS: dict[str, tuple[tuple[InstrumentedAttribute[Any], ...], bool]] = {
    "name": ((PictureRow.output,), False),
    "photo": ((PictureRow.original,), False),
    "product": ((PictureRow.code, PictureRow.view), False),
    "deliverable": ((PictureRow.deliverable,), False),
    "width": ((PictureRow.width,), True),
    "height": ((PictureRow.height,), True),
    "bytes": ((PictureRow.bytes,), True),
    "quality": ((PictureRow.quality,), True),
    "unmet": ((PictureRow.unmet,), True),
}
"""By headings of the table, the columns and whether the largest comes first."""


class Results(NamedTuple):
    """per_deliverable: pictures made. checked: whether any was. failing: how many fail a check; held: how many are not
    handed over for that. failures: the first pictures that failed; failed: how many did; again: whether some of them
    can be tried again. before: bytes of the photos that pictures were made of; after: of the pictures."""

    per_deliverable: dict[str, int]
    checked: bool
    failing: int
    held: int
    failures: list[PictureRow]
    failed: int
    again: bool
    before: int
    after: int


def results_of(session: Session, run: Run) -> Results:
    """Counts of a run as it stands."""
    made = _made(run)
    counts = select(PictureRow.deliverable, func.count(), func.sum(PictureRow.bytes)).where(made)
    rows = session.execute(counts.group_by(PictureRow.deliverable)).all()
    failing = session.scalar(select(func.count()).select_from(PictureRow).where(made, PictureRow.unmet > 0)) or 0
    failed = and_(PictureRow.run_id == run.id, PictureRow.state == PictureState.FAILED)
    again = select(PictureRow.id).join(PhotoRow, PhotoRow.id == PictureRow.photo_id)
    again = again.join(Original, Original.digest == PhotoRow.digest).where(failed, PictureRow.output != "")
    photos = select(PictureRow.photo_id).where(made).distinct().subquery()
    before = select(func.sum(Original.bytes)).join(PhotoRow, PhotoRow.digest == Original.digest)
    return Results(
        {name: count for name, count, _ in rows},
        bool(run.rules.checks),
        failing,
        failing if run.rules.hand_over != "all" else 0,
        list(session.scalars(select(PictureRow).where(failed).order_by(PictureRow.id).limit(_NAMED))),
        session.scalar(select(func.count()).select_from(PictureRow).where(failed)) or 0,
        session.scalar(again.where(Original.error == "").limit(1)) is not None,
        session.scalar(before.join(photos, photos.c.photo_id == PhotoRow.id)) or 0,
        sum(size or 0 for _, _, size in rows),
    )


def page_of(
    session: Session, run: Run, deliverable: str = "", sort: str = "", page: int = 1
) -> tuple[list[PictureRow], int]:
    """Finished pictures of one page, and how many pages there are. deliverable: "" for all. sort: a heading of the
    table, with - before it for the other way; "" for shooting order."""
    query = select(PictureRow).where(_made(run))
    if deliverable:
        query = query.where(PictureRow.deliverable == deliverable)
    total = session.scalar(select(func.count()).select_from(query.subquery())) or 0
    pages = max(1, -(-total // SHOWN))
    at = min(max(1, page), pages)
    return list(session.scalars(_sorted(query, sort).offset((at - 1) * SHOWN).limit(SHOWN))), pages


def latest_of(session: Session, run: Run, count: int) -> list[PictureRow]:
    """The pictures that were made last, the newest first."""
    query = select(PictureRow).where(_made(run)).order_by(PictureRow.made.desc(), PictureRow.id.desc())
    return list(session.scalars(query.limit(count)))


def unmet_rules(session: Session, run: Run) -> list[tuple[tuple[str, str], int]]:
    """Rules that pictures fail, each with how many, most first."""
    columns = select(PictureRow.checks).where(_made(run), PictureRow.unmet > 0)
    counts = Counter((c.rule, c.value) for checks in session.scalars(columns) for c in checks if not c.ok)
    return counts.most_common()


def unmet_of(checks: Sequence[Checked]) -> int:
    """How many checks are not met."""
    return sum(not check.ok for check in checks)


class Neighbours(NamedTuple):
    """Of a picture among the finished ones of its deliverable. position: from 1, 0 if it is not finished."""

    previous: PictureRow | None
    following: PictureRow | None
    position: int
    total: int


def neighbours_of(session: Session, picture: PictureRow) -> tuple[Neighbours, list[PictureRow]]:
    """Those beside a picture in its run, and all finished pictures of its photo there."""
    done = and_(PictureRow.run_id == picture.run_id, PictureRow.state == PictureState.DONE)
    row = and_(done, PictureRow.deliverable == picture.deliverable)
    before = select(PictureRow).where(row, PictureRow.id < picture.id).order_by(PictureRow.id.desc()).limit(1)
    after = select(PictureRow).where(row, PictureRow.id > picture.id).order_by(PictureRow.id).limit(1)
    count = select(func.count()).select_from(PictureRow).where(row)
    finished = picture.state == PictureState.DONE
    position = session.scalar(count.where(PictureRow.id <= picture.id)) or 0
    found = Neighbours(
        session.scalar(before) if finished else None,
        session.scalar(after) if finished else None,
        position if finished else 0,
        session.scalar(count) or 0,
    )
    others = select(PictureRow).where(done, PictureRow.photo_id == picture.photo_id).order_by(PictureRow.id)
    return found, list(session.scalars(others))


def _made(run: Run) -> ColumnElement[bool]:
    return and_(PictureRow.run_id == run.id, PictureRow.state == PictureState.DONE)


def _sorted(query: Select[PictureRow], sort: str) -> Select[PictureRow]:
    columns, largest_first = _ORDERS.get(sort.removeprefix("-"), ((), False))
    down = largest_first != sort.startswith("-")
    return query.order_by(*(column.desc() if down else column for column in columns), PictureRow.id)
