"""The journal: who did what, when. It is only added to: triggers refuse all else, and each entry holds a digest of the
one before it, so that what was changed behind the application's back is found."""

import hashlib
import json
from collections.abc import Iterable, Iterator, Sequence

from sqlalchemy import or_, select, text
from sqlalchemy.orm import Session

from zero_easel.core.catalog.tables import write_table
from zero_easel.library.store.database import BY
from zero_easel.library.store.models import now
from zero_easel.library.store.people import JournalEntry

_LOCK = text("UPDATE journal SET id = id WHERE 0")
HEADINGS = ("number", "moment", "who", "what", "about")


def write(
    session: Session,
    what: str,
    *,
    about: str = "",
    shoot_id: int | None = None,
    photo_id: int | None = None,
    standard_id: int | None = None,
    run_id: int | None = None,
) -> None:
    """One more entry, by whoever acts in this session."""
    # Nobody else writes from here on: what is read as the last entry is the last one.
    session.execute(_LOCK)
    last = select(JournalEntry.chain).order_by(JournalEntry.id.desc()).limit(1)
    entry = JournalEntry(
        made=now(),
        who=str(session.info.get(BY, "")),
        text=what[:500],
        about=about[:60],
        shoot_id=shoot_id,
        photo_id=photo_id,
        standard_id=standard_id,
        run_id=run_id,
    )
    entry.chain = _chain(session.scalar(last) or "", entry)
    session.add(entry)
    session.flush()


def entries(session: Session, search: str = "", *, before: int = 0, limit: int = 200) -> list[JournalEntry]:
    """Entries whose words contain every word that is searched for, the newest first. before: number of the last one
    that was told."""
    query = select(JournalEntry)
    for word in search.split():
        like = "%" + word.replace("\\", r"\\").replace("%", r"\%").replace("_", r"\_") + "%"
        columns = (JournalEntry.text, JournalEntry.who, JournalEntry.about)
        query = query.where(or_(*(column.ilike(like, escape="\\") for column in columns)))
    query = query.where(JournalEntry.id < before) if before else query
    return list(session.scalars(query.order_by(JournalEntry.id.desc()).limit(limit)))


def entries_of(
    session: Session,
    *,
    shoot_id: int | None = None,
    photo_id: int | None = None,
    standard_id: int | None = None,
    run_id: int | None = None,
    limit: int = 30,
) -> list[JournalEntry]:
    """What was done to one thing, the newest first."""
    wanted = {"shoot_id": shoot_id, "photo_id": photo_id, "standard_id": standard_id, "run_id": run_id}
    query = select(JournalEntry)
    for key, value in wanted.items():
        query = query.where(getattr(JournalEntry, key) == value) if value is not None else query
    return list(session.scalars(query.order_by(JournalEntry.id.desc()).limit(limit)))


def exported(session: Session, search: str = "") -> Iterator[str]:
    """The entries as CSV (RFC 4180), the newest first, a part at a time. No cell begins as what a spreadsheet runs."""
    yield _rows([HEADINGS])
    before = 0
    while found := entries(session, search, before=before, limit=1000):
        yield _rows([(one.id, f"{one.made:%Y-%m-%dT%H:%M:%SZ}", one.who, one.text, one.about) for one in found])
        before = found[-1].id


def first_fault(session: Session) -> int | None:
    """The number of the first entry that is not as it was written, or that follows on one that is gone; None if all
    are sound."""
    chain = ""
    for entry in session.scalars(select(JournalEntry).order_by(JournalEntry.id)):
        if entry.chain != _chain(chain, entry):
            return entry.id
        chain = entry.chain
    return None


def _chain(before: str, entry: JournalEntry) -> str:
    columns = (entry.made.isoformat(), entry.who, entry.text, entry.about)
    numbers = (entry.shoot_id, entry.photo_id, entry.standard_id, entry.run_id)
    return hashlib.sha256(json.dumps([before, *columns, *numbers]).encode()).hexdigest()


def _rows(rows: Iterable[Sequence[object]]) -> str:
    return write_table(rows).decode()
