"""The rules: their limits, their words, their file, and what changed between two versions."""

import json
from pathlib import Path
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from zero_easel.core.standard.checks import SETS as CHECK_SETS
from zero_easel.core.standard.checks import Check
from zero_easel.core.standard.deliverable import ABLE, Deliverable
from zero_easel.core.standard.differences import applied, changes_between, differences
from zero_easel.core.standard.editing import added, changed, removed
from zero_easel.core.standard.information import TEXTS, Information
from zero_easel.core.standard.model import LISTS, PARTS, Names, Standard, StandardError, rule_at, write_views
from zero_easel.core.standard.overlays import PLACES, Overlay
from zero_easel.core.standard.rule import Blank, Only, blanks_in, pieces_of, rules_in
from zero_easel.core.standard.rules import Canvas, Item, Special
from zero_easel.core.standard.sizes import SETS
from zero_easel.core.standard.tone import Light
from zero_easel.core.standard.yaml.file import SCHEMA_NAME, read_standard, schema, write_standard

texts = st.text(st.characters(blacklist_categories=("Cc", "Cs", "Zl", "Zp"), blacklist_characters="{}"), max_size=20)
words = st.from_regex(r"[a-z]{3,8}", fullmatch=True)
numbers = st.floats(1, 80, allow_nan=False).map(lambda n: round(n, 7))
grounds = st.sampled_from(
    ["", "transparent", "#12ABff", "vertical #FFFFFF #E8E8E8", "radial #fff #DDD", "picture oak plank.jpg"]
)
deliverables = st.builds(
    Deliverable,
    name=words,
    size=st.sampled_from(["canvas", "exact", "longest", "width", "height", "percent"]),
    width=st.integers(8, 9000),
    number=numbers,
    format=st.sampled_from(["jpeg", "webp", "avif", "jpeg2000"]),
    quality=st.integers(1, 100),
    chroma=st.sampled_from(["auto", "full", "half"]),
    progressive=st.booleans(),
    max_kb=st.one_of(st.just(0.0), numbers),
    ground=grounds,
    density=st.one_of(st.just(0.0), numbers),
    profile=st.sampled_from(["sRGB", "kept", "Paper: matt, #2.icc"]),
    views=st.sampled_from(["", "front", "front, top view"]),
    file=st.sampled_from(["", "{code}-{n:02}"]),
    folder=st.sampled_from(["", "{deliverable}/{category}"]),
)
overlays = st.builds(
    Overlay, name=words, text=words, at=st.sampled_from(PLACES), size=numbers, opacity=numbers, tiled=st.booleans(),
    plate=st.sampled_from(["none", "bar", "disc"]), turn=numbers, when=st.sampled_from(["", "discount > 0", "colour"]),
)  # fmt: skip
checks = st.sampled_from([check for _, given_checks in CHECK_SETS.values() for check in given_checks])
specials = st.builds(
    Special, category=words, view=words,
    item=st.fixed_dictionaries({}, optional={"share": numbers, "shadow": st.just("drawn"), "size": numbers}),
)  # fmt: skip
standards = st.builds(
    Standard,
    name=st.text(st.characters(blacklist_categories=("Cc", "Cs", "Zl", "Zp")), min_size=1, max_size=40),
    canvas=st.builds(
        Canvas,
        width=st.integers(16, 9000),
        height=st.integers(16, 9000),
        ground=grounds.filter(bool),
        density=numbers,
    ),
    item=st.builds(
        Item,
        margin=st.integers(0, 20),
        share=numbers,
        share_of=st.sampled_from(["frame", "height", "width"]),
        place=st.just("centre"),
        shadow=st.sampled_from(["drop", "natural", "drawn"]),
    ),
    exceptions=st.lists(specials, max_size=2, unique_by=lambda s: (s.category, s.view)).map(tuple),
    deliverables=st.lists(deliverables, min_size=1, max_size=3, unique_by=lambda d: d.name).map(tuple),
    names=st.builds(Names, find=texts, replace_with=texts, start=st.integers(0, 50)),
    information=st.builds(Information, title=texts, keywords=texts, creator=texts),
    overlays=st.lists(overlays, max_size=2, unique_by=lambda o: o.name).map(tuple),
    checks=st.lists(checks, max_size=3).map(tuple),
    hand_over=st.sampled_from(["all", "passed"]),
)


