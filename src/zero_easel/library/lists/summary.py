"""Shoots counted: what the shoots page and the zero line show, without reading a single photo."""

from collections import Counter
from collections.abc import Collection, Mapping
from typing import NamedTuple

from sqlalchemy import ColumnElement, and_, func, or_, select
from sqlalchemy.orm import Session, aliased

from zero_easel.core.items.flag import DOUBTFUL
from zero_easel.library.lists.kept import kept
from zero_easel.library.lists.lines import wants_products
from zero_easel.library.store.approvals import ApprovalAnswer
from zero_easel.library.store.doors import Sending, SendingState
from zero_easel.library.store.models import (
    Clearing,
    CutoutRow,
    Original,
    PhotoRow,
    PictureRow,
    PictureState,
    Run,
    RunState,
    Shoot,
)

_ON_SHELF = 6
"""Items by which a shoot is known on the shoots page."""


class Summary(NamedTuple):
    """A shoot in numbers. photos: all. broken: without a picture. unread: still to be looked through for code cards.
    part: those that a run makes pictures of. waiting: of these, to be cleared. look: of these, with a doubtful cutout.
    to_settle: photos whose match needs a person."""

    photos: int = 0
    broken: int = 0
    unread: int = 0
    part: int = 0
    waiting: int = 0
    look: int = 0
    to_settle: int = 0


class RunCounts(NamedTuple):
    """The newest run of a shoot: where it stands, and its pictures by state. away: pictures of the shoot that were
    rejected where they were handed over, or given up on the way. sent_back: pictures of this run to which somebody said
    no, by the stage at which that is mended."""

    state: RunState
    pictures: Counter[PictureState]
    away: int = 0
    sent_back: Mapping[str, int] = {}

    @property
    def total(self) -> int:
        """Pictures that it makes."""
        return self.pictures.total() - self.pictures[PictureState.LEFT_OUT]

    @property
    def done(self) -> int:
        """Pictures that are finished."""
        return self.pictures[PictureState.DONE]

    @property
    def failed(self) -> int:
        """Pictures that could not be made."""
        return self.pictures[PictureState.FAILED]


_PART = and_(~PhotoRow.left_out, ~PhotoRow.empty, ~PhotoRow.card, PhotoRow.listed, Original.error == "")
_DOUBTFUL = and_(
    ~PhotoRow.accepted,
    or_(
        PhotoRow.clearing == Clearing.FAILED,
        and_(CutoutRow.key.is_not(None), or_(CutoutRow.bounds.is_(None), CutoutRow.confidence < DOUBTFUL)),
    ),
)
_TO_SETTLE = or_(
    and_(_PART, or_(and_(PhotoRow.code == "", wants_products()), PhotoRow.doubt != "")),
    and_(PhotoRow.card, ~PhotoRow.left_out, PhotoRow.doubt != ""),
)


def summaries(session: Session, shoot_ids: Collection[int]) -> dict[int, Summary]:
    """The numbers of some shoots, by their ids; shoots without photos are not among them. They are shared: nobody may
    change them."""
    return kept(session, ("summaries", tuple(shoot_ids)), lambda: _counted(session, shoot_ids), small=True)


def _counted(session: Session, shoot_ids: Collection[int]) -> dict[int, Summary]:

    def count(condition: ColumnElement[bool]) -> ColumnElement[int]:
        return func.count(PhotoRow.id).filter(condition)

    query = (
        select(
            PhotoRow.shoot_id,
            func.count(PhotoRow.id),
            count(Original.error != ""),
            count(and_(~Original.read, Original.error == "")),
            count(_PART),
            count(and_(_PART, PhotoRow.clearing == Clearing.WAITING)),
            count(and_(_PART, _DOUBTFUL)),
            count(_TO_SETTLE),
        )
        .join(Original, Original.digest == PhotoRow.digest)
        .outerjoin(CutoutRow, CutoutRow.key == PhotoRow.cutout_key)
        .where(PhotoRow.shoot_id.in_(shoot_ids))
        .group_by(PhotoRow.shoot_id)
    )
    return {row[0]: Summary(*row[1:]) for row in session.execute(query)}


