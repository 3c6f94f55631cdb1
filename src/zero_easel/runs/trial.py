"""A trial: the few photos of a shoot that differ most, finished exactly as the run would, and gone when it starts."""

from collections.abc import Collection, Sequence

import numpy as np
from sqlalchemy.orm import Session

from zero_easel.library.lists.lineup import RowEntry, row_of
from zero_easel.library.store.models import Run, Shoot
from zero_easel.library.store.vault import Vault
from zero_easel.runs.service import RunError, start_run

COUNT = 5


def start_trial(session: Session, vault: Vault, shoot: Shoot, chosen: Collection[int] = ()) -> Run:
    """Start one over the photos with some ids, or over the few that differ most; a former trial goes. Raises RunError
    as start_run does, and if none of those chosen takes part."""
    row = row_of(session, shoot.id)
    part = [entry.line.id for entry in row if entry.line.id in chosen] if chosen else most_different(row)
    if chosen and not part:
        raise RunError("None of the photos that were chosen takes part in runs.")
    return start_run(session, vault, shoot, only=frozenset(part))


def most_different(row: Sequence[RowEntry]) -> list[int]:
    """Ids of the photos in which most can go wrong, in the order of the row: the most doubtful, the largest and the
    smallest in its frame, the darkest and the lightest; others evenly from the rest."""
    known = [entry for entry in row if entry.subject.measures is not None]
    chosen: list[int] = []
    for measure in (_doubt, _size, _smallness, _darkness, _lightness):
        rest = [entry for entry in known if entry.line.id not in chosen]
        if rest:
            chosen.append(max(rest, key=measure).line.id)
    others = [entry.line.id for entry in row if entry.line.id not in chosen]
    for at in np.linspace(0, len(others) - 1, max(0, min(COUNT - len(chosen), len(others)))).round().astype(int):
        chosen.append(others[at])
    return [entry.line.id for entry in row if entry.line.id in chosen]


def _doubt(entry: RowEntry) -> float:
    return 1 - (entry.line.confidence if entry.line.confidence is not None else 0.5)


def _size(entry: RowEntry) -> float:
    measures, frame = entry.subject.measures, entry.subject.frame
    box = measures.bounds if measures else None
    return max(box.width / frame.width, box.height / frame.height) if box and min(frame) > 0 else 0.0


def _smallness(entry: RowEntry) -> float:
    return -_size(entry)


def _lightness(entry: RowEntry) -> float:
    measures = entry.subject.measures
    return float(np.mean(measures.light)) if measures and measures.light else 0.0


def _darkness(entry: RowEntry) -> float:
    return -_lightness(entry)
