"""A shoot as a batch: its photos as shots, and the plan over them."""

from collections.abc import Sequence
from typing import NamedTuple

from sqlalchemy.orm import Session

from zero_easel.core.catalog.matching import Match
from zero_easel.core.catalog.plan import Planned
from zero_easel.core.light.geometry import Size
from zero_easel.core.standard.model import Standard
from zero_easel.library.changes.matches import ensure_matched
from zero_easel.library.lists.kept import kept
from zero_easel.library.lists.lines import PhotoLine, lines_of
from zero_easel.library.lists.lineup import RowEntry, row_of
from zero_easel.library.products import free_columns, products_by_code
from zero_easel.library.store.models import Shoot
from zero_easel.planning.batch import Batch, BatchPhoto, Products, plan, why_left_out


class ShootPlan(NamedTuple):
    """The plan of a shoot: its photos in shooting order, to which the places of the batch refer."""

    lines: Sequence[PhotoLine]
    batch: Batch

    @property
    def pictures(self) -> list[tuple[PhotoLine, Planned]]:
        """Each picture with its photo."""
        return [(self.lines[picture.at], picture) for picture in self.batch.pictures]


def plan_shoot(session: Session, shoot: Shoot) -> ShootPlan:
    """The plan of a shoot by its own standard, matched anew if anything came in.

    Raises PatternError if the standard's names ask for something that the catalog does not have.
    """
    ensure_matched(session, shoot)
    return plan_by(session, shoot, shoot.standard.rules)


def plan_by(session: Session, shoot: Shoot, rules: Standard) -> ShootPlan:
    """The plan of a shoot that is matched, by rules that need not be kept yet. It is shared: nobody may change it.
    Raises PatternError."""
    key = ("plan", shoot.id, shoot.name, rules.model_dump_json())
    at, name = shoot.id, shoot.name
    return kept(session, key, lambda: plan_lines(session, name, lines_of(session, at), rules, row=row_of(session, at)))


def plan_lines(
    session: Session,
    name: str,
    lines: Sequence[PhotoLine],
    rules: Standard,
    *,
    row: Sequence[RowEntry] = (),
    copies: bool = False,
) -> ShootPlan:
    """The plan of lines at hand, by rules that need not be kept yet. row: where they stand, if that matters. copies: of
    the photos themselves. Raises PatternError."""
    shown = products_by_code(session, {line.code for line in lines if line.code})
    catalog = Products(shown, free_columns(session), any(line.wanted for line in lines))
    placed = {entry.line.id: entry for entry in row}
    shots = [_shot(line, placed.get(line.id)) for line in lines]
    return ShootPlan(lines, plan(shots, rules, catalog, name, copies=copies))


def _shot(line: PhotoLine, entry: RowEntry | None) -> BatchPhoto:
    match = Match(line.code, line.view, line.why, line.listed, line.doubt, line.card)
    out = line.problem or line.error if line.error else why_left_out(match, empty=line.empty, by_hand=line.left_out)
    frame = Size(line.width, line.height)
    shot = BatchPhoto(line.name, match, line.taken, out, frame, folder=line.folder)
    if entry is None:
        return shot
    subject = entry.subject
    return shot._replace(measures=subject.measures, adjustment=subject.adjustment)


def example_of(pictures: Sequence[Planned]) -> str:
    """A name to see naming rules by: of a photo with a product, if there is one."""
    return next((one.output for one in pictures if one.code), pictures[0].output if pictures else "")
