"""The tables."""

from datetime import UTC, datetime
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from zero_easel.core.finishing.checking import Checked


def now() -> datetime:
    """The present in UTC, without zone, as the tables keep it."""
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    """Parent of all tables."""


class StandardRow(Base):
    """A shop's standard. rules: the core model as JSON. frozen: a run used this version, or a person named it, so a
    change opens the next."""

    __tablename__ = "standard"
    id: Mapped[int] = mapped_column(primary_key=True)
    version: Mapped[int] = mapped_column(default=1)
    frozen: Mapped[bool] = mapped_column(default=False)
    rules: Mapped[dict[str, Any]] = mapped_column(JSON)
    updated: Mapped[datetime] = mapped_column(default=now)


class StandardVersion(Base):
    """A version of a standard as it was when a run used it, or when a person named it. label: its name, or ""."""

    __tablename__ = "standard_version"
    __table_args__ = (UniqueConstraint("standard_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    standard_id: Mapped[int] = mapped_column(ForeignKey("standard.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    label: Mapped[str] = mapped_column(String(120), default="")
    rules: Mapped[dict[str, Any]] = mapped_column(JSON)
    made: Mapped[datetime] = mapped_column(default=now)


class Remembered(Base):
    """Something the application keeps in mind under a name, as JSON: how a catalog's columns were mapped."""

    __tablename__ = "remembered"
    key: Mapped[str] = mapped_column(String(60), primary_key=True)
    value: Mapped[Any] = mapped_column(JSON)


class ProductRow(Base):
    """One row of the catalog, sizes in mm. extra: its free columns."""

    __tablename__ = "product"
    id: Mapped[int] = mapped_column(primary_key=True)
    code: Mapped[str] = mapped_column(String(200), unique=True)
    name: Mapped[str] = mapped_column(default="")
    category: Mapped[str] = mapped_column(default="")
    ean: Mapped[str] = mapped_column(default="", index=True)
    width_mm: Mapped[float | None]
    height_mm: Mapped[float | None]
    depth_mm: Mapped[float | None]
    colour: Mapped[str] = mapped_column(default="")
    extra: Mapped[dict[str, str]] = mapped_column(JSON, default=dict)


class Original(Base):
    """Facts of a file in the vault. error: why it gives no picture, or "". read: whether codes, card_like and blur are
    known (core.reading.Reading)."""

    __tablename__ = "original"
    digest: Mapped[str] = mapped_column(String(64), primary_key=True)
    bytes: Mapped[int]
    format: Mapped[str] = mapped_column(default="")
    width: Mapped[int] = mapped_column(default=0)
    height: Mapped[int] = mapped_column(default=0)
    bits: Mapped[int] = mapped_column(default=0)
    orientation: Mapped[int] = mapped_column(default=1)
    profile: Mapped[str] = mapped_column(default="")
    density: Mapped[float] = mapped_column(default=0.0)
    taken: Mapped[datetime | None]
    error: Mapped[str] = mapped_column(default="")
    read: Mapped[bool] = mapped_column(default=False, index=True)
    codes: Mapped[list[str]] = mapped_column(JSON, default=list)
    card_like: Mapped[bool] = mapped_column(default=False)
    blur: Mapped[float | None]


class CutoutRow(Base):
    """A stored cutout. key: digest of all that it depends on. Box and bounds in px of the upright photo. measures: of
    its item, as core.measure.Measures packs them, or "". weight: of its preview (core.encode.weight_of), 0 if not
    known."""

    __tablename__ = "cutout"
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    confidence: Mapped[float]
    flags: Mapped[list[Any]] = mapped_column(JSON)
    left: Mapped[int]
    top: Mapped[int]
    width: Mapped[int]
    height: Mapped[int]
    bounds: Mapped[list[float] | None] = mapped_column(JSON)
    measures: Mapped[str] = mapped_column(default="")
    weight: Mapped[int] = mapped_column(default=0)
    seconds: Mapped[float]


class Shoot(Base):
    """A batch of photos that belong together. stale: something came in since its photos were matched."""

    __tablename__ = "shoot"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    created: Mapped[datetime] = mapped_column(default=now)
    standard_id: Mapped[int] = mapped_column(ForeignKey("standard.id"))
    standard: Mapped[StandardRow] = relationship()
    stale: Mapped[bool] = mapped_column(default=False)


class ShotRow(Base):
    """One row of a shoot's shot list; it waits here for photos that come in later."""

    __tablename__ = "shot"
    __table_args__ = (UniqueConstraint("shoot_id", "filename"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int] = mapped_column(ForeignKey("shoot.id", ondelete="CASCADE"))
    filename: Mapped[str]
    code: Mapped[str]
    view: Mapped[str] = mapped_column(default="")


class PhotoRow(Base):
    """A photo of a shoot. clearing: waiting, done, failed, or "" for a file that gives no picture.

    folder: where it lay among what was brought in. turn: the view by its turn within the product, where it has none of
    its own. why: how code and view came about. doubt: why a person should make
    sure of it. by_hand: a person said so, nothing automatic changes it. card: a code card, never a picture; not_card: a
    person said that it is none. left_out: stays out of runs; listed: False if the shoot has a shot list that does not
    name it. accepted: a person has seen the cutout.
    empty: shows the bare backdrop and helps to clear the others. marks: all gestures that corrected the cutout, as JSON
    of core.marks.Mark; the first marks_at of them are in force, the rest were undone. hand: where a person placed it
    otherwise than the rule, as JSON of core.laid.ByHand.
    """

    __tablename__ = "photo"
    __table_args__ = (Index("ix_photo_shoot_name", "shoot_id", "name"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int] = mapped_column(ForeignKey("shoot.id", ondelete="CASCADE"))
    digest: Mapped[str] = mapped_column(ForeignKey("original.digest"), index=True)
    name: Mapped[str]
    folder: Mapped[str] = mapped_column(default="")
    added: Mapped[datetime] = mapped_column(default=now)
    code: Mapped[str] = mapped_column(default="", index=True)
    view: Mapped[str] = mapped_column(default="")
    turn: Mapped[str] = mapped_column(default="")
    why: Mapped[str] = mapped_column(default="")
    doubt: Mapped[str] = mapped_column(default="")
    card: Mapped[bool] = mapped_column(default=False)
    not_card: Mapped[bool] = mapped_column(default=False)
    by_hand: Mapped[bool] = mapped_column(default=False)
    listed: Mapped[bool] = mapped_column(default=True)
    left_out: Mapped[bool] = mapped_column(default=False)
    clearing: Mapped[str] = mapped_column(String(10), default="", index=True)
    problem: Mapped[str] = mapped_column(default="")
    cutout_key: Mapped[str | None] = mapped_column(ForeignKey("cutout.key"))
    accepted: Mapped[bool] = mapped_column(default=False)
    empty: Mapped[bool] = mapped_column(default=False)
    marks: Mapped[list[Any]] = mapped_column(JSON, default=list)
    marks_at: Mapped[int] = mapped_column(default=0)
    hand: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    original: Mapped[Original] = relationship(lazy="joined")

    @property
    def error(self) -> str:
        """Why the file gives no picture, or ""."""
        return self.original.error

    @property
    def shown_view(self) -> str:
        """Which side it shows, as far as is known."""
        return self.view or self.turn

    cutout: Mapped[CutoutRow | None] = relationship(lazy="joined")


class Change(Base):
    """One step of matching or placing a shoot, to be taken back: before and after hold what photos (by id), the shot
    list or the placing by hand were set to. stage: "match" or "place", each with steps of its own. said: what was
    done, in words. undone: it was taken back and may be done again."""

    __tablename__ = "change"
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int] = mapped_column(ForeignKey("shoot.id", ondelete="CASCADE"), index=True)
    stage: Mapped[str] = mapped_column(String(10), default="match")
    said: Mapped[str]
    before: Mapped[dict[str, Any]] = mapped_column(JSON)
    after: Mapped[dict[str, Any]] = mapped_column(JSON)
    undone: Mapped[bool] = mapped_column(default=False)
    made: Mapped[datetime] = mapped_column(default=now)


class Run(Base):
    """One execution of a version of a standard over a shoot. state: running, paused, stopped, interrupted, done."""

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int] = mapped_column(ForeignKey("shoot.id"), index=True)
    standard_id: Mapped[int | None] = mapped_column(ForeignKey("standard.id"))
    standard_version: Mapped[int]
    rules: Mapped[dict[str, Any]] = mapped_column(JSON)
    state: Mapped[str] = mapped_column(String(12), default="running", index=True)
    note: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=now)
    ended: Mapped[datetime | None]
    # When the present stretch began and what was done by then: the pace must not count pauses.
    resumed: Mapped[datetime] = mapped_column(default=now)
    done_before: Mapped[int] = mapped_column(default=0)
    shoot: Mapped[Shoot] = relationship()


class PictureRow(Base):
    """One output of a run. state: waiting, working, done, failed, left out. subject: all that its place depends on
    besides its cutout and the rules, as it was when the run began: category, view, listed size, placing by hand.
    told: fields of the catalog that its information and overlays ask for. key: digest of all that the file depends on.
    reused: an earlier run had made the very same file. quality: that it was encoded with. checks: how it met the checks
    of the standard, as core.checking.Checked. way: from px of the upright photo to px of the picture, as CSS's
    matrix()."""

    __tablename__ = "picture"
    __table_args__ = (Index("ix_picture_run_state", "run_id", "state"), Index("ix_picture_key", "key"))
    id: Mapped[int] = mapped_column(primary_key=True)
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id", ondelete="CASCADE"))
    photo_id: Mapped[int] = mapped_column(ForeignKey("photo.id"))
    original: Mapped[str]
    code: Mapped[str] = mapped_column(default="")
    view: Mapped[str] = mapped_column(default="")
    deliverable: Mapped[str] = mapped_column(String(40), default="")
    output: Mapped[str] = mapped_column(default="")
    state: Mapped[str] = mapped_column(String(10), default="waiting")
    width: Mapped[int] = mapped_column(default=0)
    height: Mapped[int] = mapped_column(default=0)
    bytes: Mapped[int] = mapped_column(default=0)
    sha256: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    message: Mapped[str] = mapped_column(default="")
    subject: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    told: Mapped[dict[str, Any]] = mapped_column(JSON, default=dict)
    key: Mapped[str] = mapped_column(String(64), default="")
    reused: Mapped[bool] = mapped_column(default=False)
    quality: Mapped[int] = mapped_column(default=0)
    checks: Mapped[list[Any]] = mapped_column(JSON, default=list)
    way: Mapped[list[float]] = mapped_column(JSON, default=list)
    run: Mapped[Run] = relationship()
    photo: Mapped[PhotoRow] = relationship()

    @property
    def failures(self) -> list[Checked]:
        """The checks that it does not meet."""
        return [checked for row in self.checks if not (checked := Checked(*row)).ok]
