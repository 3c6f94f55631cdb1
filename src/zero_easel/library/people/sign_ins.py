"""Devices on which people are signed in: by a cookie that only they hold, until idle for long or ended by hand."""

import secrets
from datetime import timedelta

from sqlalchemy import delete, or_, select, update
from sqlalchemy.orm import Session
from ua_parser import parse

from zero_easel.library.people.accounts import digest
from zero_easel.library.store.models import now
from zero_easel.library.store.people import Person, SignIn

IDLE, WHOLE = timedelta(hours=12), timedelta(days=30)
"""After which a sign-in ends: unused for so long, and in any case."""
_MINUTE = timedelta(minutes=1)


def sign_in(session: Session, person: Person, device: str, address: str) -> str:
    """Sign somebody in on a device; returns what its cookie holds."""
    ended = or_(SignIn.used < now() - IDLE, SignIn.made < now() - WHOLE)
    session.execute(delete(SignIn).where(ended))
    text = secrets.token_urlsafe(32)
    row = SignIn(person_id=person.id, sha256=digest(text), device=device[:200], address=address[:60])
    session.add(row)
    session.flush()
    return text


def signed_in(session: Session, text: str) -> SignIn | None:
    """The sign-in of a cookie, None if it has ended."""
    row = session.scalar(select(SignIn).where(SignIn.sha256 == digest(text)))
    return row if is_good(row) else None


def is_good(row: SignIn | None) -> bool:
    """Whether a sign-in, if there is one, has not ended."""
    return row is not None and row.used >= now() - IDLE and row.made >= now() - WHOLE and row.person.active


def wants_noting(row: SignIn) -> bool:
    """Whether its last use is so long ago that this one should be written down."""
    return row.used < now() - _MINUTE


def note_use(session: Session, row_id: int) -> None:
    """Write down that it was used just now."""
    session.execute(update(SignIn).where(SignIn.id == row_id).values(used=now()))


def sign_ins_of(session: Session, person: Person) -> list[SignIn]:
    """Where somebody is signed in, the latest first."""
    query = select(SignIn).where(SignIn.person_id == person.id, SignIn.used >= now() - IDLE)
    return list(session.scalars(query.order_by(SignIn.used.desc())))


def device_of(header: str) -> str:
    """What a browser says of itself in a header (RFC 9110, 10.1.5), as one would say it: "Firefox on Windows"."""
    found = parse(header)
    browser = found.user_agent.family if found.user_agent else ""
    system = found.device.family if found.device else found.os.family if found.os else ""
    return " on ".join(one for one in (browser, system) if one) or "unknown"


def sign_out(session: Session, person: Person, only: int | None = None, but: int | None = None) -> None:
    """End one sign-in of somebody, all but one, or all."""
    query = delete(SignIn).where(SignIn.person_id == person.id)
    query = query.where(SignIn.id == only) if only is not None else query
    session.execute(query.where(SignIn.id != but) if but is not None else query)
