"""The tables of approval: links by which somebody without an account says yes or no, and what they said."""

from datetime import datetime
from enum import StrEnum

from sqlalchemy import ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from zero_easel.library.store.columns import state_of
from zero_easel.library.store.models import Base, Shoot, now


class Flaw(StrEnum):
    """What is wrong with a picture, and so the stage at which it is mended."""

    OUTLINE = "clear"
    COLOUR = "light"
    PLACE = "place"
    PRODUCT = "match"
    OTHER = "deliver"


FLAWS = {
    Flaw.OUTLINE: "its outline",
    Flaw.COLOUR: "its light or colour",
    Flaw.PLACE: "its place or size",
    Flaw.PRODUCT: "it shows something else",
    Flaw.OTHER: "something else",
}


class ApprovalLink(Base):
    """A link to the pictures of a shoot's newest run, or of one run. sha256: of its text. password: its Argon2id hash,
    or "". originals: photos may be looked at, too."""

    __tablename__ = "approval_link"
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int] = mapped_column(ForeignKey("shoot.id", ondelete="CASCADE"), index=True)
    run_id: Mapped[int | None] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    name: Mapped[str] = mapped_column(String(80))
    sha256: Mapped[str] = mapped_column(String(64), unique=True)
    password: Mapped[str] = mapped_column(default="")
    originals: Mapped[bool] = mapped_column(default=False)
    made: Mapped[datetime] = mapped_column(default=now)
    expires: Mapped[datetime]
    revoked: Mapped[datetime | None]
    shoot: Mapped[Shoot] = relationship(lazy="joined", innerjoin=True)


class ApprovalAnswer(Base):
    """What was said of a picture, for good of this very file: sha256 is its digest. x, y: of a dot that was placed on
    it, in shares of its width and height."""

    __tablename__ = "approval_answer"
    __table_args__ = (
        UniqueConstraint("link_id", "photo_id", "sha256"),
        Index("ix_approval_answer_photo", "photo_id", "sha256"),
    )
    id: Mapped[int] = mapped_column(primary_key=True)
    link_id: Mapped[int] = mapped_column(ForeignKey("approval_link.id", ondelete="CASCADE"))
    photo_id: Mapped[int] = mapped_column(ForeignKey("photo.id", ondelete="CASCADE"))
    sha256: Mapped[str] = mapped_column(String(64))
    yes: Mapped[bool]
    flaw: Mapped[Flaw] = mapped_column(state_of(Flaw), default=Flaw.OTHER)
    words: Mapped[str] = mapped_column(default="")
    x: Mapped[float | None]
    y: Mapped[float | None]
    made: Mapped[datetime] = mapped_column(default=now)
    link: Mapped[ApprovalLink] = relationship(lazy="joined", innerjoin=True)
