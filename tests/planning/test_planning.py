"""A batch is planned the same way, whoever brings its photos."""

from functools import cache

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from support import item_of

from zero_easel.core.catalog.matching import Match, Matcher
from zero_easel.core.catalog.products import Product
from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Size
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.editing import changed
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.patterns import PatternError
from zero_easel.planning.batch import (
    BY_HAND,
    EMPTY_BACKDROP,
    NOT_ASKED,
    BatchPhoto,
    Products,
    lay_all,
    plan,
    why_left_out,
)

MUG = Product(code="A-1", name="Mug", category="kitchen", width_mm=120, height_mm=80)
JUG = Product(code="A-2", name="Jug", category="kitchen")
CATALOG = Products({product.code: product for product in (MUG, JUG)})


def photos(*names: str, out: dict[str, str] | None = None) -> list[BatchPhoto]:
    matcher = Matcher([MUG, JUG])
    return [BatchPhoto(name, matcher.match(name), out=(out or {}).get(name, "")) for name in names]


def test_photos_get_the_names_and_views_of_their_products() -> None:
    standard = Standard(views={"": ("front", "back")})
    batch = plan(photos("a-1 x.jpg", "a-1 y.jpg", "a-2.jpg"), standard, CATALOG, "Shelf")
    assert [one.output for one in batch.pictures] == ["A-1_front.jpg", "A-1_back.jpg", "A-2_front.jpg"]
    assert [subject.view for subject in batch.subjects.values()] == ["front", "back", "front"]
    assert batch.subjects[0].category == "kitchen" and batch.subjects[0].size.width == 120
    assert not batch.clashes and not batch.left_out


def test_what_takes_no_part_keeps_its_place_and_its_reason() -> None:
    batch = plan(photos("a-1 front.jpg", "card.jpg", "a-2 front.jpg", out={"card.jpg": "a code card"}),
                 Standard(), CATALOG, "Shelf")  # fmt: skip
    assert [one.at for one in batch.pictures] == [0, 2] and set(batch.subjects) == {0, 2}
    assert batch.left_out == {1: "a code card"}


def test_a_view_that_no_deliverable_asks_for_is_told() -> None:
    standard = Standard(deliverables=(Deliverable(name="shop", views="front"),))
    batch = plan(photos("a-1 front.jpg", "a-1 back.jpg"), standard, CATALOG, "Shelf")
    assert [one.at for one in batch.pictures] == [0] and batch.left_out == {1: NOT_ASKED}


def test_names_wanted_twice_and_columns_that_are_missing_are_found() -> None:
    batch = plan(photos("a-1 front.jpg", "A-1_front.png"), Standard(), CATALOG, "Shelf")
    assert [clash.output for clash in batch.clashes] == ["A-1_front.jpg"]
    with pytest.raises(PatternError, match="no column"):
        plan(photos("a-1.jpg"), changed(Standard(), "names.name", "{season}"), CATALOG, "Shelf")


def test_copies_keep_their_suffixes() -> None:
    batch = plan(photos("a-1 front.NEF", "a-2 front.jpg"), Standard(), CATALOG, "Shelf", copies=True)
    assert [one.output for one in batch.pictures] == ["A-1_front.nef", "A-2_front.jpg"]


@pytest.mark.parametrize(
    ("match", "options", "why"),
    [
        (Match("A-1", "", ""), {}, ""),
        (Match("A-1", "", ""), {"empty": True}, EMPTY_BACKDROP),
        (Match("A-1", "", ""), {"by_hand": True}, BY_HAND),
        (Match("A-1", "", "code card of A-1", card=True), {"by_hand": True}, "code card of A-1"),
        (Match("", "", "", listed=False), {}, "not on the shot list"),
    ],
)
def test_reasons_for_leaving_out(match: Match, options: dict[str, bool], why: str) -> None:
    assert why_left_out(match, **options) == why


@cache
def square(side: int) -> Measures:
    alpha = np.zeros((100, 100), np.float32)
    alpha[100 - side :, :side] = 1
    measures = item_of(alpha).measures
    assert measures is not None
    return measures


@given(st.lists(st.sampled_from([20, 33, 50, 71, 90]), min_size=1, max_size=5), st.sampled_from([240, 600, 1600]))
def test_every_deliverable_lays_out_the_whole_row(sides: list[int], number: int) -> None:
    standard = Standard(deliverables=(Deliverable(name="shop"), Deliverable(name="b", size="longest", number=number)))
    shots = [
        BatchPhoto(f"{at}.jpg", Match(str(at), "", ""), measures=square(side), frame=Size(100, 100))
        for at, side in enumerate(sides)
    ]
    placed = lay_all(plan(shots, standard, CATALOG, "Shelf").subjects, standard)
    assert set(placed) == {"shop", "b"} and set(placed["shop"]) == set(range(len(sides)))
    for one in placed["b"].values():
        assert one is not None and max(one.canvas) == number and not one.cut_sides
