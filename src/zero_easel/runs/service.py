"""Runs as people ask for them: start, pause, stop, continue, progress, archive."""

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from zero_easel.core.catalog.plan import Planned
from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Placement, Subject
from zero_easel.core.placing.pose import Dimensions
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.patterns import MOMENTS, PatternError, Value
from zero_easel.core.standard.sizes import rules_on
from zero_easel.library.lines import PhotoLine, lines_of, takes_part
from zero_easel.library.lineup import RowEntry, hand_of, kept_hand, measures_from, row_of
from zero_easel.library.models import CutoutRow, Original, PhotoRow, PictureRow, Run, Shoot, now
from zero_easel.library.names import plan_shoot
from zero_easel.library.shoots import cutout_keys, waiting_to_be_read
from zero_easel.library.standards import freeze
from zero_easel.library.vault import Vault
from zero_easel.runs.reuse import Keys, reuse

UNDER_WAY = ("running", "paused")
RESTING = ("paused", "stopped", "interrupted")


class RunError(Exception):
    """A run that cannot start or go on, with the reason in a sentence."""


@dataclass(frozen=True)
class Progress:
    """Where a run stands. reused: how many of those done an earlier run had made already. seconds_left: expected to its
    end, None while unknown or at rest."""

    state: str
    total: int
    done: int
    failed: int
    left_out: int
    reused: int
    seconds_left: float | None
    note: str

    @property
    def remaining(self) -> int:
        """Pictures still to be made."""
        return self.total - self.done - self.failed

    @property
    def running(self) -> bool:
        """Whether it is going on by itself."""
        return self.state == "running"

    @property
    def can_continue(self) -> bool:
        """Whether a person may take it up again."""
        return self.state in RESTING


def start_run(session: Session, vault: Vault, shoot: Shoot) -> Run:
    """Plan and queue a run over a shoot with the standard as it is now, and freeze that version. What an earlier run
    made from the very same photo, rules and facts is taken from there and not made again.

    Raises RunError if nothing can be made, if two outputs would share a name, or if a run is under way.
    """
    if session.scalar(select(Run.id).where(Run.shoot_id == shoot.id, Run.state.in_(UNDER_WAY))):
        raise RunError("A run over this shoot is under way.")
    try:
        planned, clashes = plan_shoot(session, shoot)
    except PatternError as error:
        raise RunError(f"The file names cannot be made: {error}.") from error
    if any(not line.code and not line.read for line, _ in planned) and waiting_to_be_read(session, [shoot.id]):
        raise RunError("Some photos are still being read for code cards; that takes a moment.")
    if clashes:
        raise RunError(f"{clashes[0]}. Give them different views or change the name pattern.")
    if not planned:
        raise RunError("No photo of this shoot can be made into a picture.")
    freeze(session, shoot.standard)
    standard = shoot.standard
    run = Run(shoot_id=shoot.id, standard_id=standard.id, standard_version=standard.version, rules=standard.rules)
    session.add(run)
    session.flush()
    rows = planned_rows(session, shoot, Standard.model_validate(run.rules), planned, run.id)
    session.add_all(rows)
    session.flush()
    reuse(session, vault, run, rows)
    finish_if_through(session, run.id)
    session.refresh(run)
    return run


def planned_rows(
    session: Session, shoot: Shoot, standard: Standard, planned: list[tuple[PhotoLine, Planned]], run_id: int = 0
) -> list[PictureRow]:
    """A row per picture, and one for each photo that gives none, as a run of the standard would begin with them."""
    plans: dict[int, list[Planned | None]] = {}
    for line, plan in planned:
        plans.setdefault(line.id, []).append(plan)
    lines = lines_of(session, shoot.id)
    cutouts = cutout_keys(session, shoot.id)
    subjects = {one.line.id: _subject_kept(one, cutouts) for one in row_of(session, shoot, lines)}
    keys = Keys(standard, list(subjects.values()))
    rows = []
    for line in lines:
        for output in plans.get(line.id, [None]):
            row = _row_for(run_id, line, output, subjects.get(line.id, {}))
            if output is not None:
                row.key = keys.key(row)
            rows.append(row)
    return rows


def set_state(session: Session, run: Run, state: str) -> None:
    """Pause ("paused"), stop ("stopped") or take up again ("running"). Raises RunError if it is at its end.

    Pictures in hand are still finished; a stopped run keeps what it made and can be taken up again.
    """
    if run.state == "done":
        raise RunError("This run has ended.")
    if state == "running" and run.state in RESTING:
        counts = _counts(session, run.id)
        run.resumed, run.done_before, run.note = now(), counts.get("done", 0) + counts.get("failed", 0), ""
    run.state = state
    run.ended = now() if state == "stopped" else None


def finish_if_through(session: Session, run_id: int) -> bool:
    """Mark a run as done once nothing of it is waiting or in hand; returns whether that is so."""
    counts = _counts(session, run_id)
    if counts.get("waiting", 0) or counts.get("working", 0):
        return False
    session.execute(update(Run).where(Run.id == run_id).values(state="done", ended=now(), note=""))
    return True


def progress_of(session: Session, run: Run) -> Progress:
    """Counts and the expected time to the end, from the pace since the run was last taken up."""
    counts = _counts(session, run.id)
    done, failed = counts.get("done", 0), counts.get("failed", 0)
    total = sum(counts.values()) - counts.get("left out", 0)
    reused = (
        session.scalar(
            select(func.count()).select_from(PictureRow).where(PictureRow.run_id == run.id, PictureRow.reused)
        )
        or 0
    )
    made = done + failed - max(run.done_before, reused)
    left = None
    if run.state == "running" and made > 0:
        left = (now() - run.resumed).total_seconds() / made * (total - done - failed)
    return Progress(run.state, total, done, failed, counts.get("left out", 0), reused, left, run.note)


