"""What is to be done next: waiting work of the database as pieces of work, the most urgent first.

Photos that somebody looks at go before everything, then pictures of runs, because somebody is waiting for them; photos
are read for code cards before they are cleared, because a card is not.
"""

from collections import deque
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import and_, func, or_, select
from sqlalchemy.orm import Session

from zero_easel.core.placing.layout import is_by_row
from zero_easel.core.placing.placement import Placement
from zero_easel.library.changes.cutouts import empties_of, key_of
from zero_easel.library.shoots import waits_for_clearing
from zero_easel.library.store.models import Original, PhotoRow, PictureRow, PictureState, Run, RunState, Shoot
from zero_easel.library.store.vault import Vault, cutout_key
from zero_easel.pipeline import Task
from zero_easel.runs.service import placements_of, subject_of
from zero_easel.runs.work import Order, clear_photo, make_pictures, read_original
from zero_easel.settings import needed_mb

_AHEAD = 100
"""Photos of runs that are looked for at once."""


@dataclass(frozen=True)
class Job:
    """A piece of work, and what it is for. photo_id: 0 for a photo that is only read, which is done for all that have
    its digest. megabytes: of memory that it takes."""

    photo_id: int
    name: str
    function: Callable[..., Any] = field(compare=False)
    arguments: tuple[Any, ...] = field(compare=False)
    picture_ids: tuple[int, ...] = ()
    run_id: int | None = None
    digest: str = ""
    urgency: int = 0
    megabytes: int = 0