def _turned_away() -> ColumnElement[int]:
    """For a question about runs: pictures of the run's shoot that did not get to where they were handed over."""
    picture, run = aliased(PictureRow), aliased(Run)
    return (
        select(func.count(Sending.id))
        .join(picture, picture.id == Sending.picture_id)
        .join(run, run.id == picture.run_id)
        .where(run.shoot_id == Run.shoot_id, Sending.state.in_((SendingState.REJECTED, SendingState.GIVEN_UP)))
        .correlate(Run)
        .scalar_subquery()
    )


def _sent_back() -> ColumnElement[str]:
    """For a question about runs: what is wrong with each picture to which somebody said no last, commas between."""
    picture, later = aliased(PictureRow), aliased(ApprovalAnswer)
    same = and_(later.photo_id == ApprovalAnswer.photo_id, later.sha256 == ApprovalAnswer.sha256)
    overruled = select(later.id).where(same, later.made > ApprovalAnswer.made).exists()
    return (
        select(func.group_concat(ApprovalAnswer.flaw))
        .join(picture, and_(picture.photo_id == ApprovalAnswer.photo_id, picture.sha256 == ApprovalAnswer.sha256))
        .where(picture.run_id == Run.id, ~ApprovalAnswer.yes, ~overruled)
        .correlate(Run)
        .scalar_subquery()
    )


def newest_runs(session: Session, shoot_ids: Collection[int]) -> dict[int, RunCounts]:
    """The newest run of some shoots that was no trial, by the shoots' ids."""
    newest = select(func.max(Run.id)).where(~Run.trial, Run.shoot_id.in_(shoot_ids)).group_by(Run.shoot_id)
    query = (
        select(Run.shoot_id, Run.state, PictureRow.state, func.count(PictureRow.id), _turned_away(), _sent_back())
        .outerjoin(PictureRow, PictureRow.run_id == Run.id)
        .where(Run.id.in_(newest))
        .group_by(Run.shoot_id, Run.state, PictureRow.state)
    )
    found: dict[int, RunCounts] = {}
    for shoot_id, state, picture_state, count, away, back in session.execute(query):
        counts = found.setdefault(shoot_id, RunCounts(state, Counter(), away, Counter((back or "").split(","))))
        if picture_state is not None:
            counts.pictures[picture_state] = count
    return found


def shelves(session: Session) -> dict[int, list[PhotoRow]]:
    """A few photos of different products of each shoot, to know it by: cleared ones, but where pictures are whole."""
    chosen = kept(session, ("shelves",), lambda: _on_shelves(session), small=True)
    found: dict[int, list[PhotoRow]] = {}
    for some in (chosen[at : at + 500] for at in range(0, len(chosen), 500)):
        for photo in session.scalars(select(PhotoRow).where(PhotoRow.id.in_(some)).order_by(PhotoRow.id)).unique():
            found.setdefault(photo.shoot_id, []).append(photo)
    return found


def _on_shelves(session: Session) -> list[int]:
    """Ids of the photos, in their order."""
    called = func.coalesce(func.nullif(PhotoRow.code, ""), PhotoRow.name)
    first = func.row_number().over(partition_by=(PhotoRow.shoot_id, called), order_by=PhotoRow.id).label("first")
    cleared = (
        select(PhotoRow.id, PhotoRow.shoot_id, first)
        .join(Original, Original.digest == PhotoRow.digest)
        .join(Shoot, Shoot.id == PhotoRow.shoot_id)
        .outerjoin(CutoutRow, CutoutRow.key == PhotoRow.cutout_key)
        .where(_PART, or_(Shoot.whole, CutoutRow.bounds.is_not(None)))
        .subquery()
    )
    place = func.row_number().over(partition_by=cleared.c.shoot_id, order_by=cleared.c.id).label("place")
    ranked = select(cleared.c.id, place).where(cleared.c.first == 1).subquery()
    return list(session.scalars(select(ranked.c.id).where(ranked.c.place <= _ON_SHELF).order_by(ranked.c.id)))