@settings(max_examples=80)
@given(standards)
@example(Standard(information=Information(creator="0e0", title="no", keywords="07"), name="true"))
def test_yaml_gives_the_same_standard_back(standard: Standard) -> None:
    assert read_standard(write_standard(standard)) == standard


def test_what_a_file_leaves_out_is_built_in() -> None:
    assert read_standard("canvas: {width: 800}").canvas == Canvas(width=800)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("canvas: {width: 5}", "canvas.width must be at least 16"),
        ("canvas: {width: wide}", "canvas.width must be a whole number (given: wide)"),
        ("canvas: {ground: reddish}", "not a colour"),
        ("name: 75", "name must be a text; in quotes it is one (given: 75)"),
        ("information: {creator: [a, b]}", "information.creator must be a text"),
        ("canvas: {colour: red}", "no rule named canvas.colour"),
        ("item: {line: 2}", "inside the margin"),
        ("item: {line: 90, margin: 20}", "no room"),
        ("item: {place: left}", "'line' or 'centre'"),
        ("names: {name: '{code'}", "not closed"),
        ("names: {folder: 'a/{n}'}", "cannot stand in a folder"),
        ("names: {find: '(', find_as: regex}", "not a regular expression"),
        ("canvas: [", "line 1"),
        ("canvas:\n  width: 900\n  width: 800", "line 3: width is written twice"),
        ("name: A\ndeliverables:\n  - name: a\n  - name: b\n    format: gif", "line 5: deliverables.b.format must be"),
        ("checks:\n  - {rule: bytes, value: many}", "line 2: checks.0 must be like"),
        ("deliverables: [{name: a}, {name: A}]", "two deliverables are called A"),
        ("deliverables: [{name: a, overlays: [sale]}]", "asks for an overlay sale"),
        ("deliverables: [{name: a, size: multiple, base: a}]", "needs another one to be a multiple of"),
        ("deliverables: [{name: a, depth: '16'}]", "JPEG holds 8 bits"),
        ("deliverables: [{name: a, format: png, max_kb: 50}]", "a limit on bytes cannot be kept"),
        ("overlays: [{name: a}]", "needs a text or a picture"),
        ("overlays: [{name: a, text: x, when: 'is it so?'}]", "must be a column"),
        ("information: {title: '{name'}", "not closed"),
        ("just words", "holds no rules"),
    ],
)
def test_a_bad_file_is_explained(text: str, said: str) -> None:
    with pytest.raises(StandardError) as caught:
        read_standard(text, "shop.yaml")
    assert "shop.yaml" in str(caught.value) and said in str(caught.value)


def test_one_value_at_a_time_as_typed() -> None:
    standard = changed(Standard(), "item.share", " 70 % ")
    assert standard.item.share == 70
    assert changed(standard, "canvas.width", "900 px").canvas.width == 900
    assert changed(standard, "canvas.ground", "abc").canvas.ground == "#AABBCC"
    for field, value in (("item.share", "0"), ("item.nothing", "1"), ("canvas", "1"), ("", "")):
        with pytest.raises(StandardError):
            changed(standard, field, value)


def test_views_in_turn_are_written_and_read_back() -> None:
    standard = changed(Standard(), "views", "front,back ; Kitchen: front, top view")
    assert standard.views == {"": ("front", "back"), "kitchen": ("front", "top view")}
    assert write_views(standard.views) == "front, back; kitchen: front, top view"
    assert read_standard(write_standard(standard)) == standard
    assert changed(standard, "views", "").views == {}


def with_all() -> Standard:
    standard = Standard()
    for _, given_ones in SETS.values():
        standard = added(standard, "deliverables", *given_ones)
    for _, given_checks in CHECK_SETS.values():
        standard = added(standard, "checks", *given_checks)
    return added(standard, "overlays", Overlay(name="sale", text="-{discount} %", when="discount"))


def test_parts_are_found_renamed_and_taken_out_by_name() -> None:
    standard = with_all()
    assert read_standard(write_standard(standard)) == standard
    standard = changed(standard, "deliverables.main.overlays", "sale")
    standard = changed(standard, "checks.0.only", "main, zoom")
    standard = changed(standard, "deliverables.main.name", "first")
    assert standard.checks[0].only == "first, zoom"
    standard = changed(standard, "overlays.sale.name", "badge")
    assert standard.deliverable("first").overlays == ("badge",)
    assert changed(standard, "deliverables.thumbnail.name", "small").deliverable("thumbnail 2x").base == "small"
    with pytest.raises(StandardError, match="multiple of thumbnail"):
        removed(standard, "deliverables", "thumbnail")
    fewer = removed(removed(standard, "deliverables", "first"), "overlays", "badge")
    assert fewer.checks[0].only == "zoom" and not fewer.overlays
    assert [d.name for d in added(Standard(), "deliverables", Deliverable(), Deliverable()).deliverables] == [
        "shop", "shop 2", "shop 3",
    ]  # fmt: skip
    with pytest.raises(StandardError, match="no rule named"):
        changed(standard, "deliverables.nothing.quality", "80")


