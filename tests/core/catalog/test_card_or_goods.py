"""Goods that could be taken for code cards, and cards that cannot be read, in made-up shoots."""

from datetime import datetime, timedelta
from typing import NamedTuple

import cv2
import numpy as np
import pytest
import zxingcpp
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from zero_easel.core.catalog.cards import Carded, CardReader, Snap, resemblances
from zero_easel.core.catalog.codes import Coded, Codes
from zero_easel.core.catalog.shooting import Frame
from zero_easel.core.photos.reading import read

Picture = NDArray[np.uint8]
W, H = 800, 600


class Shown(NamedTuple):
    """kind: "card", "spoiled" for a card that cannot be read, or "goods"."""

    kind: str
    picture: Picture


def ground(rng: np.random.Generator) -> Picture:
    light = np.linspace(1, rng.uniform(0.75, 1), H)[:, None, None] * (rng.integers(120, 245) + rng.normal(0, 2, 3))
    return np.clip(np.broadcast_to(light, (H, W, 3)) + rng.normal(0, 1.5, (H, W, 1)), 0, 255).astype(np.uint8)


def card(rng: np.random.Generator, on: Picture, code: str) -> Picture:
    """A sheet with a shop's name, a code as QR, and the same in print: all of a shoot are laid out alike."""
    picture = on.copy()
    x, y = (int(v) + int(rng.integers(-6, 7)) for v in (W * 0.22, H * 0.12))
    w, h = round(W * 0.56), round(H * 0.74)
    picture[y : y + h, x : x + w] = 248
    symbol = zxingcpp.create_barcode(code, zxingcpp.BarcodeFormat.QRCode)
    drawn = cv2.resize(np.asarray(zxingcpp.write_barcode_to_image(symbol)), (230, 230), interpolation=cv2.INTER_NEAREST)
    picture[y + 90 : y + 320, x + 110 : x + 340] = drawn[..., None]
    cv2.putText(picture, "Brindle Yard", (x + 30, y + 60), cv2.FONT_HERSHEY_SIMPLEX, 1.6, (20, 20, 20), 3, cv2.LINE_AA)
    cv2.putText(picture, code, (x + 60, y + 400), cv2.FONT_HERSHEY_SIMPLEX, 2, (20, 20, 20), 4, cv2.LINE_AA)
    return picture


def spoiled(rng: np.random.Generator, picture: Picture) -> Picture:
    """Out of focus or far too dark."""
    soft = np.asarray(cv2.GaussianBlur(picture, (0, 0), rng.uniform(6, 9)), np.uint8)
    return soft if rng.uniform() < 0.6 else np.asarray(soft // 3, np.uint8)


def cutlery(rng: np.random.Generator, picture: Picture) -> None:
    """Forks lying side by side, grey on grey."""
    for k in range(int(rng.integers(2, 5))):
        x, tone = 150 + 130 * k + int(rng.integers(-20, 20)), int(rng.integers(40, 110))
        cv2.line(picture, (x, 230), (x + 10, 520), (tone,) * 3, 14, cv2.LINE_AA)
        for tine in range(-2, 3):
            cv2.line(picture, (x, 230), (x + 9 * tine, 90), (tone,) * 3, 5, cv2.LINE_AA)


def glass(rng: np.random.Generator, picture: Picture) -> None:
    """Rims, walls and sparkles of a tumbler."""
    x, r, tone = int(rng.integers(300, 500)), int(rng.integers(70, 130)), int(rng.integers(60, 120))
    for y in (140, 150, 470, 480):
        cv2.ellipse(picture, (x, y), (r, r // 4), 0, 0, 360, (tone,) * 3, 2, cv2.LINE_AA)
    for side in (-1, 1):
        cv2.line(picture, (x + side * r, 145), (x + side * (r - 12), 475), (tone,) * 3, 4, cv2.LINE_AA)
    for _ in range(int(rng.integers(4, 16))):
        a, b = int(rng.integers(-r, r)), int(rng.integers(170, 450))
        cv2.line(picture, (x + a, b), (x + a + 3, b + int(rng.integers(5, 40))), (tone,) * 3, 2, cv2.LINE_AA)


def labelled(rng: np.random.Generator, picture: Picture) -> None:
    """A white or coloured box with lines of type."""
    tone = (245, 245, 245) if rng.uniform() < 0.6 else tuple(int(v) for v in rng.integers(60, 250, 3))
    x, y = int(rng.integers(180, 330)), int(rng.integers(60, 200))
    w, h = int(rng.integers(200, 330)), int(rng.integers(220, 380))
    cv2.rectangle(picture, (x, y), (x + w, y + h), tone, -1)
    for row in range(int(rng.integers(3, 12))):
        size = rng.uniform(0.4, 1.2)
        text = "".join(rng.choice(list("abcdefgh mnopr stuv"), 12))
        cv2.putText(picture, text, (x + 10, y + 30 + 28 * row), cv2.FONT_HERSHEY_SIMPLEX, size, (30, 30, 30), 2)


def striped(rng: np.random.Generator, picture: Picture) -> None:
    """A towel with dark stripes."""
    picture[100:500, 200:600] = 235
    for y in range(110, 490, int(rng.integers(12, 40))):
        picture[y : y + int(rng.integers(3, 9)), 200:600] = int(rng.integers(20, 90))


GOODS = (cutlery, glass, labelled, striped)


def goods(rng: np.random.Generator, on: Picture) -> Picture:
    picture = on.copy()
    GOODS[int(rng.integers(len(GOODS)))](rng, picture)
    return picture


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
