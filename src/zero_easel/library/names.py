"""Old name -> new name for a shoot."""

from collections.abc import Sequence

from sqlalchemy.orm import Session

from zero_easel.core.catalog.matching import Match
from zero_easel.core.catalog.plan import Clash, NamedPhoto, Namer, Planned, find_clashes, plan_all
from zero_easel.core.standard.model import Standard
from zero_easel.library.lines import PhotoLine, lines_of, takes_part
from zero_easel.library.matches import ensure_matched
from zero_easel.library.models import Shoot
from zero_easel.library.products import free_columns, products_by_code
from zero_easel.library.standards import rules_of


def plan_shoot(session: Session, shoot: Shoot) -> tuple[list[tuple[PhotoLine, Planned]], list[Clash]]:
    """Old name -> new name of all photos that take part and all deliverables, in shooting order, and the clashes.

    Raises PatternError if the standard's names ask for something that the catalog does not have.
    """
    ensure_matched(session, shoot)
    lines = lines_of(session, shoot.id)
    planned = plan_lines(session, shoot, lines, rules_of(shoot.standard))
    return planned, find_clashes([plan for _, plan in planned])


def plan_lines(
    session: Session, shoot: Shoot, lines: Sequence[PhotoLine], rules: Standard, *, copies: bool = False
) -> list[tuple[PhotoLine, Planned]]:
    """The same for lines at hand and rules that need not be kept yet. copies: of copies of the photos themselves
    instead of deliverables. Raises PatternError."""
    part = [line for line in lines if takes_part(line)]
    subjects = [
        NamedPhoto(line.name, Match(line.code, line.view, line.why, doubt=line.doubt), line.taken) for line in part
    ]
    products, columns = products_by_code(session, {line.code for line in part}), free_columns(session)
    if copies:
        planned = Namer(rules, columns, shoot.name).plan(subjects, products)
    else:
        planned = plan_all(rules, subjects, products, columns, shoot.name)
    return [(part[plan.at], plan) for plan in planned]
