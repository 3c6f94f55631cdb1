"""The tables."""

import json
from collections.abc import Mapping
from datetime import UTC, datetime
from enum import StrEnum
from functools import lru_cache
from typing import Any, NamedTuple

from pydantic import BaseModel, ConfigDict
from sqlalchemy import JSON, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column, relationship

from zero_easel.core.catalog.products import Shot
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.finishing.checking import Checked
from zero_easel.core.items.flag import Flag
from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Box, Map
from zero_easel.core.photos.reading import Look
from zero_easel.core.placing.placement import Adjustment
from zero_easel.core.placing.pose import Dimensions
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.patterns import MOMENTS, Value
from zero_easel.core.tone.balance import Colour
from zero_easel.core.tone.target import Patches
from zero_easel.library.store.columns import Typed, json_of, state_of


class Clearing(StrEnum):
    """Where a photo's cutout stands; NONE for a file that gives no picture, and for a code card."""

    NONE = ""
    WAITING = "waiting"
    DONE = "done"
    FAILED = "failed"


class RunState(StrEnum):
    """Where a run stands."""

    RUNNING = "running"
    PAUSED = "paused"
    STOPPED = "stopped"
    INTERRUPTED = "interrupted"
    DONE = "done"


class PictureState(StrEnum):
    """Where one output of a run stands."""

    WAITING = "waiting"
    WORKING = "working"
    DONE = "done"
    FAILED = "failed"
    LEFT_OUT = "left out"


class Stage(StrEnum):
    """Where a person changed something; each has an undo of its own."""

    MATCH = "match"
    PLACE = "place"
    STANDARD = "standard"
    TOUCH_UP = "touch-up"


class MatchState(NamedTuple):
    """What a person sets on a photo; everything else about its match follows by itself."""

    code: str
    view: str
    by_hand: bool
    not_card: bool
    left_out: bool
    chosen: bool = False


class State(BaseModel):
    """What a change sets, on one side of it: photos' matches and adjustments by photo id, a shoot's shot list, rules by
    dotted field (None where there is none), marks that were drawn, whether a shoot may have code cards and bursts, and
    which of raw file and picture counts."""

    model_config = ConfigDict(frozen=True, extra="forbid")
    photos: dict[int, MatchState] = {}
    adjustments: dict[int, dict[str, Any]] = {}
    shots: tuple[Shot, ...] | None = None
    rules: dict[str, Any] = {}
    marks: tuple[Mark, ...] = ()
    cards: bool | None = None
    raw_counts: bool | None = None
    bursts: bool | None = None


class PictureSubject(NamedTuple):
    """All that the place of a picture depends on besides the rules: as it was when its run began. cutout: its key."""

    category: str = ""
    view: str = ""
    size: Dimensions = Dimensions()
    adjustment: Mapping[str, Any] = {}
    cutout: str = ""
    listed: str = ""


_ADJUSTMENT = Typed(
    lru_cache(2_000)(lambda text: Adjustment.of(json.loads(text))), lambda value: json.dumps(value.changed())
)


def _load_fields(text: str) -> dict[str, Value]:
    """Fields of the catalog; a moment is text in JSON."""
    found = json.loads(text or "{}")
    return {key: datetime.fromisoformat(value) if key in MOMENTS else value for key, value in found.items()}


def _dump_fields(fields: Mapping[str, Value]) -> str:
    plain = {key: value.isoformat() if isinstance(value, datetime) else value for key, value in fields.items()}
    return json.dumps(plain)


_FIELDS = Typed(_load_fields, _dump_fields)
_MEASURES = Typed(
    lru_cache(20_000)(lambda text: Measures.unpacked(text) if text else None), lambda value: value.packed()
)


def now() -> datetime:
    """The present in UTC, without zone, as the tables keep it."""
    return datetime.now(UTC).replace(tzinfo=None)


class Base(DeclarativeBase):
    """Parent of all tables."""


class StandardRow(Base):
    """A shop's standard. frozen: a run used this version, or a person named it, so a change opens the next. parent_id:
    the standard that it was derived from for one shoot."""

    __tablename__ = "standard"
    id: Mapped[int] = mapped_column(primary_key=True)
    version: Mapped[int] = mapped_column(default=1)
    frozen: Mapped[bool] = mapped_column(default=False)
    rules: Mapped[Standard] = mapped_column(json_of(Standard))
    updated: Mapped[datetime] = mapped_column(default=now)
    parent_id: Mapped[int | None] = mapped_column(ForeignKey("standard.id", ondelete="SET NULL"))


