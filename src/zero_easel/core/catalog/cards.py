"""Code cards: which product the photos behind a photographed card show, and where that cannot be known for sure."""

from collections import Counter
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from zero_easel.core.catalog.codes import Codes
from zero_easel.core.catalog.shooting import Frame, Placed, shooting_order
from zero_easel.core.light.colour import Float

_ENOUGH, _MOST = 4, 0.6
"""A number of photos is usual if at least so many cards, and this share of them, have it behind them."""

_ALIKE = 0.85
"""Resemblance from which a photo looks like a card of its shoot: of the demo's cards all but two have another that is
as near, and no item has one nearer than 0.77."""


SHOWS_TARGET, SHOWS_GREY = "shows a colour target", "shows a grey card"
"""Why a photo that does stays out."""


class Snap(NamedTuple):
    """A frame and what was read off it. codes: texts of its barcodes; card_like: it looks like a printed card, whether
    readable or not; not_card: a person said that it is none. unreadable: the file gives no picture. look: see
    core.photos.reading.Reading. folder: that it lies in. raw: it is a raw file. target: it shows a colour target."""

    frame: Frame
    codes: tuple[str, ...] = ()
    card_like: bool = False
    not_card: bool = False
    unreadable: bool = False
    look: bytes = b""
    folder: str = ""
    raw: bool = False
    target: bool = False

    @property
    def only_target(self) -> bool:
        """Whether it is no goods because it shows a colour target."""
        return self.target and not self.not_card and not self.unreadable


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
        order. All empty if there is no readable card among them.

        What cannot be read is taken for a card only where the shoot's readable cards say so: it looks like them, or
        like print, and stands where the next card is due. What looks like one elsewhere is asked about, and stays.

        A product is doubtful from a missing file number on, until the next card: the missing file may have been a
        card. The same goes for a file that gives no picture, for one that was taken before the one in front of it, and
        for the surplus where most cards have the same number of photos behind them and one has more.
        """
        cards = [self._card(snap) for snap in snaps]
        targets = [Carded(True, "", SHOWS_TARGET) if snap.only_target else Carded() for snap in snaps]
        if not any(cards):
            return targets
        order = [placed for placed in shooting_order([s.frame for s in snaps]) if not snaps[placed.at].only_target]
        suspects = _suspects(snaps, cards, [placed.at for placed in order])
        result = targets
        code, why, doubt = "", "before the first code card", ""
        runs: list[list[int]] = []
        for placed in order:
            snap, card = snaps[placed.at], cards[placed.at]
            if suspects.get(placed.at):
                card = Carded(True, "", "code card", f"the code card {snap.frame.name} cannot be read")
            if card is not None:
                result[placed.at] = card
                code, doubt = card.code, ""
                why = f"after the code card {snap.frame.name}" if code else card.doubt
                runs.append([])
                continue
            doubt = doubt or _gap(placed, snap)
            own = "it may be a code card that cannot be read" if placed.at in suspects else ""
            if not snap.unreadable:
                result[placed.at] = Carded(False, code, why, (doubt or own) if code else "")
                if runs:
                    runs[-1].append(placed.at)
            if own:
                doubt = doubt or f"{snap.frame.name} may be a code card that cannot be read"
        for at, doubt in _surplus(runs).items():
            if result[at].code and not result[at].doubt:
                result[at] = result[at]._replace(doubt=doubt)
        return result

    def _card(self, snap: Snap) -> Carded | None:
        """What a frame says if a card's code was read off it. A product's own EAN may stand on the product itself, and
        so may a word that holds a code: they count only on what looks like a card. A shop's code on anything else is
        asked about."""
        if snap.not_card or snap.unreadable or snap.only_target:
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
        return None


def _suspects(snaps: Sequence[Snap], cards: Sequence[Carded | None], order: Sequence[int]) -> dict[int, bool]:
    """Frames without a readable code that may be cards, by index: whether they are taken for cards, or only asked
    about. order: indices in shooting order."""
    looks = [snaps[at].look for at in order if (card := cards[at]) and card.code and snaps[at].card_like]
    if not looks:
        return {}
    runs: list[list[int]] = [[]]
    for at in order:
        if cards[at]:
            runs.append([])
        else:
            runs[-1].append(at)
    usual = _usual(runs[1:])
    like = resemblances([snap.look for snap in snaps], looks)
    found: dict[int, bool] = {}
    for number, run in enumerate(runs):
        if number and len(run) == usual:  # as many photos as any card has: all of them are photos
            continue
        behind, since = number > 0, 0
        for k, at in enumerate(run):
            snap = snaps[at]
            alike = bool(like[at] >= _ALIKE)
            due = since == usual if behind else len(run) - k - 1 == usual
            if (alike or snap.card_like) and not (snap.not_card or snap.unreadable):
                found[at] = due if usual else alike and snap.card_like
            behind, since = (True, 0) if found.get(at) else (behind, since + 1)
    return found


def _usual(runs: Sequence[Sequence[int]]) -> int:
    """How many photos most cards have behind them, 0 if no number is usual."""
    sizes = Counter(len(run) for run in runs if run)
    usual, often = sizes.most_common(1)[0] if sizes else (0, 0)
    return usual if often >= _ENOUGH and often >= _MOST * sizes.total() else 0


def _surplus(runs: Sequence[Sequence[int]]) -> dict[int, str]:
    """Doubts about the photos by which a card has more behind it than most have, by index: a card may be missing among
    them that has left no gap in the numbers."""
    usual = _usual(runs)
    if not usual:
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


def resemblances(looks: Sequence[bytes], cards: Sequence[bytes]) -> Float:
    """How much each look (core.photos.reading.look_of) is like the most similar of some cards: (n,) correlations, at
    most 1; 0 where one is not known."""
    known = _standardised([card for card in cards if card])
    found = np.zeros(len(looks), np.float32)
    seen = [at for at, look in enumerate(looks) if look]
    if seen and len(known):
        found[seen] = (_standardised([looks[at] for at in seen]) @ known.T).max(1)
    return found


def _standardised(looks: Sequence[bytes]) -> Float:
    """(n, levels) float32, each row of mean 0 and length 1."""
    if not looks:
        return np.zeros((0, 0), np.float32)
    rows = np.frombuffer(b"".join(looks), np.uint8).reshape(len(looks), -1).astype(np.float32)
    rows -= rows.mean(1, keepdims=True)
    return np.asarray(rows / np.maximum(np.linalg.norm(rows, axis=1, keepdims=True), 1e-6), np.float32)