def recover(session: Session, vault: Vault) -> list[int]:
    """After a restart: whatever was under way is interrupted, pictures in hand wait again; returns those runs."""
    session.execute(update(PictureRow).where(PictureRow.state == "working").values(state="waiting"))
    runs = session.scalars(select(Run).where(Run.state == "running")).all()
    for run in runs:
        _check_files(session, vault, run)
        if finish_if_through(session, run.id):
            continue
        at = progress_of(session, run)
        run.state = "interrupted"
        run.note = (
            f"The application ended while this run was under way. {at.done} of {at.total} pictures are finished and "
            f"kept, {at.remaining} remain. Continue makes the rest."
        )
    return [run.id for run in runs if run.state == "interrupted"]


def pictures_of(session: Session, run_id: int) -> list[PictureRow]:
    """All outputs of a run in shooting order."""
    return list(session.scalars(select(PictureRow).where(PictureRow.run_id == run_id).order_by(PictureRow.id)))


def latest_run(session: Session, shoot_id: int) -> Run | None:
    """The newest run over a shoot."""
    return session.scalar(select(Run).where(Run.shoot_id == shoot_id).order_by(Run.id.desc()).limit(1))


def subject_of(picture: PictureRow) -> Subject:
    """What a picture's place depends on besides its cutout and the rules; measures are still missing."""
    facts = picture.subject or {}
    original = picture.photo.original
    return Subject(
        None, Size(original.width, original.height), facts.get("category", ""), facts.get("view", picture.view),
        Dimensions(*facts.get("size", ())), hand_of(facts.get("hand")),
    )  # fmt: skip


def laid_of(session: Session, run: Run) -> dict[int, Placement | None] | None:
    """Where all pictures of a run go, by their ids, each deliverable laid out as one row of all photos; None while some
    are not cleared yet."""
    query = (
        select(PictureRow, CutoutRow.measures, PhotoRow.clearing)
        .join(PhotoRow, PhotoRow.id == PictureRow.photo_id)
        .join(Original, Original.digest == PhotoRow.digest)
        .outerjoin(CutoutRow, CutoutRow.key == PhotoRow.cutout_key)
        .where(PictureRow.run_id == run.id, PictureRow.output != "")
        .order_by(PictureRow.id)
    )
    rows = session.execute(query).unique().all()
    if any(clearing == "waiting" and not (row.photo.left_out or row.photo.empty) for row, _, clearing in rows):
        return None
    subjects = {
        picture.photo_id: subject_of(picture)._replace(measures=measures_from(measures) if measures else None)
        for picture, measures, _ in rows
    }
    standard = Standard.model_validate(run.rules)
    laid = {
        wanted.name: dict(zip(subjects, lay_out(list(subjects.values()), rules_on(standard, wanted)), strict=True))
        for wanted in standard.deliverables
    }
    return {row.id: laid[row.deliverable][row.photo_id] for row, _, _ in rows}


def _subject_kept(standing: RowEntry, cutouts: Mapping[int, str]) -> dict[str, Any]:
    """Of a photo, all that its picture depends on besides the rules, as it is kept."""
    subject = standing.subject
    return {
        "category": subject.category, "view": subject.view, "size": list(subject.size),
        "hand": kept_hand(subject.hand), "cutout": cutouts.get(standing.line.id, ""),
    }  # fmt: skip


def _row_for(run_id: int, line: PhotoLine, plan: Planned | None, subject: dict[str, Any]) -> PictureRow:
    row = PictureRow(run_id=run_id, photo_id=line.id, original=line.name, code=line.code, view=line.view)
    row.subject = subject
    if plan is not None:
        row.output, row.view, row.note, row.deliverable = plan.output, plan.view, plan.note, plan.deliverable
        row.told = {key: _plain(value) for key, value in plan.values.items() if value not in (None, "")}
        row.state = "waiting"
    elif line.error:
        row.state, row.message = "failed", line.problem or line.error
    elif takes_part(line):
        row.state, row.message = "left out", "no deliverable is for this view"
    else:
        row.state, row.message = "left out", why_out(line)
    return row


def _plain(value: Value) -> str | int | None:
    return value.isoformat() if isinstance(value, datetime) else value


def told_of(picture: PictureRow) -> dict[str, Value]:
    """Fields of the catalog that a picture's information and overlays ask for."""
    told: dict[str, Value] = dict(picture.told or {})
    for key in MOMENTS:
        if isinstance(told.get(key), str):
            told[key] = datetime.fromisoformat(str(told[key]))
    return told


def why_out(line: PhotoLine) -> str:
    """Why a run makes no picture of a photo."""
    if line.card:
        return line.why
    if line.empty:
        return "shows the empty backdrop"
    return "left out by hand" if line.left_out else "not on the shot list"


def _counts(session: Session, run_id: int) -> dict[str, int]:
    query = select(PictureRow.state, func.count()).where(PictureRow.run_id == run_id).group_by(PictureRow.state)
    return {state: count for state, count in session.execute(query)}


def _check_files(session: Session, vault: Vault, run: Run) -> None:
    """A picture counts as done only while its file is there in full."""
    for picture in pictures_of(session, run.id):
        path = vault.run(run.id) / picture.output
        if picture.state == "done" and not (path.is_file() and path.stat().st_size == picture.bytes):
            picture.state = "waiting"
    session.flush()
