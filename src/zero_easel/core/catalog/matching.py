"""Which photo shows which product from which side, and why we think so."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from typing import NamedTuple

from zero_easel.core.catalog.cards import Carded, CardReader, Snap
from zero_easel.core.catalog.codes import Codes, HasCode, folded
from zero_easel.core.catalog.products import Shot
from zero_easel.core.catalog.twins import second_files
from zero_easel.core.standard.naming import stem

VIEWS = ("front", "back", "left", "right", "top", "bottom", "side", "detail")


class Match(NamedTuple):
    """code and view are "" where unknown. why: in plain words. listed: False if a shot list was given without it.
    doubt: a sentence if a person should make sure. card: the photo is a code card and shows no product."""

    code: str
    view: str
    why: str
    listed: bool = True
    doubt: str = ""
    card: bool = False


class Matcher:
    """Finds product and view of photos: from a shot list first, then from the file name, then from code cards."""

    def __init__(
        self,
        products: Iterable[HasCode],
        shots: Sequence[Shot] = (),
        *,
        cards: bool = True,
        raw_counts: bool | None = True,
    ) -> None:
        """cards: whether code cards may be among the photos. raw_counts: whether of a raw file and the picture beside
        it the former is the photo; None: both are, as where files are only given names."""
        self._codes = Codes(products)
        self._shots = {folded(s.filename): s for s in shots}
        self._cards = CardReader(self._codes) if cards else None
        self._raw_counts = raw_counts

    def match(self, filename: str) -> Match:
        """Product and view of one photo by the name of its file."""
        shot = self._shots.get(folded(filename))
        if shot is not None:
            known = self._codes.exactly(shot.code)
            missing = ", not in the catalog" if self._codes and known is None else ""
            return Match(known or shot.code, shot.view, f"shot list{missing}")
        found = self._codes.within(stem(filename))
        if found is not None and len(found.codes) > 1:
            return Match("", "", f"the file name fits both {' and '.join(found.codes[:2])}")
        if found is not None:
            view = _view(found.rest)
            return Match(found.codes[0], view, "code and view in the file name" if view else "code in the file name")
        if self._shots:
            return Match("", "", "not on the shot list", listed=False)
        return Match("", "", "no product code in the file name")

    def match_all(self, snaps: Sequence[Snap]) -> list[Match]:
        """Product and view of all photos of a shoot; where table, name and cards contradict each other, the first of
        them counts and the contradiction is a doubt. Of a raw file and the picture beside it one stays out."""
        second = {} if self._raw_counts is None else second_files(snaps, raw_counts=self._raw_counts)
        once = [snap for at, snap in enumerate(snaps) if at not in second]
        found = dict(zip((at for at in range(len(snaps)) if at not in second), self._matched(once), strict=True))
        for at, why in second.items():
            found[at] = self.match(snaps[at].frame.name)._replace(listed=False, doubt=why)
        return [found[at] for at in range(len(snaps))]

    def _matched(self, snaps: Sequence[Snap]) -> list[Match]:
        if self._cards is None:
            return [self.match(snap.frame.name) for snap in snaps]
        carded = self._cards.follow(snaps)
        return [
            _joined(self.match(s.frame.name), c, folded(s.frame.name) in self._shots)
            for s, c in zip(snaps, carded, strict=True)
        ]


def _joined(match: Match, card: Carded, by_list: bool) -> Match:
    """What table or name say of a photo, and what the card before it says. by_list: whether it was the table."""
    if card.card:
        return Match(card.code, "", card.why, doubt=card.doubt, card=True)
    if not card.why:
        return match
    if match.code:
        if card.code and card.code != match.code:
            place = "the shot list" if by_list else "its name"
            return match._replace(doubt=f"{place} says {match.code}, the code card before it {card.code}")
        # Two that agree make each other certain: a missing file no longer matters.
        return match._replace(why=f"{match.why} and code card") if card.code else match
    unlisted = "not on the shot list" if not match.listed and card.code else ""
    doubts = "; ".join(text for text in (card.doubt, unlisted) if text)
    listed = match.listed or bool(card.code)
    return Match(card.code, match.view, card.why, listed=listed, doubt=doubts)


class Turn(NamedTuple):
    """One photo of a product in its turn: what numbering and views by order need to know of it."""

    name: str
    code: str
    view: str
    category: str = ""


def views_in_turn(turns: Sequence[Turn], by_category: Mapping[str, Sequence[str]]) -> list[str]:
    """The view of each photo, given in shooting order: its own, or by its turn within the product.

    by_category: view words for the first, second, ... photo of a product, by category; "" for all others. A word that
    another photo of the product has already, and a turn beyond the words, give the turn's number.
    """
    own: dict[str, set[str]] = {}
    for turn in turns:
        own.setdefault(turn.code, set()).add(turn.view)
    seen: Counter[str] = Counter()
    views = []
    for turn in turns:
        if not turn.code:
            views.append(turn.view)
            continue
        seen[turn.code] += 1
        at = seen[turn.code]
        words = by_category.get(turn.category.casefold(), by_category.get("", ()))
        word = words[at - 1] if at <= len(words) else str(at)
        views.append(turn.view or (word if word not in own[turn.code] else str(at)))
    return views


def odd_counts(codes: Iterable[str]) -> dict[str, int]:
    """Products whose number of photos differs from what most have: code -> number; empty if none is usual."""
    counts = Counter(code for code in codes if code)
    usual = Counter(counts.values()).most_common(2)
    if len(usual) < 2 or usual[0][1] == usual[1][1] or usual[0][1] * 2 <= len(counts):
        return {}
    return {code: count for code, count in counts.items() if count != usual[0][0]}


def _view(rest: list[str]) -> str:
    """View word or number among the runs that follow a code, as in _front, -02 or " (3)"."""
    for run in rest:
        if run in VIEWS:
            return run
    return next((str(int(run)) for run in rest if run.isdecimal() and len(run) <= 3), "")
