"""The right code for each photo."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.catalog.matching import VIEWS, Match, Matcher, Turn, odd_counts, views_in_turn
from zero_easel.core.catalog.products import Product, Shot

PRODUCTS = [Product(code=c) for c in ("BY-2104", "BY-2104-BL", "BY-33", "TÖPF 7")]


@pytest.mark.parametrize(
    ("name", "code", "view"),
    [
        ("BY-2104_front.jpg", "BY-2104", "front"),
        ("by2104-back.JPG", "BY-2104", "back"),
        ("BY-2104-BL_front.jpg", "BY-2104-BL", "front"),
        ("by_2104_bl 02.jpg", "BY-2104-BL", "2"),
        ("2026-11 shelf BY 2104 (3).png", "BY-2104", "3"),
        ("IMG_4711-BY-33.tif", "BY-33", ""),
        ("töpf-7_top.jpg", "TÖPF 7", "top"),
        ("BY-21045_front.jpg", "", ""),
        ("BRYD0102.JPG", "", ""),
        ("BY-2104.JPG", "BY-2104", ""),
    ],
)
def test_codes_in_file_names(name: str, code: str, view: str) -> None:
    match = Matcher(PRODUCTS).match(name)
    assert (match.code, match.view) == (code, view)
    assert match.why


@given(st.sampled_from(PRODUCTS), st.sampled_from(VIEWS), st.sampled_from("-_ ."), st.booleans())
def test_any_separator_and_case_will_do(product: Product, view: str, separator: str, upper: bool) -> None:
    name = f"{product.code}{separator}{view}.jpg"
    match = Matcher(PRODUCTS).match(name.upper() if upper else name.lower())
    assert (match.code, match.view) == (product.code, view)


def test_the_shot_list_goes_before_the_name() -> None:
    matcher = Matcher(PRODUCTS, [Shot("by-33_top.jpg", "by-2104", "left"), Shot("x.jpg", "ZZ-9", "")])
    assert matcher.match("BY-33_TOP.JPG") == Match("BY-2104", "left", "shot list")
    assert matcher.match("x.jpg").why == "shot list, not in the catalog"
    assert not matcher.match("card.jpg").listed
    assert matcher.match("BY-33_back.jpg").listed


def test_two_codes_that_read_alike_are_not_guessed() -> None:
    matcher = Matcher([Product(code="A-12"), Product(code="A1-2")])
    assert matcher.match("a-12_front.jpg").code == "A-12"
    assert matcher.match("a 1 2.jpg").code == ""


def test_views_follow_the_turn_within_a_product() -> None:
    rows = ["A::kitchen", "B::", "A:top:kitchen", "A::Kitchen", ":::", "B:front:", "A::kitchen"]
    turns = [Turn(str(at), *row.split(":")[:3]) for at, row in enumerate(rows)]
    assert views_in_turn(turns, {}) == ["1", "1", "top", "3", "", "front", "4"]
    views = views_in_turn(turns, {"": ["front"], "kitchen": ["front", "back", "side"]})
    assert views == ["front", "1", "top", "side", "", "front", "4"]


def test_products_with_another_number_of_photos_stand_out() -> None:
    assert odd_counts(["A", "A", "B", "B", "C", "", "D", "D"]) == {"C": 1}
    assert odd_counts(["A", "A", "B"]) == {} and odd_counts([]) == {}
