"""Code cards: which product the photos behind a photographed card show, and where that cannot be known for sure."""

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

from zero_easel.core.catalog.codes import Codes
from zero_easel.core.catalog.shooting import Frame, Placed, shooting_order

_ENOUGH, _MOST = 4, 0.6
"""A number of photos is usual if at least so many cards, and this share of them, have it behind them."""


class Snap(NamedTuple):
    """A frame and what was read off it. codes: texts of its barcodes; card_like: it looks like a printed card, whether
    readable or not; not_card: a person said that it is none. unreadable: the file gives no picture."""

    frame: Frame
    codes: tuple[str, ...] = ()
    card_like: bool = False
    not_card: bool = False
    unreadable: bool = False


class Carded(NamedTuple):
    """What the cards say of one frame. card: it is a card itself. code: the product, "" if unknown. why: in words.
    doubt: a sentence if the product is not sure, or if the card needs a person."""

    card: bool = False
    code: str = ""
    why: str = ""
    doubt: str = ""


class CardReader:
    """Follows cards through a shoot. codes: of the catalog; without any, a card's own text is the code."""

    def __init__(self, codes: Codes) -> None:
        self._codes = codes

    def follow(self, snaps: Sequence[Snap]) -> list[Carded]:
        """For each frame, in the order given: whether it is a card, and the product of the card before it in shooting
        order. All empty if there is no card among them.

        A product is doubtful from a missing file number on, until the next card: the missing file may have been a
        card. The same goes for a file that gives no picture, for one that was taken before the one in front of it, and
        for the surplus where most cards have the same number of photos behind them and one has more.
        """
        cards = [self._card(snap) for snap in snaps]
        if not any(cards):
            return [Carded()] * len(snaps)
        result = [Carded()] * len(snaps)
        code, why, doubt = "", "before the first code card", ""
        runs: list[list[int]] = []
        for placed in shooting_order([snap.frame for snap in snaps]):
            snap, card = snaps[placed.at], cards[placed.at]
            if card is not None:
                result[placed.at] = card
                code, doubt = card.code, ""
                why = f"after the code card {snap.frame.name}" if code else card.doubt
                runs.append([])
                continue
            doubt = doubt or _gap(placed, snap)
            if not snap.unreadable:
                result[placed.at] = Carded(False, code, why, doubt if code else "")
                if runs:
                    runs[-1].append(placed.at)
        for at, doubt in _surplus(runs).items():
            if result[at].code and not result[at].doubt:
                result[at] = result[at]._replace(doubt=doubt)
        return result

    def _card(self, snap: Snap) -> Carded | None:
        """What a frame says if it is a card. A product's own EAN may stand on the product itself, and so may a word
        that holds a code: they count only on what looks like a card. A shop's code on anything else is asked about."""
        if snap.not_card or snap.unreadable:
            return None
        name = snap.frame.name
        for text in snap.codes:
            code = self._codes.exactly(text)
            if code is not None:
                doubt = "" if snap.card_like else f"{name} holds the code {code} but does not look like a card"
                return Carded(True, code, f"code card: {text}", doubt)
        if not snap.card_like:
            return None
        for text in snap.codes:
            found = self._codes.within(text)
            code = self._codes.by_ean(text) or (found.codes[0] if found and len(found.codes) == 1 else None)
            if code is not None:
                return Carded(True, code, f"code card: {text[:60]}")
        if snap.codes and not self._codes:
            return Carded(True, snap.codes[0], f"code card: {snap.codes[0]}")
        if snap.codes:
            return Carded(True, "", "code card", f"the code card {name} says {snap.codes[0]}, not in the catalog")
        return Carded(True, "", "code card", f"the code card {name} cannot be read")


def _surplus(runs: Sequence[Sequence[int]]) -> dict[int, str]:
    """Doubts about the photos by which a card has more behind it than most have, by index: a card may be missing among
    them that has left no gap in the numbers."""
    sizes = Counter(len(run) for run in runs if run)
    usual, often = sizes.most_common(1)[0] if sizes else (0, 0)
    if often < _ENOUGH or often < _MOST * sizes.total():
        return {}
    message = "behind this card are {} photos, behind most {}: perhaps a card is missing before this one"
    return {at: message.format(len(run), usual) for run in runs for at in run[usual:]}


def _gap(placed: Placed, snap: Snap) -> str:
    """Why a card may have been missed just before a frame, or ""."""
    if snap.unreadable:
        return f"{snap.frame.name} gives no picture and may have been a code card"
    if placed.missing:
        more = f" and {placed.missing - 1} more" if placed.missing > 1 else ""
        verb = "are" if placed.missing > 1 else "is"
        return f"file {placed.first_missing}{more} {verb} missing before it, perhaps a code card"
    if placed.earlier:
        return "its file number and its capture time disagree about what came before it"
    return ""
