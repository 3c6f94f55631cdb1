"""Photos that follow code cards: the demo shop's shoot, whole and with what goes wrong on a day of shooting."""

import csv
from collections.abc import Callable
from datetime import timedelta
from functools import cache

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from support import CATALOG, PHOTOS, SHOTLIST

from zero_easel.core.catalog.cards import Carded, CardReader, Snap
from zero_easel.core.catalog.codes import Codes
from zero_easel.core.catalog.matching import Match, Matcher, odd_counts
from zero_easel.core.catalog.products import Product, Shot, read_catalog
from zero_easel.core.catalog.shooting import Frame
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.photos.reading import read

PRODUCTS = read_catalog(CATALOG.read_bytes(), "products.csv").products
TRUTH = {row["filename"]: row["code"] for row in csv.DictReader(SHOTLIST.open())}
Spoiled = dict[str, Callable[[NDArray[np.uint8]], NDArray[np.uint8]]]


@cache
def whole_shoot() -> tuple[Snap, ...]:
    """The demo shop's shoot in shooting order: 15 cards, 30 photos."""
    files = sorted(path for path in PHOTOS.glob("BRYD01*.JPG") if path.name != "BRYD0146.JPG")
    photos = [read_photo(path) for path in files]
    readings = [read(photo.pixels) for photo in photos]
    return tuple(
        Snap(Frame(photo.name, photo.facts.taken), reading.codes, reading.card_like)
        for photo, reading in zip(photos, readings, strict=True)
    )


def matched(snaps: list[Snap]) -> dict[str, Match]:
    names = [snap.frame.name for snap in snaps]
    return dict(zip(names, Matcher(PRODUCTS).match_all(snaps), strict=True))


def wrong_and_flagged(matches: dict[str, Match], truth: dict[str, str]) -> tuple[set[str], set[str]]:
    wrong = {name for name, code in truth.items() if name in matches and matches[name].code != code}
    flagged = {name for name, match in matches.items() if not match.card and (match.doubt or not match.code)}
    return wrong, flagged


@pytest.mark.slow
def test_the_whole_shoot_matches_fully_and_rightly() -> None:
    matches = matched(list(whole_shoot()))
    assert {name: match.code for name, match in matches.items() if not match.card} == TRUTH
    assert sum(match.card for match in matches.values()) == 15
    assert not any(match.doubt for match in matches.values())


@pytest.mark.parametrize("times", [True, False])
def test_a_shoot_across_the_rollover_matches_the_same(times: bool) -> None:
    renamed, truth = [], {}
    for at, snap in enumerate(whole_shoot()):
        name = f"BRYD{(9979 + at) % 9999 + 1:04}.JPG"
        renamed.append(snap._replace(frame=Frame(name, snap.frame.taken if times else None)))
        if snap.frame.name in TRUTH:
            truth[name] = TRUTH[snap.frame.name]
    matches = matched(sorted(renamed, key=lambda snap: snap.frame.name))
    assert {name: match.code for name, match in matches.items() if not match.card} == truth
    assert wrong_and_flagged(matches, truth) == (set(), set())


@pytest.mark.parametrize("card", ["BRYD0101.JPG", "BRYD0122.JPG", "BRYD0143.JPG"])
def test_behind_a_missing_card_exactly_its_photos_are_flagged(card: str) -> None:
    first = int(card[4:8])
    behind = {f"BRYD{first + k:04}.JPG" for k in (1, 2)}
    matches = matched([snap for snap in whole_shoot() if snap.frame.name != card])
    assert wrong_and_flagged(matches, TRUTH) == (behind, behind)


