"""Where items go: every scale rule, canvas, view and turn, against the drawn pixels."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import assume, given, settings
from hypothesis import strategies as st
from scipy import ndimage as ndi
from support import item_of, render

from zero_easel.core.items.item import CutItem
from zero_easel.core.items.measure import Measures, bounds_of, measures_of
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Adjustment, Placement, Subject
from zero_easel.core.placing.pose import Dimensions
from zero_easel.core.placing.room import free_area
from zero_easel.core.standard.editing import changed
from zero_easel.core.standard.model import Deliverable, Standard, StandardError
from zero_easel.core.standard.rules import Canvas, Item, Special

PNG = Deliverable(format="png")


def shape(height: int, width: int, lean: float = 0.0, blur: float = 0.8) -> np.ndarray:
    """A soft, lopsided blob of about that size: an ellipse with a foot, in a photo with room around."""
    side = int(1.5 * max(height, width)) + 12
    y, x = np.mgrid[0:side, 0:side] - side / 2 + 0.5
    turn = np.radians(lean)
    u, v = x * np.cos(turn) + y * np.sin(turn), y * np.cos(turn) - x * np.sin(turn)
    body = (u / (width / 2)) ** 2 + (v / (height / 2)) ** 2 < 1
    foot = (np.abs(u) < width / 5) & (v > 0) & (v < height / 2)
    return np.asarray(ndi.gaussian_filter((body | foot).astype(np.float32), blur), np.float32)


def subject(item: CutItem, **more: object) -> Subject:
    return Subject(item.measures, item.frame, **more)  # type: ignore[arg-type]


def drawn_box(item: CutItem, placement: Placement, standard: Standard) -> Box:
    """Box of the matte in the finished picture."""
    picture = render(item, standard, placement).pixels
    assert picture.shape[:2] == placement.canvas[::-1]
    box = bounds_of(np.ascontiguousarray(picture[..., 3]))
    assert box is not None
    return box


def standard_of(canvas: Canvas, rule: Item, **more: object) -> Standard:
    """On a transparent ground, so that the matte can be measured in the file's own pixels."""
    clear = canvas.model_copy(update={"ground": "transparent"})
    try:
        return Standard(canvas=clear, item=rule, deliverables=(PNG,), **more)  # type: ignore[arg-type]
    except ValueError:
        assume(False)
        raise


canvases = st.builds(Canvas, width=st.integers(160, 420), height=st.integers(160, 420))
sizes = st.tuples(st.integers(40, 200), st.integers(40, 200))
places = {
    "margin": st.sampled_from(["0%", "7%", "12px 5%", "4% 9px 6% 3%"]),
    "place": st.sampled_from(["line", "centre"]),
    "line": st.sampled_from(["11%", "30px", "20%"]),
}


@settings(max_examples=40, deadline=None)
@given(
    canvases, sizes, st.builds(Item, share=st.floats(30, 100), share_of=st.sampled_from(["frame", "height", "width"]),
    straighten=st.just("off"), **places), st.floats(-30, 30),
)  # fmt: skip
def test_a_share_of_the_frame_is_met_by_the_drawn_item(
    canvas: Canvas, size: tuple[int, int], rule: Item, turn: float
) -> None:
    standard, item = standard_of(canvas, rule), item_of(shape(*size))
    placement = lay_out([subject(item, adjustment=Adjustment(turn=round(turn, 1)))], standard)[0]
    assert placement is not None and not {"cut", "margin", "position"} & {note.kind for note in placement.notes}
    area, asked = free_area(canvas, rule), placement.box
    assert asked is not None
    room = {"height": area.height, "width": area.width}
    share = {"height": rule.share / 100 * canvas.height, "width": rule.share / 100 * canvas.width}
    if rule.share_of != "frame":
        share = {rule.share_of: share[rule.share_of]}
    # Whatever stops it is reached, and nothing else is passed.
    slack = [limit - getattr(asked, side) for limits in (room, share) for side, limit in limits.items()]
    assert min(slack) == pytest.approx(0, abs=1e-6)
    assert_placed(asked, area, rule, 1e-6)
    # In the finished picture the matte ends where it was asked to, to half a pixel, at the sides that the rule names;
    # how long the others are follows from them.
    box = drawn_box(item, placement, standard)
    sides = ("top", "bottom") if placement.rules.scale == "height" else ("left", "right")
    # Where an item ends at the very rim of the canvas its end cannot be drawn, only come near.
    rim = min(asked.left, asked.top) < 0.5 or asked.right > canvas.width - 0.5 or asked.bottom > canvas.height - 0.5
    assert max(abs(getattr(box, side) - getattr(asked, side)) for side in sides) <= (1.0 if rim else 0.51)
    assert_placed(box, area, rule)