class StandardVersion(Base):
    """A version of a standard as it was when a run used it, or when a person named it. label: its name, or ""."""

    __tablename__ = "standard_version"
    __table_args__ = (UniqueConstraint("standard_id", "number"),)
    id: Mapped[int] = mapped_column(primary_key=True)
    standard_id: Mapped[int] = mapped_column(ForeignKey("standard.id", ondelete="CASCADE"), index=True)
    number: Mapped[int]
    label: Mapped[str] = mapped_column(String(120), default="")
    rules: Mapped[Standard] = mapped_column(json_of(Standard))
    made: Mapped[datetime] = mapped_column(default=now)


class Remembered(Base):
    """Something the application keeps in mind under a name, as JSON: how a catalog's columns were mapped."""

    __tablename__ = "remembered"
    key: Mapped[str] = mapped_column(String(60), primary_key=True)
    value: Mapped[Any] = mapped_column(JSON)


class Changed(Base):
    """How often a table has changed, counted by triggers; see library.lists.kept."""

    __tablename__ = "changed"
    name: Mapped[str] = mapped_column(String(20), primary_key=True)
    changes: Mapped[int | None]


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
    extra: Mapped[Mapping[str, str]] = mapped_column(json_of(dict[str, str]), default=dict)


class Original(Base):
    """Facts of a file in the vault. error: why it gives no picture, or "". read: whether codes, card_like, blur,
    look, target, grey, paper and clipped are known (core.photos.reading.Reading)."""

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
    codes: Mapped[tuple[str, ...]] = mapped_column(json_of(tuple[str, ...]), default=())
    card_like: Mapped[bool] = mapped_column(default=False)
    blur: Mapped[float | None]
    look: Mapped[Look] = mapped_column(default=b"")
    target: Mapped[Patches | None] = mapped_column(json_of(Patches | None))
    grey: Mapped[Colour | None] = mapped_column(json_of(Colour | None))
    paper: Mapped[float | None]
    clipped: Mapped[float | None]


class CutoutRow(Base):
    """A stored cutout. key: digest of all that it depends on. Box and bounds in px of the upright photo. measures: of
    its item, None without one. weight: of its preview (core.encode.weight_of), 0 if not
    known."""

    __tablename__ = "cutout"
    key: Mapped[str] = mapped_column(String(64), primary_key=True)
    confidence: Mapped[float]
    flags: Mapped[tuple[Flag, ...]] = mapped_column(json_of(tuple[Flag, ...]))
    left: Mapped[int]
    top: Mapped[int]
    width: Mapped[int]
    height: Mapped[int]
    bounds: Mapped[Box | None] = mapped_column(json_of(Box | None))
    measures: Mapped[Measures | None] = mapped_column(_MEASURES)
    weight: Mapped[int] = mapped_column(default=0)
    seconds: Mapped[float]


