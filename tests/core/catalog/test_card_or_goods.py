"""Goods that could be taken for code cards, and cards that cannot be read, in made-up shoots."""

from datetime import datetime, timedelta
from typing import NamedTuple

import cv2
import numpy as np
import pytest
from drawn import Picture, card, goods, ground
from hypothesis import given, settings
from hypothesis import strategies as st

from zero_easel.core.catalog.cards import Carded, CardReader, Snap, resemblances
from zero_easel.core.catalog.codes import Coded, Codes
from zero_easel.core.catalog.shooting import Frame
from zero_easel.core.photos.reading import read


class Shown(NamedTuple):
    """kind: "card", "spoiled" for a card that cannot be read, or "goods"."""

    kind: str
    picture: Picture


def spoiled(rng: np.random.Generator, picture: Picture) -> Picture:
    """Out of focus or far too dark."""
    soft = np.asarray(cv2.GaussianBlur(picture, (0, 0), rng.uniform(6, 9)), np.uint8)
    return soft if rng.uniform() < 0.6 else np.asarray(soft // 3, np.uint8)


def shoot(seed: int, cards: int, each: int, broken: int) -> tuple[list[Shown], list[Snap], Codes]:
    """Cards with `each` photos behind them, `broken` of which cannot be read, as they were taken."""
    rng = np.random.default_rng(seed)
    on = ground(rng)
    harmed = set(rng.choice(np.arange(1, cards), broken, replace=False).tolist()) if broken else set()
    shown = []
    for k in range(cards):
        drawn = card(rng, on, f"BY-{3000 + k}")
        shown.append(Shown("spoiled", spoiled(rng, drawn)) if k in harmed else Shown("card", drawn))
        shown += [Shown("goods", goods(rng, on)) for _ in range(each)]
    snaps = []
    for at, one in enumerate(shown):
        found = read(one.picture)
        frame = Frame(f"BRYD{at + 1:04}.JPG", datetime(2026, 5, 4) + timedelta(seconds=20 * at))
        snaps.append(Snap(frame, found.codes, found.card_like, look=found.look))
    return shown, snaps, Codes([Coded(f"BY-{3000 + k}", "") for k in range(cards)])


def check(seed: int, cards: int, each: int, broken: int) -> None:
    """No goods stay out, no card becomes goods, and what is behind a lost card is asked about."""
    shown, snaps, codes = shoot(seed, cards, each, broken)
    said = CardReader(codes).follow(snaps)
    product, lost = "", False
    for at, (one, carded) in enumerate(zip(shown, said, strict=True)):
        what = f"{snaps[at].frame.name}, {one.kind}, of shoot {seed}"
        if one.kind == "goods":
            assert not carded.card, what
            assert carded.code == "" if lost else carded.code == product, what
        else:
            lost = one.kind == "spoiled"
            product = "" if lost else f"BY-{3000 + at // (each + 1)}"
            assert carded.card and bool(carded.doubt) == lost, what


@pytest.mark.parametrize("seed", range(3))
def test_goods_are_never_left_out_and_lost_cards_always_found(seed: int) -> None:
    check(seed, cards=6, each=2, broken=1)


@pytest.mark.slow
def test_two_hundred_cards_and_more_goods() -> None:
    for seed in range(100, 120):
        check(seed, cards=10, each=1 + seed % 3, broken=seed % 3)


@pytest.mark.parametrize("seed", range(4))
def test_where_no_card_can_be_read_all_are_photos(seed: int) -> None:
    rng = np.random.default_rng(seed)
    on = ground(rng)
    found = [read(goods(rng, on)) for _ in range(8)]
    snaps = [Snap(Frame(f"P{k:04}.JPG", None), f.codes, True, look=f.look) for k, f in enumerate(found)]
    assert CardReader(Codes([Coded("BY-1", "")])).follow(snaps) == [Carded()] * 8


@settings(deadline=None)
@given(st.lists(st.sampled_from(["card", "like", "goods", "broken"]), max_size=30), st.integers(0, 3))
def test_every_photo_is_a_card_or_goods_and_what_is_left_out_says_why(kinds: list[str], seed: int) -> None:
    rng = np.random.default_rng(seed)
    look = bytes(rng.integers(0, 255, 192).astype(np.uint8))
    snaps = []
    for at, kind in enumerate(kinds):
        frame = Frame(f"P{at:04}.JPG", None)
        own = look if kind in ("card", "like") else bytes(rng.integers(0, 255, 192).astype(np.uint8))
        codes = (f"BY-{at}",) if kind == "card" else ()
        snaps.append(Snap(frame, codes, kind in ("card", "like"), unreadable=kind == "broken", look=own))
    said = CardReader(Codes([Coded(f"BY-{k}", "") for k in range(30)])).follow(snaps)
    assert len(said) == len(kinds)
    for kind, carded in zip(kinds, said, strict=True):
        assert carded.card or kind != "card"
        assert not carded.card or (kind in ("card", "like") and bool(carded.doubt) == (kind == "like"))


@given(st.lists(st.binary(min_size=192, max_size=192), min_size=1, max_size=6), st.integers(0, 5))
def test_a_look_resembles_itself_most_and_what_is_not_known_nothing(looks: list[bytes], at: int) -> None:
    one = looks[at % len(looks)]
    found = resemblances([one, b""], [*looks, b""])
    assert found.max() <= 1 + 1e-5 and found[1] == 0
    assert found[0] == pytest.approx(1, abs=1e-4) or len(set(one)) == 1
    assert resemblances([one], []).tolist() == [0]
