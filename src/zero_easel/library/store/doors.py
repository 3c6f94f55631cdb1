"""The tables of what comes in and goes out by itself: watched folders, and places to hand over to."""

from datetime import datetime
from enum import StrEnum

from sqlalchemy import BigInteger, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from zero_easel.library.store.columns import json_of, state_of
from zero_easel.library.store.models import Base, PictureRow, now


class WatchedFolder(Base):
    """A folder whose files come into a shoot by themselves. moves: they then go into done/ or refused/ within it.
    finishes: a run is started as soon as nothing of the shoot is under way. active: it is watched. trouble: why nothing
    comes in or nothing is finished at the moment, as a sentence, or ""."""

    __tablename__ = "watched_folder"
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int] = mapped_column(ForeignKey("shoot.id", ondelete="CASCADE"), unique=True)
    path: Mapped[str]
    moves: Mapped[bool] = mapped_column(default=False)
    finishes: Mapped[bool] = mapped_column(default=False)
    active: Mapped[bool] = mapped_column(default=True)
    trouble: Mapped[str] = mapped_column(default="")


class Arrival(Base):
    """A file of a watched folder that was taken or refused. path: within the folder, with slashes. bytes, modified: of
    the file when it was, modified in ns since 1970: another file of that name is another arrival. digest: of its
    content. said: a sentence or "". look: digest of a table that waits to be looked at."""

    __tablename__ = "arrival"
    __table_args__ = (UniqueConstraint("folder_id", "path"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    folder_id: Mapped[int] = mapped_column(ForeignKey("watched_folder.id", ondelete="CASCADE"))
    path: Mapped[str]
    bytes: Mapped[int]
    modified: Mapped[int] = mapped_column(BigInteger)
    digest: Mapped[str] = mapped_column(String(64), default="")
    ok: Mapped[bool]
    said: Mapped[str] = mapped_column(default="")
    look: Mapped[str] = mapped_column(default="")
    came: Mapped[datetime] = mapped_column(default=now)


class TargetKind(StrEnum):
    """Where finished pictures may be handed over."""

    FOLDER = "folder"
    SFTP = "sftp"
    S3 = "s3"
    WEBDAV = "webdav"
    SHOP = "shop"


class SendingState(StrEnum):
    """Where one picture stands on its way. SENT: it lies there, and nobody says more of it."""

    WAITING = "waiting"
    SENT = "sent"
    ACCEPTED = "accepted"
    REJECTED = "rejected"
    GIVEN_UP = "given up"


class HandOverTarget(Base):
    """A place to which finished pictures are handed over, of one shoot, or of all shoots of a standard. address,
    endpoint, user: see doors.out.targets. deliverables: names of those that go there, none for all. checked: only
    pictures that meet all their checks. path: pattern of the paths that they get there. by_itself: as soon as a run is
    through. approved: only pictures of photos to which somebody said yes. sealed: its password or key, encrypted.
    known: fingerprint of its host's key. trouble: why nothing gets there at the moment, as a sentence, or ""."""

    __tablename__ = "target"
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int | None] = mapped_column(ForeignKey("shoot.id", ondelete="CASCADE"), index=True)
    standard_id: Mapped[int | None] = mapped_column(ForeignKey("standard.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(80))
    kind: Mapped[TargetKind] = mapped_column(state_of(TargetKind))
    address: Mapped[str]
    endpoint: Mapped[str] = mapped_column(default="")
    user: Mapped[str] = mapped_column(default="")
    deliverables: Mapped[tuple[str, ...]] = mapped_column(json_of(tuple[str, ...]), default=())
    checked: Mapped[bool] = mapped_column(default=False)
    path: Mapped[str] = mapped_column(default="{folder}/{name}")
    by_itself: Mapped[bool] = mapped_column(default=False)
    approved: Mapped[bool] = mapped_column(default=False)
    sealed: Mapped[bytes] = mapped_column(default=b"")
    known: Mapped[str] = mapped_column(default="")
    trouble: Mapped[str] = mapped_column(default="")


class Sending(Base):
    """What lies, or is to lie, under one path of a target. sha256: of the file. tries: how often it was begun. due: not
    before. said: the shop's own words, or why it did not get there, as sentences. rules: checks that would have caught
    what a shop rejected, as it told them: (rule, value)."""

    __tablename__ = "sending"
    __table_args__ = (UniqueConstraint("target_id", "path"), Index("ix_sending_state", "state", "due"))
    id: Mapped[int] = mapped_column(primary_key=True)
    target_id: Mapped[int] = mapped_column(ForeignKey("target.id", ondelete="CASCADE"))
    picture_id: Mapped[int] = mapped_column(ForeignKey("picture.id", ondelete="CASCADE"), index=True)
    path: Mapped[str]
    sha256: Mapped[str]
    state: Mapped[SendingState] = mapped_column(state_of(SendingState), default=SendingState.WAITING)
    tries: Mapped[int] = mapped_column(default=0)
    due: Mapped[datetime] = mapped_column(default=now)
    said: Mapped[str] = mapped_column(default="")
    rules: Mapped[tuple[tuple[str, str], ...]] = mapped_column(json_of(tuple[tuple[str, str], ...]), default=())
    changed: Mapped[datetime] = mapped_column(default=now)
    target: Mapped[HandOverTarget] = relationship()
    picture: Mapped[PictureRow] = relationship()