class NextUp:
    """Looks for what waits in a library with a vault."""

    def __init__(self, vault: Vault) -> None:
        self._vault = vault
        # Where the pictures of a run go whose places depend on each other; worked out once, when all are cleared.
        self._rows: dict[int, dict[int, Placement | None]] = {}
        # The next photos, by their runs, as long as the same runs go on; whether they still wait is asked again.
        self._ahead: deque[tuple[int, int]] = deque()
        self._ahead_of: tuple[tuple[int, bool, bool], ...] = ()

    def jobs(
        self,
        session: Session,
        room: int,
        in_hand: Collection[Job],
        watched: set[int],
        just_shot: set[int],
        *,
        arriving: bool,
    ) -> list[Job]:
        """Up to so many pieces of work; pictures among them are marked as being worked on. watched: photos that
        somebody looks at; just_shot: those for which somebody waits before the camera. arriving: whether files are
        being brought in, so that only what shows cards is read."""
        busy, digests = {job.photo_id for job in in_hand}, {job.digest for job in in_hand}
        # Read at the same time and not before: should it be a code card, a cutout is made for nothing.
        jobs = self._clearings(session, room, busy, just_shot, unread=True) if just_shot else []
        if watched:
            jobs += self._clearings(session, room - len(jobs), busy | {job.photo_id for job in jobs}, watched)
        jobs += self._pictures(session, room - len(jobs), {job.photo_id for job in jobs})
        jobs += self._readings(session, room - len(jobs), digests, arriving=arriving)
        jobs += self._clearings(session, room - len(jobs), busy | {job.photo_id for job in jobs})
        return jobs

    def _pictures(self, session: Session, room: int, taken: set[int]) -> list[Job]:
        """The next photos with all their waiting pictures: what is costly about a photo is done once."""
        if room <= 0:
            return []
        going = self._going(session)
        if not self._ahead or going != self._ahead_of:
            self._ahead, self._ahead_of = self._look_ahead(session, going), going
        jobs: list[Job] = []
        later = []
        while self._ahead and len(jobs) < room:
            run_id, photo_id = self._ahead.popleft()
            if photo_id in taken:
                later.append((run_id, photo_id))
                continue
            query = select(PictureRow).where(PictureRow.run_id == run_id, PictureRow.photo_id == photo_id)
            waiting = query.where(PictureRow.state == PictureState.WAITING).order_by(PictureRow.id)
            if pictures := session.scalars(waiting).all():
                jobs.append(self._pictures_of(session, pictures))
        self._ahead.extendleft(reversed(later))
        return jobs

    def _going(self, session: Session) -> tuple[tuple[int, bool, bool], ...]:
        """The runs of which something may be made now."""
        kept_back = set(self._not_placed(session))
        query = select(Run.id, Run.urgent, Run.trial).where(Run.state == RunState.RUNNING).order_by(Run.id)
        return tuple(
            (run_id, urgent, trial) for run_id, urgent, trial in session.execute(query) if run_id not in kept_back
        )

    def _look_ahead(self, session: Session, going: Sequence[tuple[int, bool, bool]]) -> deque[tuple[int, int]]:
        """The next photos of some runs, more than are needed: to find them all waiting pictures are looked through."""
        query = (
            select(PictureRow.run_id, PictureRow.photo_id)
            .join(Run)
            .where(PictureRow.state == PictureState.WAITING, Run.id.in_([run_id for run_id, _, _ in going]))
            .group_by(PictureRow.run_id, PictureRow.photo_id)
            .order_by(Run.urgent.desc(), Run.trial.desc(), func.min(PictureRow.id))
            .limit(_AHEAD)
        )
        return deque((run_id, photo_id) for run_id, photo_id in session.execute(query))

    def _pictures_of(self, session: Session, pictures: Sequence[PictureRow]) -> Job:
        run, photo = pictures[0].run, pictures[0].photo
        order = _order(session, photo)
        placement, parts = self._rows.get(run.id, {}), []
        for picture in pictures:
            picture.state = PictureState.WORKING
            if order.key != picture.subject.cutout:
                # Corrected since the run was planned: what is made now is not what its key says.
                picture.key = ""
            task = Task(picture.deliverable, picture.output, picture.fields, placement.get(picture.id))
            parts.append((task, self._vault.picture(run.id, picture.output)))
        arguments = (self._vault.location, order, run.rules, parts, subject_of(pictures[0]))
        made = tuple(picture.id for picture in pictures)
        return Job(
            photo.id,
            photo.name,
            make_pictures,
            arguments,
            made,
            run.id,
            urgency=int(run.urgent or run.trial),
            megabytes=_needs(photo),
        )

    def _not_placed(self, session: Session) -> list[int]:
        """Runs that cannot go on yet, for the place of each picture depends on all, and some are not cleared."""
        runs = session.scalars(select(Run).where(Run.state == RunState.RUNNING)).all()
        self._rows = {run_id: row for run_id, row in self._rows.items() if run_id in {run.id for run in runs}}
        waiting = []
        for run in runs:
            if run.id not in self._rows and is_by_row(run.rules):
                placement = placements_of(session, run)
                if placement is None:
                    waiting.append(run.id)
                else:
                    self._rows[run.id] = placement
        return waiting

    def _readings(self, session: Session, room: int, taken: set[str], *, arriving: bool) -> list[Job]:
        if room <= 0:
            return []
        query = (
            select(Original.digest, PhotoRow.name)
            .join(PhotoRow, PhotoRow.digest == Original.digest)
            .where(~Original.read, Original.error == "")
            .group_by(Original.digest)
            .order_by(PhotoRow.id)
        )
        if arriving:
            query = query.join(Shoot, Shoot.id == PhotoRow.shoot_id).where(Shoot.cards)
        rows = session.execute(query.limit(room + len(taken))).all()
        fresh = [(digest, name) for digest, name in rows if digest not in taken][:room]
        return [
            Job(0, name, read_original, (self._vault.location, digest, name), digest=digest) for digest, name in fresh
        ]

    def _clearings(
        self, session: Session, room: int, taken: set[int], only: set[int] | None = None, *, unread: bool = False
    ) -> list[Job]:
        # What may yet turn out to be a code card waits until its shoot is matched.
        sure = and_(Original.read, ~Original.card_like | ~Shoot.stale)
        query = (
            select(PhotoRow)
            .join(Original, Original.digest == PhotoRow.digest)
            .join(Shoot, Shoot.id == PhotoRow.shoot_id)
            .where(waits_for_clearing(session), or_(sure, ~Original.read) if unread else sure)
            .order_by(PhotoRow.id)
        )
        jobs: list[Job] = []
        if room <= 0:
            return jobs
        if only is not None:
            query = query.where(PhotoRow.id.in_(only))
        for photo in session.scalars(query.limit(room + len(taken))).unique():
            if photo.id not in taken and len(jobs) < room:
                arguments = (self._vault.location, _order(session, photo))
                jobs.append(
                    Job(
                        photo.id,
                        photo.name,
                        clear_photo,
                        arguments,
                        urgency=0 if only is None else 2,
                        megabytes=_needs(photo),
                    )
                )
        return jobs


def _needs(photo: PhotoRow) -> int:
    return needed_mb(photo.original.width, photo.original.height)


def _order(session: Session, photo: PhotoRow) -> Order:
    empties = empties_of(session, photo.shoot_id)
    key, before = key_of(photo, empties), cutout_key(photo.digest, empties, photo.marks)
    return Order(photo.digest, photo.name, key, tuple(empties), photo.marks, photo.adjustment.rectified, before)