def assert_placed(box: Box, area: Box, rule: Item, tolerance: float = 0.51) -> None:
    assert (box.left + box.right) / 2 == pytest.approx((area.left + area.right) / 2, abs=tolerance)
    if rule.place == "line":
        assert box.bottom == pytest.approx(area.bottom, abs=tolerance)
    else:
        assert (box.top + box.bottom) / 2 == pytest.approx((area.top + area.bottom) / 2, abs=tolerance)


@settings(max_examples=25, deadline=None)
@given(canvases, sizes, sizes, st.builds(Item, scale=st.sampled_from(["true-size", "as-shot", "even-weight"]),
       share=st.floats(40, 100), **places), st.sampled_from(["front", "side", "detail", ""]))  # fmt: skip
def test_the_rules_for_a_whole_row_keep_what_they_promise(
    canvas: Canvas, one: tuple[int, int], two: tuple[int, int], rule: Item, view: str
) -> None:
    standard, items = standard_of(canvas, rule), [item_of(shape(*size)) for size in (one, two)]
    listed = [Dimensions(width=size[1] / (2 + at), depth=size[1] / (2 + at)) for at, size in enumerate((one, two))]
    row = [subject(item, size=s, view=view) for item, s in zip(items, listed, strict=True)]
    placement = [lay for lay in lay_out(row, standard) if lay is not None]
    assert len(placement) == 2
    boxes = [drawn_box(item, lay, standard) for item, lay in zip(items, placement, strict=True)]
    area = free_area(canvas, rule)
    for box in boxes:
        assert_placed(box, area, rule)
        assert box.width <= area.width + 1 and box.height <= area.height + 1
    drawn = [np.array([box.width, box.height]) for box in boxes]
    limited = any(note.kind == "limit" for lay in placement for note in lay.notes)
    if rule.scale == "true-size" and view != "detail":
        # The second is photographed at 3/2 of the first's px per mm.
        assert placement[0].scale / placement[1].scale == pytest.approx(
            placement[1].px_per_mm / placement[0].px_per_mm, rel=1e-9
        )  # type: ignore[operator]
        widths = [s.width * lay.scale * lay.px_per_mm for s, lay in zip(listed, placement, strict=True)]  # type: ignore[operator]
        assert [box.width for box in boxes] == pytest.approx(widths, abs=2.5)
    if rule.scale == "as-shot":
        frames = [item.width for item in items]
        assert placement[0].scale * frames[0] == pytest.approx(placement[1].scale * frames[1], rel=1e-9)
    if rule.scale == "even-weight" and not limited:
        weights = [m.area * lay.scale**2 for m, lay in zip((i.measures for i in items), placement, strict=True)]  # type: ignore[union-attr]
        assert weights[0] == pytest.approx(weights[1], rel=1e-9)
    for lay, size in zip(placement, drawn, strict=True):
        assert lay.box is not None
        # Where an item ends at the very rim of the canvas its end cannot be drawn, only come near.
        rim = 1.0 if min(lay.box.left, lay.box.top) < 0.5 or lay.box.right > canvas.width - 0.5 else 0.5
        assert size == pytest.approx([lay.box.width, lay.box.height], abs=rim)


