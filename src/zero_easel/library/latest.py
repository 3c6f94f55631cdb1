"""What a photographer wants to know while the item still stands there: the latest photos, what is wrong with the
newest, and what is still missing."""

from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.catalog.codes import folded
from zero_easel.core.photos.reading import is_dark
from zero_easel.library.lists.kept import kept
from zero_easel.library.lists.lines import PhotoLine, doubtful, lines_of, takes_part
from zero_easel.library.lists.listing import looks_soft
from zero_easel.library.products import products_unseen
from zero_easel.library.store.models import Clearing, CutoutRow, PhotoRow, Shoot, ShotRow

_LINE = 12


class Missing(NamedTuple):
    """What no photo shows yet. name: of the product, or the file name that the shot list gave."""

    code: str
    view: str
    name: str


def latest(session: Session, shoot_id: int) -> list[PhotoLine]:
    """The latest photos of a shoot, as they came in, the newest last. Those that stand behind another
    of their burst are passed over, unless they are the newest."""
    lines = lines_of(session, shoot_id)
    came = sorted(lines, key=lambda line: line.id)
    shown = [line for at, line in enumerate(came) if line.behind is None or at == len(came) - 1]
    return shown[-_LINE:]


def burst_of(session: Session, line: PhotoLine, shoot_id: int) -> list[PhotoLine]:
    """All photos of a photo's burst in shooting order; none if it is of none."""
    best = line.behind or line.id
    burst = [one for one in lines_of(session, shoot_id) if best in (one.id, one.behind)]
    return burst if len(burst) > 1 else []


def doubts_about(session: Session, line: PhotoLine) -> list[str]:
    """Why a photo might have to be shot again, the gravest first, as sentences without a stop."""
    if line.error:
        return [line.problem or line.error]
    if line.card:
        return [line.doubt] if line.doubt else []
    told = []
    if looks_soft(line):
        told.append("It is not sharp")
    if is_dark(line.paper):
        told.append("It is too dark")
    if line.clearing == Clearing.FAILED:
        told.append(line.problem or "Its backdrop could not be cleared")
    if doubtful(line):
        key = select(PhotoRow.cutout_key).where(PhotoRow.id == line.id).scalar_subquery()
        flags = session.scalar(select(CutoutRow.flags).where(CutoutRow.key == key))
        told += [f"{flag.text[:1].upper()}{flag.text[1:]}" for flag in flags or ()]
    if takes_part(line) and line.unmatched:
        told.append(f"No product is known for it: {line.why}" if line.why else "No product is known for it")
    elif takes_part(line) and line.doubt:
        told.append(f"Is it {line.code}? {line.doubt[:1].upper()}{line.doubt[1:]}")
    return told


def is_doubted(line: PhotoLine) -> bool:
    """Whether doubts_about has something to say, as far as the line itself tells."""
    if line.error or (line.card and line.doubt):
        return True
    return not line.card and (
        looks_soft(line)
        or is_dark(line.paper)
        or doubtful(line)
        or (takes_part(line) and bool(line.doubt))
        or line.unmatched
    )


def still_missing(session: Session, shoot: Shoot, limit: int) -> tuple[list[Missing], int]:
    """What no photo of a shoot shows yet, and how much that is: of its shot list, or, without one, of the catalog."""
    shots = session.scalars(select(ShotRow).where(ShotRow.shoot_id == shoot.id).order_by(ShotRow.id)).all()
    lines = lines_of(session, shoot.id)
    if shots:
        part = [line for line in lines if takes_part(line)]
        seen = {(line.code, line.view or line.turn) for line in part} | {(line.code, "") for line in part}
        names = {folded(line.name) for line in part}
        missing = [
            Missing(shot.code, shot.view, shot.filename)
            for shot in shots
            if folded(shot.filename) not in names and (shot.code, shot.view) not in seen
        ]
        return missing[:limit], len(missing)

    def found() -> tuple[list[Missing], int]:
        shown = {line.code for line in lines if line.code and not line.card}
        products, count = products_unseen(session, shown, limit)
        return [Missing(product.code, "", product.name) for product in products], count

    return kept(session, ("missing", shoot.id, limit), found, small=True)
