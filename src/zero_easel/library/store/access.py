"""The tables of other programs that may ask: their tokens, what they were answered, and where they are told of news."""

from datetime import datetime
from enum import StrEnum

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from zero_easel.library.store.columns import json_of, state_of
from zero_easel.library.store.models import Base, now


class Right(StrEnum):
    """What a token allows. READ: to look at everything but passwords; the others: to change something, see MEANING."""

    READ = "read"
    PHOTOS = "photos"
    STANDARDS = "standards"
    RUNS = "runs"
    HAND_OVER = "hand-over"


MEANING = {
    Right.READ: "look at everything",
    Right.PHOTOS: "make shoots, bring photos and tables in, match, correct and place",
    Right.STANDARDS: "make and change standards",
    Right.RUNS: "start runs, pause and stop them",
    Right.HAND_OVER: "set targets and webhooks, and hand over",
}


class AccessToken(Base):
    """What another program shows to be let in. sha256: of its text, which is kept nowhere. begins: its first
    characters, to know it by. used: the last time, to the minute."""

    __tablename__ = "access_token"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(80))
    sha256: Mapped[str] = mapped_column(String(64), unique=True)
    begins: Mapped[str] = mapped_column(String(12))
    scopes: Mapped[tuple[Right, ...]] = mapped_column(json_of(tuple[Right, ...]))
    created: Mapped[datetime] = mapped_column(default=now)
    expires: Mapped[datetime]
    revoked: Mapped[datetime | None]
    used: Mapped[datetime | None]


class Answered(Base):
    """The answer to a request that creates something, by the key that its sender gave it: sent again, it is answered
    the same and creates nothing. token_id: 0 on the command line. request: digest of what was asked. body:
    encrypted."""

    __tablename__ = "answered"
    __table_args__ = (UniqueConstraint("token_id", "key"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    token_id: Mapped[int]
    key: Mapped[str] = mapped_column(String(200))
    request: Mapped[str] = mapped_column(String(64))
    status: Mapped[int]
    headers: Mapped[dict[str, str]] = mapped_column(JSON)
    body: Mapped[bytes]
    made: Mapped[datetime] = mapped_column(default=now, index=True)


class Event(StrEnum):
    """What other programs may be told of."""

    RUN_ENDED = "run.ended"
    RUN_RESTS = "run.rests"
    TURNED_AWAY = "picture.turned_away"
    TEST = "test"


class Webhook(Base):
    """An address that is told of events. sealed: its secret, encrypted. active: it is told. trouble: why it was not
    reached, as a sentence, or ""."""

    __tablename__ = "webhook"
    id: Mapped[int] = mapped_column(primary_key=True)
    address: Mapped[str]
    events: Mapped[tuple[Event, ...]] = mapped_column(json_of(tuple[Event, ...]))
    sealed: Mapped[bytes]
    active: Mapped[bool] = mapped_column(default=True)
    trouble: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=now)


class MessageState(StrEnum):
    """Where a message to a webhook stands."""

    WAITING = "waiting"
    TOLD = "told"
    GIVEN_UP = "given up"


class Message(Base):
    """One event on its way to one address. name: that it keeps whatever happens, so that who hears it twice can tell.
    body: the very bytes that are signed, as text. due: not before. said: what came back, as a sentence."""

    __tablename__ = "message"
    __table_args__ = (Index("ix_message_state", "state", "due"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    webhook_id: Mapped[int] = mapped_column(ForeignKey("webhook.id", ondelete="CASCADE"), index=True)
    name: Mapped[str] = mapped_column(String(60))
    event: Mapped[str] = mapped_column(String(30))
    body: Mapped[str]
    state: Mapped[MessageState] = mapped_column(state_of(MessageState), default=MessageState.WAITING)
    tries: Mapped[int] = mapped_column(default=0)
    due: Mapped[datetime] = mapped_column(default=now)
    said: Mapped[str] = mapped_column(default="")
    made: Mapped[datetime] = mapped_column(default=now)
    webhook: Mapped[Webhook] = relationship()
