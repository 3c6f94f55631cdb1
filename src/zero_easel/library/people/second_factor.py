"""The second factor: one-time passwords by time (RFC 6238), and codes for the day on which the telephone is lost."""

import hmac
import secrets
import time

import pyotp
from sqlalchemy.orm import Session

from zero_easel.library.people.accounts import digest
from zero_easel.library.store.people import Person

ISSUER = "Zero Easel"
CODES = 10
_STEP = 30


def new_secret() -> str:
    """160 bits by chance, base32, as authenticators take it."""
    return pyotp.random_base32()


def address_of(person: Person, secret: str) -> str:
    """What an authenticator reads off a picture: otpauth://totp/..."""
    return pyotp.TOTP(secret).provisioning_uri(name=person.name, issuer_name=ISSUER)


def step_of(secret: str, code: str) -> int | None:
    """The time step that a one-time password is of: this one or one of its neighbours; None if it is none."""
    code = "".join(code.split())
    present = int(time.time()) // _STEP
    totp = pyotp.TOTP(secret)
    for step in (present - 1, present, present + 1):
        if hmac.compare_digest(totp.at(step * _STEP), code):
            return step
    return None


def begin(session: Session, person: Person, sealed: bytes) -> list[str]:
    """Ask for a second factor from now on; returns codes that stand in for it, each once. They are shown this once."""
    codes = ["-".join(secrets.token_hex(5)[at : at + 5] for at in (0, 5)) for _ in range(CODES)]
    person.second, person.used_step = sealed, 0
    person.recovery = tuple(digest(code) for code in codes)
    session.flush()
    return codes


def end(session: Session, person: Person) -> None:
    """Ask for no second factor any more."""
    person.second, person.used_step, person.recovery = b"", 0, ()
    session.flush()


def passes(session: Session, person: Person, secret: str, code: str) -> bool:
    """Whether a code is right: a one-time password that was not used before, or one of the codes that stand in for it,
    which is used up by that."""
    step = step_of(secret, code)
    if step is not None and step > person.used_step:
        person.used_step = step
        session.flush()
        return True
    wanted = digest(code.strip().lower())
    if wanted in person.recovery:
        person.recovery = tuple(one for one in person.recovery if one != wanted)
        session.flush()
        return True
    return False
