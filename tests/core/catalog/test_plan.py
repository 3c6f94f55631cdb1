"""Old name -> new name for whole batches."""

from datetime import datetime

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zero_easel.core.catalog.matching import Match
from zero_easel.core.catalog.plan import GS1, KEEPS_NAME, NamedPhoto, Namer, Planned, find_clashes, plan_all
from zero_easel.core.catalog.products import Product
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import Names, Standard
from zero_easel.core.standard.naming import one_file, portable
from zero_easel.core.standard.patterns import PatternError

CUP = Product(code="A-1", name="Cup", category="kitchen", ean="2900000412071")
JUG = Product(code="B/2", name="Jug", category="garden", extra={"material": "clay"})
PRODUCTS = {"A-1": CUP, "B/2": JUG}
SHOTS = [("1.JPG", "A-1", ""), ("2.JPG", "A-1", "top"), ("3.JPG", "B/2", ""), ("4.JPG", "", ""), ("5.JPG", "A-1", "")]


def plan(shots: list[tuple[str, str, str]], **values: object) -> list[Planned]:
    wanted = Deliverable(format=values.pop("format", "jpeg"))  # type: ignore[arg-type]
    rules = Standard(names=Names.model_validate(values), deliverables=(wanted,), views={"": ("front",)})
    subjects = [NamedPhoto(name, Match(code, view, ""), datetime(2026, 11, 12)) for name, code, view in shots]
    return Namer(rules, ["material"], "Day 1", wanted).plan(subjects, PRODUCTS)


def outputs(**values: object) -> list[str]:
    return [planned.output for planned in plan(SHOTS, **values)]


def test_views_counters_and_folders() -> None:
    assert outputs(name="{code}_{view}") == ["A-1_front.jpg", "A-1_top.jpg", "B-2_front.jpg", "4.jpg", "A-1_3.jpg"]
    assert outputs(name="{code}-{n:02}", start=5) == ["A-1-05.jpg", "A-1-06.jpg", "B-2-05.jpg", "4.jpg", "A-1-07.jpg"]
    assert outputs(name="{n}", count="run") == ["1.jpg", "2.jpg", "3.jpg", "4.jpg", "5.jpg"]
    assert outputs(name="{n}", count="folder", folder="{category}/{code}") == [
        "kitchen/A-1/1.jpg", "kitchen/A-1/2.jpg", "garden/B-2/1.jpg", "1.jpg", "kitchen/A-1/3.jpg",
    ]  # fmt: skip
    assert outputs(name="{shoot:slug}_{original}", format="png")[0] == "day-1_1.png"
    assert outputs(name="{material}_{code}")[2] == "clay_B-2.jpg"
    assert outputs(name="{code}_{view}", find="-", replace_with="")[0] == "A1_front.jpg"


def test_a_photo_without_a_product_keeps_its_name_and_is_told() -> None:
    assert plan(SHOTS, name="{code}_{view}")[3].problems == (KEEPS_NAME,)
    assert plan(SHOTS, name="{original}_x")[3].output == "4_x.jpg"
    doubtful = Namer(Standard()).plan(
        [NamedPhoto("1.JPG", Match("A-1", "", "", doubt="a card may be missing"))], PRODUCTS
    )
    assert doubtful[0].note == "to make sure of: a card may be missing"


def test_names_after_the_gs1_rules() -> None:
    planned = plan(SHOTS, name=GS1)
    assert [p.output for p in planned[:2]] == ["02900000412071_A1N0.jpg", "02900000412071_A3N0.jpg"]
    assert "{facing}" in planned[4].note and "{gtin}" in planned[2].note


def test_clashes_are_found_and_may_be_counted_apart() -> None:
    clashes = find_clashes(plan(SHOTS, name="{code}"))
    assert [clash.originals for clash in clashes] == [["1.JPG", "2.JPG", "5.JPG"]]
    assert outputs(name="{code}", on_duplicate="count") == ["A-1.jpg", "A-1-2.jpg", "B-2.jpg", "4.jpg", "A-1-3.jpg"]


def test_what_a_pattern_asks_for_must_be_there() -> None:
    with pytest.raises(PatternError, match="did you mean 'material'"):
        plan(SHOTS, name="{materials}")
    with pytest.raises(ValueError, match="cannot stand in a folder"):
        Deliverable(folder="{n}")


@given(
    st.lists(
        st.tuples(st.text(min_size=1, max_size=12), st.sampled_from(["A-1", "B/2", ""]), st.text(max_size=6)),
        max_size=25,
    ),
    st.sampled_from(["{code}", "{code}_{view}", "{original}", "{name:slug}{n}", "{view:upper} {ean}", "{category}"]),
    st.sampled_from(["", "{category}/{view}", "{shoot}"]),
    st.sampled_from(["refuse", "count"]),
)
@example([("0", "A-1", ".")], "{view:upper} {ean}", "", "refuse")
def test_names_are_unique_or_refused_always_portable_and_stable(
    shots: list[tuple[str, str, str]], name: str, folder: str, twice: str
) -> None:
    planned = plan(shots, name=name, folder=folder, on_duplicate=twice)
    found = [p.output for p in planned]
    assert found == [p.output for p in plan(shots, name=name, folder=folder, on_duplicate=twice)]
    assert len({one_file(path) for path in found}) == len(found) or (twice == "refuse" and find_clashes(planned))
    assert not (twice == "count" and find_clashes(planned))
    for path in found:
        assert all(part and portable(part) == part for part in path.split("/"))


def test_deliverables_with_one_name_are_told_apart() -> None:
    rules = Standard(deliverables=(Deliverable(name="shop"), Deliverable(name="zoom", size="longest", number=3000)))
    found = find_clashes(plan_all(rules, [NamedPhoto("1.JPG", Match("A-1", "front", ""))], PRODUCTS))
    assert [str(clash) for clash in found] == ["A-1_front.jpg would come from 1.JPG for shop and 1.JPG for zoom"]
    apart = rules.model_copy(update={"names": Names(on_duplicate="count")})
    planned = plan_all(apart, [NamedPhoto("1.JPG", Match("A-1", "front", ""))], PRODUCTS)
    assert [p.output for p in planned] == ["A-1_front.jpg", "A-1_front-2.jpg"]
    sizes = rules.model_copy(update={"names": Names(name="{code}_{width}")})
    planned = plan_all(sizes, [NamedPhoto("1.JPG", Match("A-1", "front", ""))], PRODUCTS)
    assert [p.output for p in planned] == ["A-1_1200.jpg", "A-1_3000.jpg"]
