"""Two runs over a shoot, picture by picture: what is new, what changed, what is gone."""

from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.standard.differences import Difference, differences
from zero_easel.library.store.models import PictureRow, PictureState, Run
from zero_easel.runs.service import pictures_of


class Pair(NamedTuple):
    """One picture in both runs: of a photo for a deliverable. before, after: None where that run did not make it."""

    before: PictureRow | None
    after: PictureRow | None

    @property
    def name(self) -> str:
        """Of its file, and what it was called before."""
        one = self.after or self.before
        assert one is not None
        if self.before and self.after and self.before.output != self.after.output:
            return f"{self.after.output} (was {self.before.output})"
        return one.output


class Comparison(NamedTuple):
    """new, gone: made by one of them alone. changed: with other bytes. renamed: with the same under another name. same:
    how many are alike. rules: what the standard said otherwise."""

    new: list[Pair]
    changed: list[Pair]
    renamed: list[Pair]
    gone: list[Pair]
    same: int
    rules: list[Difference]


def compared(session: Session, before: Run, after: Run) -> Comparison:
    """An earlier run and a later one of the same shoot."""
    old, new = (_made(session, run) for run in (before, after))
    pairs = [Pair(old.get(key), new.get(key)) for key in dict.fromkeys([*new, *old])]
    both = [pair for pair in pairs if pair.before and pair.after]
    return Comparison(
        new=[pair for pair in pairs if pair.before is None],
        changed=[pair for pair in both if not _alike(pair)],
        renamed=[pair for pair in both if _alike(pair) and pair.before.output != pair.after.output],  # type: ignore[union-attr]
        gone=[pair for pair in pairs if pair.after is None],
        same=sum(_alike(pair) for pair in both),
        rules=differences(before.rules, after.rules),
    )


def earlier_runs(session: Session, run: Run, most: int = 20) -> list[int]:
    """Ids of the runs over the same shoot before one, the newest first; no trials."""
    query = select(Run.id).where(Run.shoot_id == run.shoot_id, Run.id < run.id, ~Run.trial).order_by(Run.id.desc())
    return list(session.scalars(query.limit(most)))


def _made(session: Session, run: Run) -> dict[tuple[int, str], PictureRow]:
    return {
        (row.photo_id, row.deliverable): row for row in pictures_of(session, run.id) if row.state == PictureState.DONE
    }


def _alike(pair: Pair) -> bool:
    return pair.before is not None and pair.after is not None and pair.before.sha256 == pair.after.sha256
