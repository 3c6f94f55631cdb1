"""Matching a shoot's photos with products and views by itself, and what needs a person."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

from sqlalchemy import bindparam, select, update
from sqlalchemy.orm import Session

from zero_easel.core.catalog.bursts import Take, folded
from zero_easel.core.catalog.matching import Match, Matcher, Turn, odd_counts, views_in_turn
from zero_easel.core.catalog.products import Shot
from zero_easel.library.lists.lines import PhotoLine, lines_with, takes_part
from zero_easel.library.products import codes_for_matching, products_by_code
from zero_easel.library.store.models import Clearing, Original, PhotoRow, Shoot, ShotRow

_AUTOMATIC = ("code", "view", "turn", "why", "listed", "card", "doubt", "clearing", "behind")


def ensure_matched(session: Session, shoot: Shoot) -> None:
    """Match a shoot's photos again if anything came in since."""
    if shoot.stale:
        rematch(session, shoot)


def rematch(session: Session, shoot: Shoot) -> None:
    """Match all photos that were not assigned by hand, from shot list, names and code cards."""
    # Written first: from here on nothing comes in unseen, for whoever brings it has to wait until this is through.
    session.execute(update(Shoot).where(Shoot.id == shoot.id).values(stale=False))
    looked = lines_with(session, shoot.id, Original.look, Original.target)
    lines = [line for line, _ in looked]
    rows = session.scalars(select(ShotRow).where(ShotRow.shoot_id == shoot.id))
    shots = [Shot(s.filename, s.code, s.view) for s in rows]
    matcher = Matcher(codes_for_matching(session), shots, cards=shoot.cards, raw_counts=shoot.raw_counts)
    matches = matcher.match_all(
        [line.snap._replace(look=look, target=target is not None) for line, (look, target) in looked]
    )
    fresh = [_matched(line, match) for line, match in zip(lines, matches, strict=True)]
    if shoot.bursts and not shoot.whole:
        fresh = _folded(fresh, [look for _, (look, _) in looked])
    turns = _turns(session, shoot, fresh)
    fresh = [line._replace(turn=turns.get(line.id, "")) for line in fresh]
    changes = [
        {"photo": new.id, "hand": new.by_hand, **{key: getattr(new, key) for key in _AUTOMATIC}}
        for old, new in zip(lines, fresh, strict=True)
        if old != new
    ]
    if changes:
        # Whoever spoke by hand since these lines were read is not overruled.
        mine = (PhotoRow.id == bindparam("photo")) & (PhotoRow.by_hand == bindparam("hand"))
        session.connection().execute(update(PhotoRow).where(mine), changes)
        for photo in [row for row in session.identity_map.values() if isinstance(row, PhotoRow)]:
            session.refresh(photo)


def _matched(line: PhotoLine, match: Match) -> PhotoLine:
    """A line as it is matched; what a person said is certain."""
    if line.by_hand:
        line = line._replace(listed=True, card=line.card and not line.not_card, doubt="")
    else:
        line = line._replace(
            code=match.code, view=match.view, why=match.why, listed=match.listed, doubt=match.doubt, card=match.card
        )
    return line._replace(clearing=_clearing(line, line.card), behind=None)


def _folded(lines: Sequence[PhotoLine], looks: Sequence[bytes]) -> list[PhotoLine]:
    """Lines of which those stay out that stand behind the best of their burst."""
    takes = [
        Take(
            line.name,
            line.taken,
            line.code,
            line.view,
            look,
            line.blur,
            line.paper,
            line.clipped,
            line.chosen,
            apart=not takes_part(line),
        )
        for line, look in zip(lines, looks, strict=True)
    ]
    behind = folded(takes)
    return [
        line._replace(behind=lines[behind[at].best].id, listed=False, doubt=behind[at].why) if at in behind else line
        for at, line in enumerate(lines)
    ]


def _turns(session: Session, shoot: Shoot, lines: Sequence[PhotoLine]) -> dict[int, str]:
    """Views by turn of the photos that take part and have none of their own."""
    part = [line for line in lines if takes_part(line)]
    products = products_by_code(session, {line.code for line in part})
    turns = [Turn(p.name, p.code, p.view, products[p.code].category if p.code in products else "") for p in part]
    views = views_in_turn(turns, shoot.standard.rules.views)
    return {line.id: view for line, view in zip(part, views, strict=True) if not line.view}


def stale(session: Session, shoot_ids: Collection[int]) -> None:
    """Match some shoots again when they are next looked at.

    A statement, not a value of a shoot in hand: what is in hand may say so already, while it is being matched and set
    back by another session.
    """
    session.execute(update(Shoot).where(Shoot.id.in_(shoot_ids)).values(stale=True))


def all_stale(session: Session) -> None:
    """Match every shoot again when it is next looked at: the catalog, or what follows from it, has changed."""
    session.execute(update(Shoot).values(stale=True))
    session.expire_all()


@dataclass(frozen=True)
class Troubles:
    """All that a person should settle about a shoot's matches. odd: products with another number of photos than most,
    (code, number); bare_cards: cards with no photo behind them."""

    unmatched: list[PhotoLine]
    doubts: list[PhotoLine]
    cards: list[PhotoLine]
    bare_cards: list[PhotoLine]
    odd: list[tuple[str, int]]

    @property
    def count(self) -> int:
        """How many photos need a person."""
        return len(self.unmatched) + len(self.doubts) + len(self.cards)


def troubles_of(lines: Sequence[PhotoLine]) -> Troubles:
    """What needs a person among a shoot's photos, given in shooting order."""
    part = [line for line in lines if takes_part(line)]
    following: set[int] = set()
    last: list[PhotoLine] = []
    for line in lines:
        if line.card:
            # One card that was shot several times is one card.
            last = [*last, line] if last and last[-1].code == line.code else [line]
        elif line.code and not line.left_out:
            following.update(card.id for card in last)
    cards = [line for line in lines if line.card and not line.left_out]
    return Troubles(
        unmatched=[line for line in part if line.unmatched],
        doubts=[line for line in part if line.code and line.doubt],
        cards=[line for line in cards if line.doubt],
        bare_cards=[line for line in cards if line.code and line.id not in following],
        odd=sorted(odd_counts(line.code for line in part).items()),
    )


def _clearing(line: PhotoLine, card: bool) -> Clearing:
    """A card is never cleared; what turns out to be none waits for it."""
    if card:
        return Clearing.NONE
    return Clearing.WAITING if not line.clearing and not line.error else line.clearing
