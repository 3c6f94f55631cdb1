"""What the library holds by kind and age, and what of it may go."""

import time
from collections.abc import Collection, Iterable, Sequence
from datetime import timedelta
from typing import NamedTuple

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from zero_easel.library.people import journal
from zero_easel.library.store.models import CutoutRow, Original, PhotoRow, PictureRow, PictureState, Run, RunState, now
from zero_easel.library.store.remembered import remember, remembered
from zero_easel.library.store.vault import Vault
from zero_easel.storage import Stored

_RULE = "runs are kept for days"
_DAY, _SETTLED = 86_400, 3_600
"""Seconds of a day, and for which nothing goes that was just written: what it belongs to may not be noted yet."""
AGES = (7, 30, 90)
"""Days by which what is held is told apart."""
_ENDED = (RunState.DONE, RunState.STOPPED, RunState.INTERRUPTED)


class Holding(NamedTuple):
    """Files of one kind. by_age: bytes that are younger than each of AGES, and of those that are older. safe: bytes
    that may go; why: what they are, and whether they can be made again, in words."""

    kind: str
    files: int
    bytes: int
    by_age: tuple[int, ...]
    safe: int
    why: str


class OldRun(NamedTuple):
    """A run that has ended. bytes: of its files that no other run shares. days: since its end."""

    run: Run
    pictures: int
    bytes: int
    days: int


def holdings(session: Session, vault: Vault) -> list[Holding]:
    """All that is kept, by kind."""
    originals = vault.entries("originals")
    cutouts = vault.entries("derived/cutouts")
    unused = _unused(session, cutouts)
    previews = [*vault.entries("derived/thumbnails"), *vault.entries("derived/large")]
    orphans = _orphans(session, originals)
    return [
        _holding("Originals", originals, orphans, "belong to no shoot any more. They cannot be made again."),
        _holding("Cutouts", cutouts, unused, "are of marks and rules that no photo has now; made again when wanted."),
        _holding("Previews of photos", previews, previews, "are made again, each when it is looked at."),
        _holding("Pictures of runs", vault.entries("runs"), [], ""),
    ]


def ended_runs(session: Session) -> list[OldRun]:
    """Runs that have ended, the oldest first."""
    made = PictureRow.state == PictureState.DONE
    counts = select(PictureRow.run_id, func.count()).where(made).group_by(PictureRow.run_id)
    alone = select(func.min(PictureRow.run_id).label("run"), func.max(PictureRow.bytes).label("bytes"))
    alone = alone.where(made).group_by(PictureRow.sha256).having(func.count(PictureRow.run_id.distinct()) == 1)
    files = alone.subquery()
    own = select(files.c.run, func.sum(files.c.bytes)).group_by(files.c.run)
    pictures = {run_id: count for run_id, count in session.execute(counts)}
    sizes = {run_id: size for run_id, size in session.execute(own)}
    runs = session.scalars(select(Run).where(Run.state.in_(_ENDED)).order_by(Run.id)).all()
    return [
        OldRun(run, pictures.get(run.id, 0), sizes.get(run.id, 0), (now() - (run.ended or run.created)).days)
        for run in runs
    ]


def kept_days(session: Session) -> int:
    """For how many days finished runs are kept; 0 for ever."""
    return int(remembered(session, _RULE) or 0)


def keep_for(session: Session, days: int) -> None:
    """Say for how many days finished runs are kept; 0 for ever. Raises ValueError."""
    if not 0 <= days <= 36_500:
        raise ValueError("runs are kept for 1 to 36,500 days, or for ever")
    remember(session, _RULE, days)
    kept = f"{days} days" if days else "ever"
    journal.write(session, f"finished runs are kept for {kept}", about="tidy up")


def follow_rule(session: Session, vault: Vault) -> int:
    """Take away what the rule lets go, but never the newest run of a shoot; returns how many runs."""
    days = kept_days(session)
    if not days:
        return 0
    newest = set(session.scalars(select(func.max(Run.id)).where(~Run.trial).group_by(Run.shoot_id)))
    before = now() - timedelta(days=days)
    query = select(Run.id).where(Run.state == RunState.DONE, Run.ended < before, Run.id.not_in(newest))
    return remove_runs(session, vault, session.scalars(query).all())