@settings(max_examples=60, deadline=None)
@given(
    canvases, sizes,
    st.tuples(st.one_of(st.none(), st.floats(-180, 180)), st.floats(0.3, 3), st.floats(-60, 60), st.floats(-60, 60))
    .map(lambda four: Adjustment(*four)),
    st.sampled_from(["cut", "grow"]), st.sampled_from(["0px", "-30px", "20px -9px 0px 5px"]),
)  # fmt: skip
def test_nothing_is_cut_off_unless_that_is_said(
    canvas: Canvas, size: tuple[int, int], adjustment: Adjustment, overflow: str, padding: str
) -> None:
    changed = canvas.model_copy(update={"overflow": overflow, "padding": padding})
    standard, item = standard_of(changed, Item()), item_of(shape(*size))
    placement = lay_out([subject(item, adjustment=adjustment)], standard)[0]
    assert placement is not None and placement.box is not None
    inside = (
        min(placement.box.left, placement.box.top) > -0.5 - 1e-9
        and placement.box.right < placement.canvas[0] + 0.5 + 1e-9
        and placement.box.bottom < placement.canvas[1] + 0.5 + 1e-9
    )
    assert inside is not any(note.kind == "cut" for note in placement.notes)
    if overflow == "grow":
        assert inside and placement.canvas[0] >= canvas.width - 60


def test_what_is_drawn_in_full_has_all_of_its_matte() -> None:
    item = item_of(shape(120, 90))
    standard = standard_of(Canvas(width=200, height=200, overflow="grow"), Item())
    placement = lay_out([subject(item, adjustment=Adjustment(right=55, turn=20.0))], standard)[0]
    assert placement is not None and item.measures is not None and placement.canvas[0] > 200
    drawn = render(item, standard, placement)
    assert drawn.pixels[..., 3].sum() / 255 == pytest.approx(item.measures.area * drawn.matrix.scale**2, rel=0.002)


def test_rules_of_a_category_and_view_go_before_those_of_all() -> None:
    standard = Standard(
        exceptions=(
            Special(category="Kitchen", item={"share": 50}),
            Special(view="top", item={"place": "centre"}),
            Special(category="kitchen", view="top", item={"share": 30}),
        )
    )
    item = item_of(shape(100, 100))
    row = [
        subject(item, category=c, view=v) for c, v in (("garden", "front"), ("kitchen", "front"), ("kitchen", "TOP"))
    ]
    placement = lay_out(row, standard)
    assert [round(100 * lay.share) for lay in placement if lay] == [84, 50, 30]
    assert [lay.rules.place for lay in placement if lay] == ["line", "line", "centre"]


def test_true_size_takes_a_missing_size_from_its_neighbours_and_says_so() -> None:
    mug, jug = item_of(shape(80, 60)), item_of(shape(150, 90))
    one = Dimensions(width=30, height=36, depth=30), Dimensions(width=45, height=70, depth=45)
    rule = Item(scale="true-size", straighten="off")
    around = Size(700, 700)
    row = [
        Subject(mug.measures, around, size=one[0]),
        Subject(jug.measures, around),
        Subject(jug.measures, around, size=one[1]),
    ]
    placement = lay_out(row, Standard(item=rule))
    assert [lay and [note.kind for note in lay.notes if note.kind in ("guess", "size")] for lay in placement] == [
        [],
        ["guess"],
        [],
    ]
    assert (
        placement[1] is not None
        and placement[2] is not None
        and placement[1].scale == pytest.approx(placement[2].scale, rel=0.02)
    )
    alone = lay_out([row[0], row[1]], Standard(item=rule))[1]
    assert alone is not None and "no listed size" in alone.notes[0].text
    fixed = lay_out(row, changed(Standard(item=rule), "item.px_per_mm", "3.1 px/mm"))[2]
    assert fixed is not None and fixed.box is not None and fixed.box.width == pytest.approx(45 * 3.1, rel=0.02)


@pytest.mark.parametrize(("rule", "said"), [
    ({"scale": "as-shot", "smallest": 30}, "the smallest allowed"),
    ({"scale": "as-shot", "largest": 40}, "the largest allowed"),
    ({"enlarge": "forbid"}, "own pixels"),
])  # fmt: skip
def test_floor_ceiling_and_enlarging(rule: dict[str, object], said: str) -> None:
    thimble, pot = item_of(shape(40, 30)), item_of(shape(190, 190))
    frame = Size(800, 800)
    row = [Subject(item.measures, frame) for item in (thimble, pot)]
    placement = lay_out(row, Standard(canvas=Canvas(width=600, height=600), item=Item(**rule)))
    texts = [note.text for lay in placement if lay for note in lay.notes]
    assert any(said in text for text in texts)
    shares = [lay.share for lay in placement if lay]
    assert all(s >= 0.299 for s in shares) or "smallest" not in rule
    assert all(s <= 0.401 for s in shares) or "largest" not in rule
    assert ("enlarge" in rule) is not any("enlarged" in text for text in texts)