def test_the_schema_knows_every_field_and_the_file_obeys_it() -> None:
    found = schema()
    assert found["additionalProperties"] is False
    published = Path(__file__).parents[3] / "docs" / SCHEMA_NAME
    assert json.loads(published.read_text()) == found, "zero-easel standard --schema > docs/standard.schema.json"
    assert set(found["properties"]) == set(Standard.model_fields)
    assert set(found["$defs"]["Deliverable"]["properties"]) == set(Deliverable.model_fields)
    assert found["$defs"]["Deliverable"]["properties"]["format"]["enum"][0] == "jpeg"


def other(value: Any, field: str) -> Any:
    """Another possible value of a field."""
    known: dict[str, Any] = {
        "unit": "mm", "overflow": "grow", "ground": "#123456", "padding": "3px", "margin": "4%", "line": "40%",
        "backdrop": "kept", "straighten": "off", "scale": "as-shot", "share_of": "width", "one_scale": "category",
        "enlarge": "forbid", "place": "centre", "across": "axis", "shadow": "drawn", "fit": "cover", "kernel": "box",
        "largest": 90, "size": "longest", "format": "avif", "chroma": "half", "depth": "16", "profile": "kept",
        "overlays": ["note"], "base": "shop", "file": "{code}", "folder": "{category}", "views": "back", "count": "run",
        "find_as": "regex", "on_duplicate": "count", "camera": "keep", "private": "keep", "font": "mono", "at": "left",
        "plate": "disc", "when": "colour", "opacity": 50, "colour": "#123456", "plate_colour": "#123456", "by": "cover",
        "cover_around": "middle", "printed": "10 in", "white": "backdrop", "exposure": "backdrop", "balance": "shoot",
        "inset": "3% 5%", "face": "bold", "intent": "perceptual", "falloff": "even",
        "hand_over": "passed", "picture": "", "text": "more",
    }  # fmt: skip
    if field in known and not (field == "size" and isinstance(value, (int, float))):
        return known[field]
    if isinstance(value, bool):
        return not value
    return value + 3 if isinstance(value, (int, float)) else f"{value}x"


def test_every_field_is_compared_in_words() -> None:
    base = Standard(
        deliverables=(Deliverable(format="tiff"),),
        overlays=(Overlay(name="note", text="n"),),
        checks=(Check(rule="plain"),),
    )
    data = base.model_dump()
    for part in ("canvas", "item", "names", "information"):
        for field, value in data[part].items():
            after = base.model_validate(data | {part: data[part] | {field: other(value, field)}})
            found = differences(base, after)
            said = [difference.text for difference in found]
            assert len(said) == 1 and said[0].startswith(rule_at(f"{part}.{field}").label) and "→" in said[0], said
            assert found[0].field == f"{part}.{field}"
    for part in ("deliverables", "overlays"):
        row = data[part][0]
        for field, value in row.items():
            changes = {field: other(value, field)}
            if field == "picture":
                changes = {"picture": "logo.png", "text": ""}
            if field == "name":
                continue
            if field in ("lossless", "max_kb"):
                changes["format"] = "webp"
            after = base.model_validate(data | {part: [row | changes]})
            said = [difference.text for difference in differences(base, after)]
            assert f"{row['name']}: {rule_at(f'{part}.x.{field}').label}" in " ".join(said), said
    for field in ("name", "hand_over", "views"):
        after = changed(base, field, {"name": "B", "hand_over": "passed", "views": "back"}[field])
        assert len(differences(base, after)) == 1
    assert set(LISTS) | {"canvas", "item", "exceptions", "names", "information", "name", "hand_over", "views"} == set(
        data
    )
    assert {f"information.{key}" for key in TEXTS} < {f"information.{key}" for key in rules_in(Information)}


