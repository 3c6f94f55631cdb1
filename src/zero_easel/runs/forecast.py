"""What a run would do, before it is begun: what is there already, and why the rest has to be made."""

from collections import Counter
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.placing.layout import is_by_row
from zero_easel.core.standard.differences import differences
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.patterns import Value
from zero_easel.library.batches import plan_shoot
from zero_easel.library.store.models import PictureRow, PictureState, PictureSubject, Run, Shoot
from zero_easel.runs.drafts.drafting import Draft, drafts_of
from zero_easel.runs.drafts.reuse import made_before
from zero_easel.runs.service import latest_run

_FEW = 2
"""Rules that changed which are named one by one; of more, how many there are is said."""
_NAMES_ALONE = (".file", ".folder", ".views", ".name")
"""Of a deliverable what says which pictures there are, and where: no file's bytes depend on it."""


class Forecast(NamedTuple):
    """total: pictures. there: of them those that an earlier run made. reasons: why others are made, each with how many,
    most first."""

    total: int
    there: int
    reasons: tuple[tuple[int, str], ...]


def forecast(session: Session, shoot: Shoot) -> Forecast | None:
    """For a run over a shoot by its standard as it is now; None if there was none before. Raises PatternError."""
    last = latest_run(session, shoot.id)
    if last is None:
        return None
    standard = shoot.standard.rules
    drafts = drafts_of(session, shoot, standard, plan_shoot(session, shoot))
    rows = [draft for draft in drafts if draft.output]
    there = made_before(session, [row.key for row in rows])
    before = _before(session, last) if any(row.key not in there for row in rows) else {}
    changed = _changed(last, standard)
    why = Counter(
        _reason(row, before.get((row.photo_id, row.deliverable)), changed, last, standard)
        for row in rows
        if row.key not in there
    )
    ordered = tuple((count, reason) for reason, count in why.most_common())
    return Forecast(len(rows), sum(row.key in there for row in rows), ordered)


class _Before(NamedTuple):
    """A picture of the last run."""

    state: PictureState
    subject: PictureSubject
    fields: Mapping[str, Value]


def _before(session: Session, last: Run) -> dict[tuple[int, str], _Before]:
    query = select(
        PictureRow.photo_id, PictureRow.deliverable, PictureRow.state, PictureRow.subject, PictureRow.fields
    ).where(PictureRow.run_id == last.id, PictureRow.output != "")
    return {(photo_id, name): _Before(*more) for photo_id, name, *more in session.execute(query)}


def _changed(last: Run, standard: Standard) -> dict[str, str]:
    """By deliverable, what changed of the rules that its files depend on, in words; "" for nothing."""
    found: dict[str, list[str]] = {deliverable.name: [] for deliverable in standard.deliverables}
    for field, text in differences(last.rules, standard):
        if field in ("name", "views", "hand_over") or field.startswith("names."):
            continue
        for name, texts in found.items():
            own = field.startswith(f"deliverables.{name}.")
            if (own and not field.endswith(_NAMES_ALONE)) or not field.startswith("deliverables"):
                texts.append(text)
    return {name: _said(texts) for name, texts in found.items()}


def _said(texts: Sequence[str]) -> str:
    if len(texts) > _FEW:
        return f"{len(texts)} rules changed"
    return f"the rules changed: {'; '.join(texts)}" if texts else ""


def _reason(row: Draft, before: _Before | None, changed: Mapping[str, str], last: Run, standard: Standard) -> str:
    """Why a picture has to be made, to follow "because"."""
    if before is None:
        new = all(one.name != row.deliverable for one in last.rules.deliverables)
        return f"{row.deliverable} is a new deliverable" if new else "they are new"
    if before.state != PictureState.DONE:
        return "they failed or were not reached" if before.state != PictureState.LEFT_OUT else "they were left out"
    if row.subject.cutout != before.subject.cutout:
        return "their cutouts were corrected"
    if dict(row.subject.adjustment) != dict(before.subject.adjustment):
        return "they were placed or lit by hand"
    if row.subject != before.subject or dict(row.fields) != dict(before.fields):
        return "what the catalog says of them changed"
    if changed[row.deliverable]:
        return changed[row.deliverable]
    return "others in their row changed" if is_by_row(standard) else "their files are gone, or are drawn otherwise now"
