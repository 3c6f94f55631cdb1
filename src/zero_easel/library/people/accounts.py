"""Accounts: made by invitation, with a password that nobody else knows.

Passwords are kept by Argon2id (RFC 9106); invitations and resets are links, good once, for some days.
"""

import hashlib
import secrets
from datetime import timedelta
from functools import cache

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session
from zxcvbn import zxcvbn

from zero_easel.core.standard.naming import plain
from zero_easel.library.store.models import now
from zero_easel.library.store.people import Invitation, Passkey, Person, Role, SignIn

_HASHER = PasswordHasher()
SHORTEST, LONGEST = 12, 128
INVITED_DAYS = 7
_GUESSES = 10.0
"""Powers of ten of guesses that a password has to stand, as estimated by zxcvbn (Wheeler, USENIX Security 2016) from
lists of leaked passwords, names, words, dates, keys in a row and repeats."""


class AccountError(ValueError):
    """An account that cannot be made or changed so, with the reason in a sentence."""


def has_people(session: Session) -> bool:
    """Whether there are accounts at all; without any, whoever is at this machine may do everything."""
    return session.scalar(select(Person.id).limit(1)) is not None


def all_people(session: Session) -> list[Person]:
    """All accounts, by name."""
    return list(session.scalars(select(Person).order_by(Person.folded)))


def person_named(session: Session, name: str) -> Person | None:
    """The account of a name, in whatever letter case."""
    return session.scalar(select(Person).where(Person.folded == plain(name).casefold()))


def add_person(session: Session, name: str, role: Role) -> Person:
    """A new account, which has no password yet. Raises AccountError if the name is empty or taken."""
    name = plain(name)[:60]
    if not name:
        raise AccountError("An account needs a name.")
    if person_named(session, name) is not None:
        raise AccountError(f"There is an account called {name} already.")
    person = Person(name=name, folded=name.casefold(), role=role)
    session.add(person)
    session.flush()
    return person


def invite(session: Session, person: Person, days: int = INVITED_DAYS) -> str:
    """The text of a link by which somebody sets a password; links that were given before are good no more."""
    session.execute(delete(Invitation).where(Invitation.person_id == person.id))
    text = secrets.token_urlsafe(32)
    session.add(Invitation(person_id=person.id, sha256=digest(text), expires=now() + timedelta(days=days)))
    session.flush()
    return text


def invited(session: Session, text: str) -> Person:
    """Whom a link is for. Raises AccountError if it is good no more."""
    found = session.scalar(select(Invitation).where(Invitation.sha256 == digest(text)))
    if found is None or found.expires <= now() or not found.person.active:
        raise AccountError("This link is good no more. Ask the owner for another one.")
    return found.person


def take_up(session: Session, text: str, password: str) -> Person:
    """Set a password by a link, which is good no more then; who was signed in by the former one is no longer, and
    passkeys are taken no more: whoever needs a link may have lost their device to somebody. Raises AccountError."""
    person = invited(session, text)
    set_password(session, person, password)
    session.execute(delete(Passkey).where(Passkey.person_id == person.id))
    session.execute(delete(Invitation).where(Invitation.person_id == person.id))
    return person


def set_password(session: Session, person: Person, password: str) -> None:
    """Another password; it ends all sign-ins. Raises AccountError if it is too easily guessed."""
    _check(person, password)
    person.password = _HASHER.hash(password)
    session.execute(delete(SignIn).where(SignIn.person_id == person.id))
    session.flush()


def is_password_of(person: Person | None, password: str) -> bool:
    """Whether that is somebody's password. It takes the same time for nobody."""
    nobody = _nobody()
    kept = person.password if person is not None and person.password else nobody
    if not is_hash_of(kept, password):
        return False
    if person is not None and _HASHER.check_needs_rehash(kept):
        person.password = _HASHER.hash(password)
    return person is not None and person.active and bool(person.password)


@cache
def _nobody() -> str:
    """What the password of somebody who has no account is held against: it takes as long to refuse."""
    return _HASHER.hash(secrets.token_hex(16))


def hashed(password: str) -> str:
    """What is kept of a password that is nobody's account's."""
    return _HASHER.hash(password)


def is_hash_of(kept: str, password: str) -> bool:
    """Whether that is the password of which it was kept."""
    try:
        return _HASHER.verify(kept, password[:LONGEST])
    except (VerificationError, InvalidHashError):
        return False


def set_role(session: Session, person: Person, role: Role) -> None:
    """Let somebody do more or less. Raises AccountError if nobody would be owner then."""
    if person.role == Role.OWNER and role != Role.OWNER:
        _leave_an_owner(session, person)
    person.role = role
    session.flush()


def set_active(session: Session, person: Person, active: bool) -> None:
    """Let nobody sign in by an account any more, or let them again; what was done stays told. Raises AccountError if
    nobody would be owner then."""
    if not active:
        if person.role == Role.OWNER:
            _leave_an_owner(session, person)
        session.execute(delete(SignIn).where(SignIn.person_id == person.id))
        session.execute(delete(Invitation).where(Invitation.person_id == person.id))
    person.active = active
    session.flush()


def _leave_an_owner(session: Session, person: Person) -> None:
    others = select(func.count()).where(
        Person.role == Role.OWNER, Person.active, Person.password != "", Person.id != person.id
    )
    if not session.scalar(others):
        raise AccountError(f"{person.name} is the only owner; make somebody else owner first.")


def _check(person: Person, password: str) -> None:
    if len(password) < SHORTEST:
        raise AccountError(f"A password has at least {SHORTEST} characters; a few words do well.")
    if len(password) > LONGEST:
        raise AccountError(f"A password has at most {LONGEST} characters.")
    told = zxcvbn(password, user_inputs=[person.name, "zero easel"], max_length=LONGEST)
    if told["guesses_log10"] < _GUESSES:
        why = str(told["feedback"]["warning"]).rstrip(".")
        reason = "This password is too easily guessed" + (f" ({why[0].lower() + why[1:]})" if why else "")
        raise AccountError(f"{reason}; a few words that do not belong together do well.")


def digest(text: str) -> str:
    """Of what only its holder knows; 256 bits by chance need no slow hash."""
    return hashlib.sha256(text.encode()).hexdigest()
