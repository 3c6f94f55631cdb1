"""Targets: where the pictures of a shoot are handed over, and each picture's way there."""

from typing import Annotated, Any

from fastapi import APIRouter, BackgroundTasks, Depends, Response
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.api import PREFIX
from zero_easel.api.access import Bench, Reading, Writing, may
from zero_easel.api.once import Creating, made
from zero_easel.api.pages import Listing, PartAsked
from zero_easel.api.problems import Refusal, found, problems
from zero_easel.api.told import ChangedShoot, Moment, Number, Other, SeenShoot, Sent, YesOrNo
from zero_easel.api.versions import Seen, tagged
from zero_easel.doors.out.targets import (
    TargetError,
    Wanted,
    Way,
    add_target,
    change_target,
    hand_over,
    remove_target,
    targets_of,
    try_again,
    ways_of,
)
from zero_easel.library.store.access import Right
from zero_easel.library.store.doors import HandOverTarget, Sending, SendingState, TargetKind
from zero_easel.library.store.models import PictureRow, Run, Shoot
from zero_easel.runs.service import latest_run

router = APIRouter(tags=["targets"])
Text = Annotated[str, Field(max_length=500)]


class TargetSettings(BaseModel):
    """A place to which finished pictures are handed over. deliverables: those that go there, none for all. checked:
    only pictures that meet all their checks. path: pattern of the paths that they get there, of {folder}, {name},
    {code}, {view}, {deliverable}, {original}, {shoot} and {date}. by_itself: as soon as a run is through. everywhere:
    for all shoots of the standard. approved: only pictures of photos to which somebody said yes by a link."""

    name: str = Field(examples=["The shop"])
    kind: TargetKind
    address: str = Field(examples=["sftp://shop.example/pictures"])
    endpoint: str
    user: str
    deliverables: list[str]
    checked: bool
    path: str
    by_itself: bool
    everywhere: bool
    approved: bool


class TargetTold(TargetSettings):
    """A target of a shoot, with how many of the shoot's pictures stand where. trouble: why nothing gets there, or "".
    Its password or key is never told."""

    id: int = Field(examples=[1])
    trouble: str
    waiting: int
    sent: int
    accepted: int
    rejected: int
    given_up: int


class TargetSaid(Sent):
    """secret: its password, private key or token; left out or "", what is kept stays. endpoint: of object storage."""

    name: Annotated[str, Field(min_length=1, max_length=80, pattern=r"\S", examples=["The shop"])]
    kind: TargetKind
    address: Annotated[Text, Field(examples=["sftp://shop.example/pictures"])]
    endpoint: Text = ""
    user: Text = ""
    secret: Annotated[str, Field(max_length=20_000, examples=[""])] = ""
    deliverables: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=50)] = Field(
        default_factory=list
    )
    checked: YesOrNo = False
    path: Annotated[Text, Field(examples=["{folder}/{name}"])] = "{folder}/{name}"
    by_itself: YesOrNo = False
    everywhere: YesOrNo = False
    approved: YesOrNo = False

    def wanted(self) -> Wanted:
        """As the service is asked."""
        return Wanted(**{**self.model_dump(), "deliverables": tuple(self.deliverables)})


class HandingOver(Sent):
    """run: whose pictures, by default the shoot's newest."""

    run: Other | None = None


class OnTheWay(BaseModel):
    """How many pictures are to go; what lies there and has not changed is not sent again."""

    pictures: int


class SendingTold(BaseModel):
    """A picture on its way. path: at the target. state: waiting, sent (lies there), accepted, rejected or given up.
    said: the shop's own words, or why it did not get there. rules: checks that would have caught it: rule and value."""

    id: int = Field(examples=[1])
    picture: int
    path: str
    sha256: str
    state: SendingState
    tries: int
    said: str
    rules: list[tuple[str, str]]
    changed: Moment


def target_to_see(session: Reading, shoot: SeenShoot, target_id: Number) -> HandOverTarget:
    """The target of the address, which is one of the shoot's."""
    return _one(session, shoot, target_id)


def target_to_change(session: Writing, shoot: ChangedShoot, target_id: Number) -> HandOverTarget:
    """The same, for changes."""
    return _one(session, shoot, target_id)


def _one(session: Session, shoot: Shoot, target_id: int) -> HandOverTarget:
    return found(next((one for one in targets_of(session, shoot) if one.id == target_id), None), "target")


SeenTarget = Annotated[HandOverTarget, Depends(target_to_see)]
ChangedTarget = Annotated[HandOverTarget, Depends(target_to_change)]


def _settings(target: HandOverTarget) -> TargetSettings:
    """What an ETag of a target is of."""
    same = ("name", "kind", "address", "endpoint", "user", "checked", "path", "by_itself", "approved")
    return TargetSettings(
        deliverables=list(target.deliverables),
        everywhere=target.standard_id is not None,
        **{key: getattr(target, key) for key in same},
    )


def _told(session: Session, shoot: Shoot) -> list[TargetTold]:
    return [_way(way) for way in ways_of(session, shoot)]


def _way(way: Way) -> TargetTold:
    counts: dict[str, Any] = {state.value.replace(" ", "_"): way.counts[state] for state in SendingState}
    target = way.target
    return TargetTold(id=target.id, trouble=target.trouble, **_settings(target).model_dump(), **counts)