def with_handle() -> CutItem:
    """A mug: a body that is its own mirror image, and a handle on its right."""
    alpha = np.zeros((240, 300), np.float32)
    alpha[60:200, 60:180] = 1
    alpha[90:150, 180:230] = 1
    alpha[105:135, 180:215] = 0
    return item_of(ndi.gaussian_filter(alpha, 0.7))


@pytest.mark.parametrize("across", ["axis", "bounds", "centroid"])
def test_a_mugs_body_and_not_its_handle_is_centred_by_its_axis(across: str) -> None:
    item, rule = with_handle(), Item(across=across, share=60)
    standard = standard_of(Canvas(width=300, height=300), rule)
    placement = lay_out([subject(item)], standard)[0]
    assert placement is not None
    box = drawn_box(item, placement, standard)
    body = box.left + 60 * placement.scale
    off = {"axis": 0.0, "bounds": -25 * placement.scale, "centroid": -9 * placement.scale}[across]
    assert body - 150 == pytest.approx(off, abs=1.5)
    assert box.left > 0 and box.right <= 282


def test_margins_hold_on_the_side_of_the_handle_too() -> None:
    item = with_handle()
    placement = lay_out([subject(item)], Standard(item=Item(across="axis", share=100)))[0]
    assert placement is not None and placement.box is not None
    area = free_area(Canvas(), placement.rules)
    assert placement.box.right == pytest.approx(area.right, abs=0.01) or placement.box.top >= area.top
    assert placement.box.right <= area.right + 0.01


def test_a_row_without_items_is_no_row() -> None:
    assert lay_out([Subject(None, Size(100, 80))], Standard()) == [None]
    assert lay_out([], Standard()) == []


@pytest.mark.parametrize(("field", "value", "said"), [
    ("item.margin", "50%", "at most 45"),
    ("item.margin", "wide", "lengths"),
    ("item.line", "2%", "inside the margin; raise it to 6%"),
    ("item.line", "95%", "at most 90"),
    ("item.smallest", "120", "at most 100"),
    ("canvas.padding", "lots", "lengths"),
    ("canvas.width", "12 miles", "whole number of px, or a length"),
])  # fmt: skip
def test_impossible_rules_are_refused_in_words(field: str, value: str, said: str) -> None:
    with pytest.raises(StandardError, match=said):
        changed(Standard(), field, value)


def test_sizes_in_print_units_become_px_and_density_alone_changes_none() -> None:
    standard = changed(Standard(), "canvas.density", "300 px/in")
    assert (standard.canvas.width, standard.canvas.height) == (1200, 1200)
    assert changed(standard, "canvas.width", "16.93 cm").canvas.width == 2000
    item = item_of(shape(90, 70))
    pictures = [render(item, rules).pixels for rules in (Standard(), standard)]
    assert np.array_equal(*pictures)


def test_specks_do_not_stretch_the_bounds() -> None:
    alpha = np.zeros((200, 200), np.float32)
    alpha[50:150, 60:140] = 1
    alpha[2, 2] = 1
    assert bounds_of(alpha) == Box(60, 50, 140, 150)
    assert bounds_of(np.zeros((9, 9), np.float32)) is None
    measured = measures_of(alpha, 7, 9, Size(300, 300))
    assert measured is not None and measured.bounds == Box(67, 59, 147, 159)
    assert measured.area == pytest.approx(8000, rel=0.01)


def test_measures_do_not_depend_on_where_in_the_photo_the_item_lies() -> None:
    item = with_handle()
    here, there = (measures_of(item.pixels[..., 3], x, y, Size(900, 900)) for x, y in ((0, 0), (211, 97)))
    assert here is not None and there is not None
    moved = replace_bounds(there, -211, -97)
    assert moved == here.bounds and there.upright.plain_at - here.upright.plain_at == pytest.approx(211)
    assert np.allclose(np.subtract(there.centroid, here.centroid), (211, 97))
    assert replace(item, measures=there).bounds == there.bounds


def replace_bounds(measures: Measures, dx: float, dy: float) -> Box:
    return measures.bounds.moved(dx, dy)
