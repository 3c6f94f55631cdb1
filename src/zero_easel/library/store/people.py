"""The tables of who may do what: people, their sign-ins, passkeys, invitations, and the journal of what they did."""

from datetime import datetime
from enum import StrEnum

from sqlalchemy import ForeignKey, Index, String
from sqlalchemy.orm import Mapped, mapped_column, relationship

from zero_easel.library.store.columns import json_of, state_of
from zero_easel.library.store.models import Base, now


class Role(StrEnum):
    """What somebody may do; each may what the one before may, too."""

    VIEWER = "viewer"
    MAKER = "maker"
    OWNER = "owner"

    def may(self, needed: "Role") -> bool:
        """Whether it covers what is needed."""
        order = list(Role)
        return order.index(self) >= order.index(needed)


ROLES = {
    Role.VIEWER: "looks and comments",
    Role.MAKER: "does everything with photos and standards",
    Role.OWNER: "does everything, people, targets and settings too",
}


class Person(Base):
    """Somebody with an account. folded: the name in small letters, by which it is found. password: its Argon2id hash,
    "" until an invitation is taken up. second: the secret of one-time passwords, encrypted, b"" without. used_step: the
    last time step whose one-time password was used. recovery: digests of codes that stand in for it once. active: may
    sign in."""

    __tablename__ = "person"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(60))
    folded: Mapped[str] = mapped_column(String(60), unique=True)
    role: Mapped[Role] = mapped_column(state_of(Role))
    password: Mapped[str] = mapped_column(default="")
    second: Mapped[bytes] = mapped_column(default=b"")
    used_step: Mapped[int] = mapped_column(default=0)
    recovery: Mapped[tuple[str, ...]] = mapped_column(json_of(tuple[str, ...]), default=())
    active: Mapped[bool] = mapped_column(default=True)
    made: Mapped[datetime] = mapped_column(default=now)


class SignIn(Base):
    """A device on which somebody is signed in. sha256: of what its cookie holds. used: the last time, to the minute.
    device, address: as they were then."""

    __tablename__ = "sign_in"
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), index=True)
    sha256: Mapped[str] = mapped_column(String(64), unique=True)
    made: Mapped[datetime] = mapped_column(default=now)
    used: Mapped[datetime] = mapped_column(default=now)
    device: Mapped[str] = mapped_column(String(200), default="")
    address: Mapped[str] = mapped_column(String(60), default="")
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Passkey(Base):
    """A key pair in a device of somebody's, by which they sign in. credential: the name that the device gave it.
    public_key: as COSE (RFC 9052). count: of signatures, as far as the device counts."""

    __tablename__ = "passkey"
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), index=True)
    credential: Mapped[bytes] = mapped_column(unique=True)
    public_key: Mapped[bytes]
    count: Mapped[int] = mapped_column(default=0)
    name: Mapped[str] = mapped_column(String(60))
    made: Mapped[datetime] = mapped_column(default=now)
    used: Mapped[datetime | None]
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class Invitation(Base):
    """A link by which somebody sets a password, the first or another one. sha256: of its text."""

    __tablename__ = "invitation"
    id: Mapped[int] = mapped_column(primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id", ondelete="CASCADE"), index=True)
    sha256: Mapped[str] = mapped_column(String(64), unique=True)
    expires: Mapped[datetime]
    person: Mapped[Person] = relationship(lazy="joined", innerjoin=True)


class JournalEntry(Base):
    """One thing that was done. who: by name, as it was then; "" for the application itself. about: what it was done to,
    as in shoot 3. chain: digest of this entry and of the one before it, so that none can be changed or taken out
    unnoticed. Triggers refuse to change or delete rows."""

    __tablename__ = "journal"
    __table_args__ = (Index("ix_journal_shoot", "shoot_id", "id"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    made: Mapped[datetime] = mapped_column(default=now)
    who: Mapped[str] = mapped_column(String(60), default="")
    text: Mapped[str]
    about: Mapped[str] = mapped_column(String(60), default="")
    shoot_id: Mapped[int | None]
    photo_id: Mapped[int | None] = mapped_column(index=True)
    standard_id: Mapped[int | None] = mapped_column(index=True)
    run_id: Mapped[int | None] = mapped_column(index=True)
    chain: Mapped[str] = mapped_column(String(64))