def _told_one(session: Session, shoot: Shoot, target: HandOverTarget) -> TargetTold:
    return next(one for one in _told(session, shoot) if one.id == target.id)


@router.get("/shoots/{shoot_id}/targets", dependencies=may(Right.READ))
def list_targets(session: Reading, shoot: SeenShoot, cursor: PartAsked) -> Listing[TargetTold]:
    """The targets of a shoot: its own, and those of its standard."""
    rows = [one for one in _told(session, shoot) if one.id > cursor.after][: cursor.limit + 1]
    return cursor.part(rows, lambda one: one, lambda one: one.id)


@router.post(
    "/shoots/{shoot_id}/targets",
    status_code=201,
    response_model=TargetTold,
    dependencies=may(Right.HAND_OVER),
    responses=problems(409),
)
def new_target(session: Writing, bench: Bench, shoot: ChangedShoot, asked: TargetSaid, once: Creating) -> Response:
    """One more target. 409 if its address or paths cannot be, or this machine does not allow its folder."""

    def create() -> Response:
        try:
            sealed = bench.seal.close(asked.secret)
            target = add_target(session, shoot, asked.wanted(), sealed, bench.settings.out_folders)
        except TargetError as error:
            raise Refusal(409, str(error)) from error
        where = f"{PREFIX}/shoots/{shoot.id}/targets/{target.id}"
        return made(_told_one(session, shoot, target), where, _settings(target))

    return once.do(asked, create)


@router.get("/shoots/{shoot_id}/targets/{target_id}", dependencies=may(Right.READ))
def read_target(session: Reading, shoot: SeenShoot, target: SeenTarget, response: Response) -> TargetTold:
    """One target."""
    tagged(response, _settings(target))
    return _told_one(session, shoot, target)


@router.put(
    "/shoots/{shoot_id}/targets/{target_id}",
    dependencies=may(Right.HAND_OVER),
    responses=problems(409, 412, 428),
)
def set_target(
    session: Writing,
    bench: Bench,
    shoot: ChangedShoot,
    target: ChangedTarget,
    asked: TargetSaid,
    seen: Seen,
    response: Response,
) -> TargetTold:
    """Another address, other pictures, other paths; all fields at once."""
    seen.must_be(_settings(target))
    try:
        sealed = bench.seal.close(asked.secret)
        change_target(session, target, shoot, asked.wanted(), sealed, bench.settings.out_folders)
    except TargetError as error:
        raise Refusal(409, str(error)) from error
    tagged(response, _settings(target))
    return _told_one(session, shoot, target)


@router.delete(
    "/shoots/{shoot_id}/targets/{target_id}",
    status_code=204,
    dependencies=may(Right.HAND_OVER),
    responses=problems(412, 428),
)
def delete_target(session: Writing, target: ChangedTarget, seen: Seen) -> None:
    """Hand nothing over there any more; what lies there stays."""
    seen.must_be(_settings(target))
    remove_target(session, target)


@router.post(
    "/shoots/{shoot_id}/targets/{target_id}/sendings",
    status_code=202,
    dependencies=may(Right.HAND_OVER),
    responses=problems(409),
)
def send(
    session: Writing,
    bench: Bench,
    shoot: ChangedShoot,
    target: ChangedTarget,
    asked: HandingOver,
    after: BackgroundTasks,
) -> OnTheWay:
    """Have the finished pictures of a run taken there. Sent again it sends nothing twice."""
    run = latest_run(session, shoot.id)
    if asked.run is not None:
        run = session.scalar(select(Run).where(Run.id == asked.run, Run.shoot_id == shoot.id))
    try:
        if run is None:
            raise TargetError("There is no such run over this shoot whose pictures could be handed over.")
        count = hand_over(session, target, run)
    except TargetError as error:
        raise Refusal(409, str(error)) from error
    after.add_task(bench.sender.wake)
    return OnTheWay(pictures=count)


@router.get("/shoots/{shoot_id}/targets/{target_id}/sendings", dependencies=may(Right.READ))
def list_sendings(
    session: Reading,
    shoot: SeenShoot,
    target: SeenTarget,
    cursor: PartAsked,
    state: SendingState | None = None,
) -> Listing[SendingTold]:
    """The pictures of a shoot on their way to a target."""
    query = (
        select(Sending)
        .join(PictureRow, PictureRow.id == Sending.picture_id)
        .join(Run, Run.id == PictureRow.run_id)
        .where(Sending.target_id == target.id, Run.shoot_id == shoot.id)
    )
    query = query.where(Sending.state == state) if state is not None else query
    return cursor.part(cursor.rows(session, query, Sending.id), _sending, lambda row: row.id)


def _sending(row: Sending) -> SendingTold:
    same = ("id", "path", "sha256", "state", "tries", "said", "changed")
    rules = list(row.rules)
    return SendingTold(picture=row.picture_id, rules=rules, **{key: getattr(row, key) for key in same})


@router.post("/shoots/{shoot_id}/targets/{target_id}/try-again", status_code=202, dependencies=may(Right.HAND_OVER))
def send_again(session: Writing, bench: Bench, target: ChangedTarget, after: BackgroundTasks) -> OnTheWay:
    """Try what was rejected, given up, or waits for its next try, once more and now."""
    count = try_again(session, target)
    after.add_task(bench.sender.wake)
    return OnTheWay(pictures=count)
