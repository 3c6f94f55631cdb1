"""What people correct on one photo: which product it shows, marks on its cutout, and its place on the canvas."""

from typing import Annotated, Any, Literal

from fastapi import APIRouter, BackgroundTasks, Response
from pydantic import BaseModel, Field
from sqlalchemy.orm import Session

from zero_easel.api.access import Bench, Reading, Writing, may
from zero_easel.api.problems import Refusal, problems
from zero_easel.api.told import ChangedPhoto, Float, Point, SeenPhoto, Sent
from zero_easel.api.versions import Seen, tagged
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.placing.placement import Adjustment
from zero_easel.library.changes.history import Where, undoable
from zero_easel.library.changes.matches import ensure_matched
from zero_easel.library.changes.placing import back_to_rule, place_by_hand
from zero_easel.library.changes.repairs import assign, back_to_automatic
from zero_easel.library.changes.touchups import draw
from zero_easel.library.changes.undo import redo, undo
from zero_easel.library.products import find_code
from zero_easel.library.store.access import Right
from zero_easel.library.store.models import PhotoRow, Shoot, Stage

router = APIRouter()
CHANGED = problems(409, 412, 428)


class MatchTold(BaseModel):
    """Which product a photo shows from which side, and how that is known. view: its own, or by its turn within the
    product. why: how code and view came about. doubt: why a person should make sure of it, or "". by_hand: a person
    said so. in_catalog: whether the catalog has the code."""

    code: str = Field(examples=["BY-1001"])
    view: str = Field(examples=["front"])
    why: str = Field(examples=["code in the file name"])
    doubt: str
    by_hand: bool
    card: bool
    in_catalog: bool


class MatchSaid(Sent):
    """What a photo shows. code: as in the catalog, "" for no product. view: "" leaves it to its turn."""

    code: Annotated[str, Field(max_length=100, examples=["BY-1001"])]
    view: Annotated[str, Field(max_length=100, examples=["front"])] = ""


class MarksTold(BaseModel):
    """A person's marks in force, in px of the upright photo. undo, redo: how many steps may be taken."""

    marks: list[Mark]
    undo: int
    redo: int


class MarksSent(Sent):
    """Marks that are drawn together, and undone together."""

    marks: list[Mark] = Field(
        min_length=1,
        max_length=200,
        examples=[[{"kind": "backdrop", "points": [[120.5, 80], [160, 84]], "radius": 12}]],
    )


class Placing(Sent):
    """Where a photo stands otherwise than the rules say. turn: degrees clockwise instead of the rule's, null leaves it
    to the rule. scale: factor on the rule's scale. right, down: shift in % of the canvas's shorter side. keep: middle
    of what a picture without cutout shows, px of the upright photo; zoom: how much closer. backdrop: "cleared" or
    "kept" instead of the rule's, or ""."""

    turn: Float | None = Field(default=None, ge=-360, le=360)
    scale: Float = Field(default=1.0, ge=0.02, le=50)
    right: Float = Field(default=0.0, ge=-400, le=400)
    down: Float = Field(default=0.0, ge=-400, le=400)
    keep: Point | None = None
    zoom: Float = Field(default=1.0, ge=1, le=50)
    backdrop: Literal["", "cleared", "kept"] = ""


def _match(session: Session, photo: PhotoRow) -> MatchTold:
    return MatchTold(
        code=photo.code,
        view=photo.shown_view,
        why=photo.why,
        doubt=photo.doubt,
        by_hand=photo.by_hand,
        card=photo.card,
        in_catalog=bool(photo.code) and find_code(session, photo.code) is not None,
    )


def _shoot(session: Session, photo: PhotoRow) -> Shoot:
    """A photo's shoot, matched."""
    shoot = session.get_one(Shoot, photo.shoot_id)
    ensure_matched(session, shoot)
    return shoot


@router.get("/photos/{photo_id}/match", tags=["matches"], dependencies=may(Right.READ))
def read_match(session: Reading, photo: SeenPhoto, response: Response) -> MatchTold:
    """What a photo shows."""
    _shoot(session, photo)
    match = _match(session, photo)
    tagged(response, match)
    return match


@router.put("/photos/{photo_id}/match", tags=["matches"], dependencies=may(Right.PHOTOS), responses=CHANGED)
def say_match(session: Writing, photo: ChangedPhoto, asked: MatchSaid, seen: Seen, response: Response) -> MatchTold:
    """Say what a photo shows. To say what it is matched with anyway confirms it. A code that the catalog has is taken
    in the catalog's spelling; another one is taken as it is."""
    shoot = _shoot(session, photo)
    seen.must_be(_match(session, photo))
    assign(session, shoot, [photo.id], find_code(session, asked.code) or asked.code, asked.view)
    match = _match(session, photo)
    tagged(response, match)
    return match