def test_versions_are_told_apart_as_a_person_would() -> None:
    before = added(Standard(), "deliverables", Deliverable(name="thumbnail", size="longest", number=220))
    after = changed(before, "item.share", "85")
    after = changed(after, "deliverables.thumbnail.number", "280")
    after = added(after, "checks", Check(rule="bytes", value="at most 500", only="thumbnail"))
    after = removed(after, "deliverables", "shop")
    after = after.model_copy(update={"exceptions": (Special(category="kitchen", item={"share": 70.0}),)})
    assert [difference.text for difference in differences(before, after)] == [
        "share 84 % → 85 %", "for kitchen: share as for all → 70 %", "deliverable shop gone",
        "thumbnail: size 220 → 280", "check of bytes at most 500 (thumbnail) new",
    ]  # fmt: skip
    assert differences(after, after) == []


@settings(max_examples=40)
@given(standards, standards)
def test_two_standards_are_only_said_to_be_the_same_if_they_are(one: Standard, two: Standard) -> None:
    assert (not differences(one, two)) == (one == two)


def test_every_rule_stands_in_a_sentence_and_is_asked_for_by_name() -> None:
    for part, kind in {**PARTS, "": Standard}.items():
        if part == "checks":
            continue  # what is asked of a check depends on its kind: the page draws them by themselves
        # The rules for light hold for items, and have sentences of their own.
        said = [*kind.sentences, *(Light.sentences if kind is Item else ())]
        found = [blank.field for one in said for blank in blanks_in(pieces_of(one.text, ABLE))]
        assert sorted(set(found)) == sorted(set(rules_in(kind)) - ({"name"} if not part else set()))
        assert all(rule.ask and rule.label for rule in rules_in(kind).values())


def test_a_sentence_says_only_what_holds() -> None:
    pieces = pieces_of("{a} of[b=x|y: some[c!=z:, `k`]].", ABLE)
    only = next(piece for piece in pieces if isinstance(piece, Only))
    assert only.holds({"p.b": "y"}, "p.") and not only.holds({"p.b": "z"}, "p.")
    inner = next(piece for piece in only.pieces if isinstance(piece, Only))
    assert inner.holds({"c": "w"}) and not inner.holds({"c": "z"}) and inner.condition("p.") == "p.c!=z"
    assert pieces[0] == Blank("a") and pieces_of("[format~quality:q]", ABLE)[0].holds({"format": "webp"})  # type: ignore[union-attr]


def test_files_with_earlier_names_are_read_and_it_is_noted() -> None:
    notes: list[str] = []
    old = "canvas: {around: 3px}\nnames: {put: x, twice: count}\ndeliverables: [{name: a, limit: 30, least: 20}]"
    read = read_standard(old, "shop.yaml", notes.append)
    assert (read.canvas.padding, read.names.replace_with, read.names.on_duplicate) == ("3px", "x", "count")
    assert (read.deliverables[0].max_kb, read.deliverables[0].min_quality) == (30, 20)
    assert len(notes) == 5 and all("shop.yaml" in note and "is called" in note for note in notes)
    assert read_standard(write_standard(read), on_note=notes.append) == read and len(notes) == 5
    with pytest.raises(StandardError, match=r"no rule named names\.put"):
        read_standard("names: {put: x, replace_with: y}")


@pytest.mark.parametrize(("field", "value"), [("item.share", "70 px"), ("canvas.density", "72 %")])
def test_a_wrong_unit_is_refused(field: str, value: str) -> None:
    with pytest.raises(StandardError, match="must be a number"):
        changed(Standard(), field, value)


@settings(max_examples=60)
@given(standards, standards)
def test_changes_are_taken_back_and_done_again(one: Standard, two: Standard) -> None:
    changes = changes_between(one, two)
    assert applied(two, changes, back=True) == one and applied(one, changes, back=False) == two


def test_only_what_a_change_was_about_is_taken_back() -> None:
    before = added(Standard(), "deliverables", Deliverable(name="zoom"), Deliverable(name="thumb"))
    after = removed(changed(before, "deliverables.zoom.quality", "70"), "deliverables", "thumb")
    since = added(changed(changed(after, "deliverables.zoom.format", "webp"), "item.share", "60"), "deliverables",
                  Deliverable(name="new"))  # fmt: skip
    back = applied(since, changes_between(before, after), back=True)
    assert [d.name for d in back.deliverables] == ["shop", "zoom", "thumb", "new"]
    assert (back.deliverable("zoom").quality, back.deliverable("zoom").format, back.item.share) == (90, "webp", 60)