@pytest.mark.parametrize("card", ["BRYD0104.JPG", "BRYD0131.JPG"])
@pytest.mark.parametrize("harm", ["blurred", "covered", "dark"])
def test_behind_an_unreadable_card_exactly_its_photos_are_flagged(card: str, harm: str) -> None:
    pixels = read_photo(PHOTOS / card).pixels.copy()
    if harm == "blurred":
        pixels = np.asarray(cv2.GaussianBlur(pixels, (0, 0), 9), np.uint8)
    elif harm == "covered":
        pixels[540:910, 380:1180] = pixels[1100:1110, 100:110].mean((0, 1))
    else:
        pixels = np.asarray(cv2.GaussianBlur(pixels // 3, (0, 0), 9), np.uint8)
    reading = read(pixels)
    assert reading.card_like and not reading.codes
    spoiled = [s._replace(codes=reading.codes) if s.frame.name == card else s for s in whole_shoot()]
    behind = {f"BRYD{int(card[4:8]) + k:04}.JPG" for k in (1, 2)}
    matches = matched(spoiled)
    assert wrong_and_flagged(matches, TRUTH) == (behind, behind)
    assert matches[card].card and "cannot be read" in matches[card].doubt


def test_behind_a_missing_photo_what_follows_it_is_flagged_and_the_product_stands_out() -> None:
    without_first = matched([snap for snap in whole_shoot() if snap.frame.name != "BRYD0105.JPG"])
    assert wrong_and_flagged(without_first, TRUTH) == (set(), {"BRYD0106.JPG"})
    without_last = matched([snap for snap in whole_shoot() if snap.frame.name != "BRYD0106.JPG"])
    assert wrong_and_flagged(without_last, TRUTH) == (set(), set())
    assert odd_counts(m.code for m in without_last.values() if not m.card) == {"BY-2104-BL": 1}


def test_all_that_can_go_wrong_at_once_leaves_nothing_silently_wrong() -> None:
    shoot = [s._replace(codes=()) if s.frame.name == "BRYD0131.JPG" else s for s in whole_shoot()]
    kept = [s for s in shoot if s.frame.name not in ("BRYD0110.JPG", "BRYD0124.JPG")]
    renamed = [s._replace(frame=s.frame._replace(name=f"BRYD{(int(s.frame.name[4:8]) + 9869) % 9999 + 1:04}.JPG"))
               for s in kept]  # fmt: skip
    truth = {r.frame.name: TRUTH[s.frame.name] for r, s in zip(renamed, kept, strict=True) if s.frame.name in TRUTH}
    wrong, flagged = wrong_and_flagged(matched(renamed[::-1]), truth)
    assert wrong == flagged == {f"BRYD{(n + 9869) % 9999 + 1:04}.JPG" for n in (111, 112, 132, 133)}


def test_a_missing_card_shows_even_if_the_files_were_numbered_anew() -> None:
    kept = [s for s in whole_shoot() if s.frame.name not in ("BRYD0110.JPG", "BRYD0124.JPG")]
    renamed = [s._replace(frame=Frame(f"X{at:04}.JPG", None)) for at, s in enumerate(kept, 1)]
    truth = {r.frame.name: TRUTH[s.frame.name] for r, s in zip(renamed, kept, strict=True) if s.frame.name in TRUTH}
    wrong, flagged = wrong_and_flagged(matched(renamed), truth)
    assert wrong == flagged and len(wrong) == 2


def snap(name: str, *codes: str, card: bool = False, **more: bool) -> Snap:
    return Snap(Frame(name, None), codes, card, **more)


def test_a_products_own_barcode_is_no_card_unless_it_stands_on_one() -> None:
    reader = CardReader(Codes([Product(code="T-1", ean="2900000412071")]))
    label, card = snap("P0001.JPG", "2900000412071"), snap("P0001.JPG", "02900000412071", card=True)
    assert not reader.follow([label, snap("P0002.JPG")])[0].card
    assert [c.code for c in reader.follow([card, snap("P0002.JPG")])] == ["T-1", "T-1"]
    tagged = reader.follow([snap("P0001.JPG", "t-1"), snap("P0002.JPG")])
    assert tagged[1].code == "T-1" and "does not look like a card" in tagged[0].doubt
    linked = snap("P0001.JPG", "https://brindle.example/p/t1?from=card", card=True)
    assert reader.follow([linked, snap("P0002.JPG")])[1] == Carded(False, "T-1", "after the code card P0001.JPG")


def test_a_card_of_another_shop_and_one_that_is_none() -> None:
    reader = CardReader(Codes([Product(code="T-1")]))
    followed = reader.follow([snap("P0001.JPG", "ZZ", card=True), snap("P0002.JPG")])
    assert followed[0].doubt.endswith("says ZZ, not in the catalog") and followed[1].code == ""
    assert not any(reader.follow([snap("P0001.JPG", card=True, not_card=True), snap("P0002.JPG")])[0])
    assert CardReader(Codes([])).follow([snap("P0001.JPG", "ZZ", card=True), snap("P0002.JPG")])[1].code == "ZZ"


def test_a_file_without_a_picture_and_a_wrong_clock_are_doubts() -> None:
    reader = CardReader(Codes([Product(code="T-1")]))
    row = [snap("P0001.JPG", "T-1"), snap("P0002.JPG", unreadable=True), snap("P0003.JPG")]
    assert "P0002.JPG gives no picture" in reader.follow(row)[2].doubt
    now = whole_shoot()[0].frame.taken
    assert now is not None
    rows = ((1, 5, ("T-1",)), (2, 9, ()), (3, 7, ()))
    later = [Frame(f"P000{number}.JPG", now + timedelta(minutes=minute)) for number, minute, _ in rows]
    timed = [Snap(frame, codes, card_like=bool(codes)) for frame, (_, _, codes) in zip(later, rows, strict=True)]
    assert [bool(c.doubt) for c in reader.follow(timed)] == [False, False, True]


def test_table_name_and_card_together() -> None:
    products = [Product(code="A-1"), Product(code="B-2")]
    row = [snap("0001.JPG", "A-1"), snap("B-2 0002.JPG"), snap("A-1 0003.JPG"), snap("0004.JPG"), snap("listed.JPG")]
    shots = [Shot("0004.JPG", "B-2", "top"), Shot("listed.JPG", "A-1", "")]
    card, name, alike, listed, after = Matcher(products, shots).match_all(row)
    assert card.card and card.code == "A-1"
    assert (listed.code, listed.view) == ("B-2", "top")
    assert listed.doubt == "the shot list says B-2, the code card before it A-1"
    assert name.code == "B-2" and alike.code == "A-1" and not alike.doubt
    assert after.why == "shot list and code card" and not after.doubt
