"""What the application keeps in mind under a name, beside what has a table of its own."""

import secrets
from typing import Any

from sqlalchemy.orm import Session

from zero_easel.library.store.models import Remembered


def remembered(session: Session, key: str) -> Any:
    """What is kept under a key, as it was given; None if there is nothing."""
    row = session.get(Remembered, key)
    return None if row is None else row.value


def remember(session: Session, key: str, value: Any) -> None:
    """Keep something that JSON can hold."""
    row = session.get(Remembered, key)
    if row is None:
        session.add(Remembered(key=key, value=value))
    else:
        row.value = value
    session.flush()


def library_id(session: Session) -> str:
    """A name of this library that no other has."""
    known = remembered(session, "library")
    if known is None:
        known = secrets.token_hex(16)
        remember(session, "library", known)
    return str(known)