class Shoot(Base):
    """A batch of photos that belong together. stale: something came in since its photos were matched. cards: whether
    there may be code cards among them. run_asked: a run is to start as soon as they have been looked for. whole: its
    pictures are whole ones, which one page does. raw_counts: of a raw file and the picture beside it the former is the
    photo. bursts: of photos taken within seconds and nearly alike the best is taken. stop_at_failure: its runs rest as
    soon as a picture fails."""

    __tablename__ = "shoot"
    id: Mapped[int] = mapped_column(primary_key=True)
    name: Mapped[str] = mapped_column(String(200))
    created: Mapped[datetime] = mapped_column(default=now)
    standard_id: Mapped[int] = mapped_column(ForeignKey("standard.id"))
    standard: Mapped[StandardRow] = relationship(lazy="joined", innerjoin=True)
    stale: Mapped[bool] = mapped_column(default=False)
    cards: Mapped[bool] = mapped_column(default=True)
    run_asked: Mapped[bool] = mapped_column(default=False)
    whole: Mapped[bool] = mapped_column(default=False)
    raw_counts: Mapped[bool] = mapped_column(default=True)
    bursts: Mapped[bool] = mapped_column(default=True)
    stop_at_failure: Mapped[bool] = mapped_column(default=False)


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
    """A photo of a shoot.

    folder: where it lay among what was brought in. turn: the view by its turn within the product, where it has none of
    its own. why: how code and view came about. doubt: why a person should make sure of it. by_hand: a person set it,
    nothing automatic changes it. card: a code card, never a picture; not_card: a person said that it is none. left_out:
    stays out of runs; listed: False if the shoot has a shot list that does not name it, or another photo counts in its
    stead. behind: id of the photo of the same burst that does; chosen: a person wants this one of its burst. accepted:
    a person has seen the cutout. empty: shows the bare backdrop and helps to clear the others. marks: those in force.
    adjustment: where a person placed it otherwise than the rule.
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
    behind: Mapped[int | None]
    chosen: Mapped[bool] = mapped_column(default=False)
    clearing: Mapped[Clearing] = mapped_column(state_of(Clearing), default=Clearing.NONE, index=True)
    problem: Mapped[str] = mapped_column(default="")
    cutout_key: Mapped[str | None] = mapped_column(ForeignKey("cutout.key"))
    accepted: Mapped[bool] = mapped_column(default=False)
    empty: Mapped[bool] = mapped_column(default=False)
    marks: Mapped[tuple[Mark, ...]] = mapped_column(json_of(tuple[Mark, ...]), default=())
    adjustment: Mapped[Adjustment] = mapped_column(_ADJUSTMENT, default=Adjustment())
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
    """One change that a person made, to be undone and done again; written by library.history alone. It belongs to the
    shoot, standard or photo that it was made on, or to two of them. text: what was done, in words. undone: it was
    undone and may be done again."""

    __tablename__ = "change"
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int | None] = mapped_column(ForeignKey("shoot.id", ondelete="CASCADE"), index=True)
    standard_id: Mapped[int | None] = mapped_column(ForeignKey("standard.id", ondelete="CASCADE"), index=True)
    photo_id: Mapped[int | None] = mapped_column(ForeignKey("photo.id", ondelete="CASCADE"), index=True)
    stage: Mapped[Stage] = mapped_column(state_of(Stage))
    text: Mapped[str]
    before: Mapped[State] = mapped_column(json_of(State))
    after: Mapped[State] = mapped_column(json_of(State))
    undone: Mapped[bool] = mapped_column(default=False)
    made: Mapped[datetime] = mapped_column(default=now)


class Run(Base):
    """One execution of a version of a standard over a shoot. trial: over a few photos only, until the run starts.
    urgent: goes before those that are not. stop_at_failure: rests as soon as a picture fails. handed: what is handed
    over by itself at its end was seen to."""

    __tablename__ = "run"
    id: Mapped[int] = mapped_column(primary_key=True)
    shoot_id: Mapped[int] = mapped_column(ForeignKey("shoot.id"), index=True)
    standard_id: Mapped[int | None] = mapped_column(ForeignKey("standard.id"))
    standard_version: Mapped[int]
    rules: Mapped[Standard] = mapped_column(json_of(Standard))
    state: Mapped[RunState] = mapped_column(state_of(RunState), default=RunState.RUNNING, index=True)
    note: Mapped[str] = mapped_column(default="")
    created: Mapped[datetime] = mapped_column(default=now)
    ended: Mapped[datetime | None]
    # When the present stretch began: the pace must not count pauses.
    resumed: Mapped[datetime] = mapped_column(default=now)
    trial: Mapped[bool] = mapped_column(default=False)
    urgent: Mapped[bool] = mapped_column(default=False)
    handed: Mapped[bool] = mapped_column(default=False)
    stop_at_failure: Mapped[bool] = mapped_column(default=False)
    shoot: Mapped[Shoot] = relationship()

    @property
    def name(self) -> str:
        """What it is called."""
        return "The trial" if self.trial else f"Run {self.id}"


class PictureRow(Base):
    """One output of a run. fields: of the catalog, that its information and overlays ask for. key: digest of all that
    the file depends on. reused: an earlier run had made the very same file. quality: that it was encoded with. checks:
    how it met those of the standard. matrix: from px of the upright photo to px of the picture, None before it is
    made. made: when this run made it, or failed to. unmet: how many checks it does not meet."""

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
    state: Mapped[PictureState] = mapped_column(state_of(PictureState), default=PictureState.WAITING)
    width: Mapped[int] = mapped_column(default=0)
    height: Mapped[int] = mapped_column(default=0)
    bytes: Mapped[int] = mapped_column(default=0)
    sha256: Mapped[str] = mapped_column(default="")
    note: Mapped[str] = mapped_column(default="")
    message: Mapped[str] = mapped_column(default="")
    subject: Mapped[PictureSubject] = mapped_column(json_of(PictureSubject), default=PictureSubject())
    fields: Mapped[Mapping[str, Value]] = mapped_column(_FIELDS, default=dict)
    key: Mapped[str] = mapped_column(String(64), default="")
    reused: Mapped[bool] = mapped_column(default=False)
    quality: Mapped[int] = mapped_column(default=0)
    checks: Mapped[tuple[Checked, ...]] = mapped_column(json_of(tuple[Checked, ...]), default=())
    matrix: Mapped[Map | None] = mapped_column(json_of(Map | None))
    made: Mapped[datetime | None]
    unmet: Mapped[int] = mapped_column(default=0)
    run: Mapped[Run] = relationship()
    photo: Mapped[PhotoRow] = relationship()

    @property
    def failures(self) -> list[Checked]:
        """The checks that it does not meet."""
        return [checked for checked in self.checks if not checked.ok]