@router.delete("/photos/{photo_id}/match", tags=["matches"], dependencies=may(Right.PHOTOS), responses=CHANGED)
def match_by_itself(session: Writing, photo: ChangedPhoto, seen: Seen, response: Response) -> MatchTold:
    """Take back what was said by hand, and let the photo be matched by itself."""
    shoot = _shoot(session, photo)
    seen.must_be(_match(session, photo))
    back_to_automatic(session, shoot, [photo.id])
    match = _match(session, photo)
    tagged(response, match)
    return match


def _marks(session: Session, photo: PhotoRow) -> MarksTold:
    steps = undoable(session, Where(Stage.TOUCH_UP, photo.id))
    return MarksTold(marks=list(photo.marks), undo=steps.undos, redo=steps.redos)


def _clearable(photo: PhotoRow) -> None:
    if photo.error:
        raise Refusal(409, f"{photo.name} gives no picture that could be corrected.")


@router.get("/photos/{photo_id}/marks", tags=["marks"], dependencies=may(Right.READ))
def read_marks(session: Reading, photo: SeenPhoto, response: Response) -> MarksTold:
    """The marks that correct a cutout."""
    marks = _marks(session, photo)
    tagged(response, marks)
    return marks


@router.post("/photos/{photo_id}/marks", tags=["marks"], dependencies=may(Right.PHOTOS), responses=CHANGED)
def add_marks(
    session: Writing,
    bench: Bench,
    photo: ChangedPhoto,
    asked: MarksSent,
    seen: Seen,
    response: Response,
    after: BackgroundTasks,
) -> MarksTold:
    """Draw marks; the photo is cut out again by them."""
    _clearable(photo)
    seen.must_be(_marks(session, photo))
    draw(session, photo, asked.marks)
    after.add_task(bench.dispatcher.wake)
    marks = _marks(session, photo)
    tagged(response, marks)
    return marks


@router.post("/photos/{photo_id}/marks/{step}", tags=["marks"], dependencies=may(Right.PHOTOS), responses=CHANGED)
def step_marks(
    session: Writing,
    bench: Bench,
    photo: ChangedPhoto,
    step: Literal["undo", "redo"],
    seen: Seen,
    response: Response,
    after: BackgroundTasks,
) -> MarksTold:
    """Take the last marks back, or draw those again that were taken back."""
    seen.must_be(_marks(session, photo))
    done = (undo if step == "undo" else redo)(session, Where(Stage.TOUCH_UP, photo.id))
    if done is None:
        raise Refusal(409, f"There is nothing to {step}.")
    after.add_task(bench.dispatcher.wake)
    marks = _marks(session, photo)
    tagged(response, marks)
    return marks


def _placing(adjustment: Adjustment) -> Placing:
    fields: dict[str, Any] = {key: getattr(adjustment, key) for key in Placing.model_fields}
    # Not checked again: what pages allowed is told as it is.
    return Placing.model_construct(**fields)


@router.get("/photos/{photo_id}/placing", tags=["placing"], dependencies=may(Right.READ))
def read_placing(photo: SeenPhoto, response: Response) -> Placing:
    """Where a photo stands otherwise than the rules say."""
    placing = _placing(photo.adjustment)
    tagged(response, placing)
    return placing


@router.put("/photos/{photo_id}/placing", tags=["placing"], dependencies=may(Right.PHOTOS), responses=CHANGED)
def place(
    session: Writing,
    bench: Bench,
    photo: ChangedPhoto,
    asked: Placing,
    seen: Seen,
    response: Response,
    after: BackgroundTasks,
) -> Placing:
    """Place a photo by hand; all fields at once."""
    seen.must_be(_placing(photo.adjustment))
    place_by_hand(session, session.get_one(Shoot, photo.shoot_id), [photo.id], asked.model_dump())
    after.add_task(bench.dispatcher.wake)
    placing = _placing(photo.adjustment)
    tagged(response, placing)
    return placing


@router.delete("/photos/{photo_id}/placing", tags=["placing"], dependencies=may(Right.PHOTOS), responses=CHANGED)
def place_by_rule(
    session: Writing, bench: Bench, photo: ChangedPhoto, seen: Seen, response: Response, after: BackgroundTasks
) -> Placing:
    """Let a photo stand as the rules say."""
    seen.must_be(_placing(photo.adjustment))
    back_to_rule(session, session.get_one(Shoot, photo.shoot_id), [photo.id])
    after.add_task(bench.dispatcher.wake)
    placing = _placing(photo.adjustment)
    tagged(response, placing)
    return placing