def remove_runs(session: Session, vault: Vault, run_ids: Collection[int]) -> int:
    """Take runs away that have ended, pictures and all; returns how many. They can be made again as long as photos,
    marks and rules are the same."""
    known = session.scalars(select(Run.id).where(Run.id.in_(run_ids), Run.state.in_(_ENDED))).all()
    for run_id in known:
        session.execute(delete(PictureRow).where(PictureRow.run_id == run_id))
        session.execute(delete(Run).where(Run.id == run_id))
    if known:
        journal.write(session, f"removed runs {', '.join(map(str, known))} and their pictures", about="tidy up")
    for run_id in known:
        vault.remove_run(run_id)
    return len(known)


def remove_unused_cutouts(session: Session, vault: Vault) -> int:
    """Take away cutouts that no photo has now; returns bytes. Former ones that undoing would bring back are made again
    then."""
    unused = _unused(session, vault.entries("derived/cutouts"))
    _remove(vault, unused)
    for some in _in_pieces(sorted({_key_of(entry) for entry in unused})):
        session.execute(delete(CutoutRow).where(CutoutRow.key.in_(some)))
    return sum(entry.bytes for entry in unused)


def remove_previews(vault: Vault) -> int:
    """Take the small pictures of photos away; returns bytes. Each is made again when it is looked at."""
    entries = [*vault.entries("derived/thumbnails"), *vault.entries("derived/large")]
    _remove(vault, entries)
    return sum(entry.bytes for entry in entries)


def remove_orphans(session: Session, vault: Vault) -> int:
    """Take originals away that belong to no shoot; returns bytes. They cannot be made again."""
    orphans = _orphans(session, vault.entries("originals"))
    if orphans:
        journal.write(session, f"removed {len(orphans)} originals of no shoot for good", about="tidy up")
    _remove(vault, orphans)
    for some in _in_pieces([_key_of(entry) for entry in orphans]):
        session.execute(delete(Original).where(Original.digest.in_(some)))
    return sum(entry.bytes for entry in orphans)


def _holding(kind: str, entries: Sequence[Stored], safe: Sequence[Stored], why: str) -> Holding:
    moment = time.time()
    files, entries = len(entries), list({entry.content: entry for entry in entries}.values())
    days = [(moment - entry.modified) / _DAY for entry in entries]
    limits = [*AGES, float("inf")]
    ages, youngest = [], 0.0
    for limit in limits:
        ages.append(sum(e.bytes for e, age in zip(entries, days, strict=True) if youngest <= max(age, 0.0) < limit))
        youngest = limit
    size = sum(entry.bytes for entry in entries)
    return Holding(kind, files, size, tuple(ages), sum(entry.bytes for entry in safe), why if safe else "")


def _key_of(entry: Stored) -> str:
    return entry.key.rpartition("/")[2].partition(".")[0]


def _unused(session: Session, cutouts: Sequence[Stored]) -> list[Stored]:
    """Cutouts of no photo."""
    return _beyond(cutouts, session.scalars(select(PhotoRow.cutout_key).where(PhotoRow.cutout_key.is_not(None))))


def _orphans(session: Session, originals: Sequence[Stored]) -> list[Stored]:
    """Originals of no photo."""
    return _beyond(originals, session.scalars(select(PhotoRow.digest).distinct()))


def _beyond(entries: Sequence[Stored], used: Iterable[str | None]) -> list[Stored]:
    known, settled = set(used), time.time() - _SETTLED
    return [entry for entry in entries if entry.modified < settled and _key_of(entry) not in known]


def _remove(vault: Vault, entries: Sequence[Stored]) -> None:
    for entry in entries:
        vault.storage.remove(entry.key)


def _in_pieces(keys: Sequence[str]) -> list[Sequence[str]]:
    return [keys[at : at + 500] for at in range(0, len(keys), 500)]
