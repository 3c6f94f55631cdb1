"""Tokens by which other programs are let in: given once, kept as a digest, with scopes and an end."""

import hashlib
import secrets
from collections.abc import Collection
from datetime import timedelta

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from zero_easel.core.standard.naming import plain
from zero_easel.library.people import journal
from zero_easel.library.store.access import AccessToken, Right
from zero_easel.library.store.models import now

START = "zeo_"
"""With what each token begins, so that one that lies where it should not is found."""
USUAL_DAYS, MOST_DAYS = 90, 730
_MINUTE = timedelta(minutes=1)


class TokenError(ValueError):
    """A token that cannot be made, or that lets nobody in, with the reason in a sentence."""


def issue(session: Session, name: str, scopes: Collection[Right], days: int = USUAL_DAYS) -> tuple[AccessToken, str]:
    """A new token and its text, 256 bits by chance, which cannot be shown again. Raises TokenError."""
    name = plain(name)[:80]
    if not name:
        raise TokenError("A token needs a name: which program has it.")
    if not scopes:
        raise TokenError("A token needs something that it allows.")
    if not 1 <= days <= MOST_DAYS:
        raise TokenError(f"A token is good for 1 to {MOST_DAYS} days.")
    text = START + secrets.token_urlsafe(32)
    row = AccessToken(
        name=name,
        sha256=_digest(text),
        begins=text[: len(START) + 6],
        scopes=tuple(scope for scope in Right if scope in scopes),
        expires=now() + timedelta(days=days),
    )
    session.add(row)
    session.flush()
    journal.write(session, f"gave a token to {name}: {', '.join(row.scopes)}, for {days} days", about="tokens")
    return row, text


def all_tokens(session: Session) -> list[AccessToken]:
    """All that were ever given, the newest first."""
    return list(session.scalars(select(AccessToken).order_by(AccessToken.id.desc())))


def revoke(session: Session, token: AccessToken) -> None:
    """Let nobody in by it any more; told of it stays."""
    token.revoked = token.revoked or now()
    journal.write(session, f"revoked the token of {token.name}", about="tokens")


def holder_of(session: Session, text: str) -> AccessToken:
    """The token of that text. Raises TokenError if it is none, or no longer one."""
    token = session.scalar(select(AccessToken).where(AccessToken.sha256 == _digest(text)))
    if token is None:
        raise TokenError("This token is not known here.")
    if token.revoked is not None:
        raise TokenError("This token was revoked.")
    if token.expires <= now():
        raise TokenError("This token has expired.")
    return token


def is_used_up(token: AccessToken) -> bool:
    """Whether nobody is let in by it any more."""
    return token.revoked is not None or token.expires <= now()


def wants_noting(token: AccessToken) -> bool:
    """Whether its last use is so long ago that this one should be written down: once a minute is enough."""
    return token.used is None or token.used < now() - _MINUTE


def note_use(session: Session, token_id: int) -> None:
    """Write down that it was used just now."""
    session.execute(update(AccessToken).where(AccessToken.id == token_id).values(used=now()))


def _digest(text: str) -> str:
    # No slow hash: there is nothing to guess in 256 bits by chance.
    return hashlib.sha256(text.encode()).hexdigest()
