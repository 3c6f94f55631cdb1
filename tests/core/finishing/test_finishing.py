"""Grounds, overlays, checks, layers and sheets, measured on pixels."""

import subprocess
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image
from support import item_of

from zero_easel.core.finishing.checking import Facts, checked
from zero_easel.core.finishing.contact_sheet import LIMIT, ContactSheet, Entry, contact_sheet, grid_of
from zero_easel.core.finishing.encode import encode
from zero_easel.core.finishing.grounds import light_of
from zero_easel.core.finishing.layers import outlines
from zero_easel.core.finishing.overlay_places import placed_overlays
from zero_easel.core.finishing.render import draw, flat
from zero_easel.core.finishing.stamp import stamped
from zero_easel.core.light.colour import to_linear
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.photos.assets import AssetError, Assets
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.checks import Check, read_range
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.grounds import Ground, read_ground
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.overlays import PLACES, Overlay, read_condition
from zero_easel.core.standard.rules import Canvas, Item


def no_picture() -> np.ndarray:
    raise AssertionError


@given(
    st.sampled_from(["#123456", "transparent", "vertical #FFFFFF #E8E8E8", "radial #000000 #FFFFFF", "picture a b.jpg"])
)
def test_a_ground_is_written_as_it_is_read(text: str) -> None:
    assert str(read_ground(text)) == text and read_ground(
        f" {text.upper()} ".replace("A B.JPG", "a b.jpg")
    ) == read_ground(text)


@pytest.mark.parametrize("text", ["", "reddish", "vertical #FFF", "radial", "picture", "#FFF #000"])
def test_no_ground_is_refused_in_words(text: str) -> None:
    with pytest.raises(ValueError, match=r"colour|gradient|picture"):
        read_ground(text)


def test_gradients_run_evenly_and_pictures_cover() -> None:
    light = light_of(read_ground("vertical #FFFFFF #808080"), Size(40, 200), no_picture)
    rows = np.array([255 + (128 - 255) * (y + 0.5) / 200 for y in range(200)])
    assert np.allclose(light[:, 5, 0], to_linear(np.round(rows * 257).astype(np.uint16)), atol=1e-3)
    round_ = light_of(read_ground("radial #FFFFFF #000000"), Size(101, 101), no_picture)
    assert round_[50, 50, 0] > 0.97 and round_[0, 0, 0] < 0.001 and round_[50, 0, 0] == pytest.approx(round_[0, 50, 0])
    left_right = np.zeros((100, 300, 3), np.float32)
    left_right[:, 100:200] = 1
    cover = light_of(Ground("picture", (), "x.png"), Size(50, 50), lambda: left_right)
    assert cover.shape == (50, 50, 3) and cover.min() > 0.9  # the middle third alone fills it


def test_an_item_with_its_shadow_lies_on_any_ground() -> None:
    item = item_of(np.pad(np.ones((60, 60), np.float32), 40))
    rules = Standard(canvas=Canvas(width=200, height=200), item=Item(shadow="drawn", share=50))
    placement = lay_out([Subject(item.measures, Size(140, 140))], rules)[0]
    assert placement is not None
    drawn = draw(item, placement)
    ground = light_of(read_ground("vertical #FFFFFF #808080"), Size(200, 200), no_picture)
    eight, sixteen = flat(drawn, ground), flat(drawn, ground, 16)
    assert sixteen.dtype == np.uint16 and np.abs(eight.astype(int) - np.round(sixteen / 257)).max() <= 1
    assert eight[2, 2].min() >= 252 and eight[197, 2, 0] < 132
    under = int(drawn.bounds.bottom) + 2
    assert eight[under, 100, 0] < int(eight[under, 3, 0]) - 5  # its shadow darkens the gradient
    assert np.abs(eight[100, 100].astype(int) - (200, 40, 40)).max() <= 1


def test_the_outline_of_a_disc_with_a_hole_is_a_circle_to_a_tenth_of_a_pixel() -> None:
    y, x = np.mgrid[0:120, 0:140] + 0.5
    far = np.hypot(x - 70.3, y - 60.7)
    cover = np.clip(40 - far + 0.5, 0, 1) * np.clip(far - 15 + 0.5, 0, 1)
    lines = outlines(cover.astype(np.float32))
    assert len(lines) == 2
    for line, radius in zip(sorted(lines, key=lambda points: -np.ptp(points[:, 0])), (40, 15), strict=True):
        off = np.hypot(line[:, 0] - 70.3, line[:, 1] - 60.7) - radius
        assert np.abs(off).max() < 0.2 and abs(off.mean()) < 0.08


VALUES = {"discount": "15", "category": "kitchen", "name": "Jug", "price": "12,50"}


@pytest.mark.parametrize(
    ("text", "holds"),
    [
        ("discount", True), ("stock", False), ("discount > 10", True), ("discount < 10", False),
        ("price >= 12.5", True),
        ("category = Kitchen", True), ("category != kitchen", False), ("name > 3", False), ("discount = 15 %", True),
    ],
)  # fmt: skip
def test_conditions_compare_numbers_as_numbers(text: str, holds: bool) -> None:
    assert read_condition(text).holds(VALUES) is holds  # type: ignore[arg-type]


def test_a_mark_lies_where_it_should_and_only_under_its_condition() -> None:
    white = np.full((400, 600, 3), 255, np.uint8)
    badge = Overlay(text="-{discount} %", plate="disc", plate_colour="#A8321E", colour="#FFFFFF", when="discount > 10",
                    at="bottom left", size=8, inset="5%")  # fmt: skip
    marked, names = stamped(white, [badge], VALUES, Assets())  # type: ignore[arg-type]
    rows, columns = np.nonzero((marked != 255).any(2))
    assert names == ["mark"] and columns.min() == pytest.approx(20, abs=2) and rows.max() == pytest.approx(379, abs=2)
    assert np.ptp(columns) == pytest.approx(np.ptp(rows), abs=1)  # a disc
    middle = marked[(rows.min() + rows.max()) // 2, columns.min() + 3]
    assert np.abs(middle.astype(int) - (0xA8, 0x32, 0x1E)).max() <= 2
    same, none = stamped(white, [badge], {"discount": "5"}, Assets())
    assert none == [] and same is white
    half, _ = stamped(white, [badge.model_copy(update={"opacity": 50.0})], VALUES, Assets())  # type: ignore[arg-type]
    # Half the light: linear, not encoded.
    wanted = (1 + to_linear(np.array([0xA8], np.uint8))[0]) / 2
    assert to_linear(half[(rows.min() + rows.max()) // 2, columns.min() + 3])[0] == pytest.approx(wanted, abs=0.01)


def test_a_tiled_picture_covers_all_and_transparent_grounds_stay_straight(tmp_path: Path) -> None:
    Image.fromarray(np.full((20, 40, 4), (0, 0, 0, 255), np.uint8)).save(tmp_path / "logo.png")
    clear = np.zeros((300, 300, 4), np.uint8)
    marked, _ = stamped(clear, [Overlay(picture="logo.png", size=10, tiled=True)], {}, Assets(tmp_path))
    seen = marked[..., 3] == 255
    assert 0.15 < seen.mean() < 0.4 and not marked[marked[..., 3] == 0].any()
    for quarter in (seen[:150, :150], seen[:150, 150:], seen[150:, :150], seen[150:, 150:]):
        assert quarter.any()
    with pytest.raises(AssetError, match=r"no file other\.png"):
        stamped(clear, [Overlay(picture="other.png")], {}, Assets(tmp_path))
    with pytest.raises(AssetError, match="secret"):
        Assets(tmp_path / "x").bytes("../secret.png")


def file_of(pixels: np.ndarray, **values: object) -> tuple[bytes, Deliverable]:
    wanted = Deliverable.model_validate({"format": "png", **values})
    return encode(pixels, wanted, 300).data, wanted


def one(check: Check, pixels: np.ndarray, facts: Facts, **values: object) -> tuple[str, bool]:
    data, wanted = file_of(pixels, **values)
    row = checked(data, wanted, facts, [check])[0]
    assert bool(row.mend) != row.ok
    return row.measured, row.ok


GOOD = Facts("BY-1_front.png", (300, 200), Box(30, 20, 270, 180))
WHITE = np.full((200, 300, 3), 255, np.uint8)


@pytest.mark.parametrize(
    ("rule", "value", "measured", "ok"),
    [
        ("size", "300 x 200", "300 x 200", True), ("size", "200 x 300", "300 x 200", False),
        ("longest", "at least 300", "300 px", True), ("longest", "at most 299", "300 px", False),
        ("format", "png", "PNG", True), ("format", "jpeg", "PNG", False),
        ("bytes", "at most 500", None, True), ("bytes", "at least 500", None, False),
        ("profile", "sRGB", "sRGB", True), ("profile", "Display P3", "sRGB", False),
        ("density", "300", "300 px/in", True), ("density", "72", "300 px/in", False),
        ("ground", "#FFFFFF", "#FFFFFF", True), ("ground", "#FEFEFE", "#FFFFFF, 1 away", False),
        ("ground", "#FEFEFE within 1", "#FFFFFF, 1 away", True), ("ground", "transparent", None, False),
        ("share", "80 to 85", "80.0 %", True), ("share", "at least 85", "80.0 %", False),
        ("margins", "at least 10", "10.0 %", True), ("margins", "at least 12", "10.0 %", False),
        ("visible", "", "all there", True), ("enlargement", "at most 1", "1.00 times", True),
        ("plain", "", "none", True), ("name", "BY-[0-9]+_front", "BY-1_front", True),
        ("name", "X.*", "BY-1_front", False),
        ("sharpness", "at most 3", "nothing with an edge", True),
    ],
)  # fmt: skip
def test_each_check_measures_the_file(rule: str, value: str, measured: str | None, ok: bool) -> None:
    said, met = one(Check(rule=rule, value=value), WHITE, GOOD)  # type: ignore[arg-type]
    assert met is ok and measured in (None, said)


def test_facts_that_are_not_in_the_file_are_checked_too() -> None:
    bad = Facts("a.png", (300, 200), Box(0, 0, 300, 200), ("cut off at the left",), 1.8, ("badge",))
    for rule, value, said in (
        ("visible", "", "cut off"),
        ("enlargement", "at most 1.5", "1.80 times"),
        ("plain", "", "badge"),
    ):
        measured, met = one(Check(rule=rule, value=value), WHITE, bad)  # type: ignore[arg-type]
        assert not met and said in measured


def test_dirt_in_a_corner_a_grey_rim_and_blur_are_found() -> None:
    dirty, rimmed = WHITE.copy(), WHITE.copy()
    dirty[3, 297], rimmed[:, -1] = (250, 255, 255), 251
    check = Check(rule="ground", value="#FFFFFF within 2")
    assert one(check, dirty, GOOD) == ("#FAFFFF, 5 away", False)
    assert one(check, rimmed, GOOD) == ("#FBFBFB, 4 away", False)
    sharp = np.zeros((200, 300, 3), np.uint8)
    sharp[:, 150:] = 255
    soft = np.asarray(Image.fromarray(sharp).resize((60, 40)).resize((300, 200), Image.Resampling.BICUBIC))
    limit = Check(rule="sharpness", value="at most 1.5")
    assert one(limit, sharp, GOOD)[1] and not one(limit, soft, GOOD)[1]


@given(st.floats(0, 1000), st.floats(0, 1000))
def test_ranges_are_read_as_people_write_them(a: float, b: float) -> None:
    low, high = sorted((round(a, 2), round(b, 2)))
    for text in (f"{low:f} to {high:f}", f"{low:f}-{high:f} %", f"{low:f} kB to {high:f} kB"):
        assert read_range(text) == pytest.approx((low, high))
    assert read_range(f"at least {low:f}").hold(low) and not read_range(f"at most {low:f}").hold(low + 1)


@pytest.mark.slow
def test_a_sheet_of_500_is_small_and_its_text_is_text(tmp_path: Path) -> None:
    noise = np.random.default_rng(3).integers(90, 165, (420, 420, 3), dtype=np.uint8)  # far more than any photo shows
    entries = (
        Entry(lambda: noise, (f"BY-{at:04}", "Krug für Größe 2, ein sehr langer Name der nicht passt"))
        for at in range(500)
    )
    data = contact_sheet(entries, 500, ContactSheet(per_page=20, title="Spring shelf"))
    assert len(data) < 20_000_000 and LIMIT < 20_000_000
    path = tmp_path / "sheet.pdf"
    path.write_bytes(data)
    facts = subprocess.run(["pdfinfo", str(path)], capture_output=True, text=True, check=True).stdout
    assert "Pages:           25" in facts and "A4" in facts
    text = subprocess.run(["pdftotext", "-layout", str(path), "-"], capture_output=True, text=True, check=True).stdout
    assert all(f"BY-{at:04}" in text for at in range(500))
    assert "Krug für Größe" in text and "Spring shelf" in text and "25 / 25" in text
    fonts = subprocess.run(["pdffonts", str(path)], capture_output=True, text=True, check=True).stdout
    assert "TrueType" in fonts and "HankenGrotesk" in fonts.replace("-", "")


@settings(max_examples=30)
@given(
    st.sampled_from(PLACES), st.sampled_from(["none", "bar", "disc"]), st.floats(4, 20), st.floats(0, 20),
    st.sampled_from([0.0, 90.0, -30.0]), st.sampled_from([Size(300, 200), Size(200, 300)]),
)  # fmt: skip
def test_a_page_shows_overlays_where_they_are_drawn(
    at: str, plate: str, size: float, inset: float, turn: float, canvas: Size
) -> None:
    overlay = Overlay(text="New", size=size, at=at, inset=f"{inset:.3f}%", turn=turn, plate=plate, colour="#000000")  # type: ignore[arg-type]
    white = np.full((canvas.height, canvas.width, 3), 255, np.uint8)
    marked, _ = stamped(white, [overlay], {}, Assets())
    box = placed_overlays([overlay], {}, Assets(), canvas)[0].box
    a = np.radians(turn)
    wide, high = (abs(box.width * np.cos(a)) + abs(box.height * np.sin(a)),
                  abs(box.width * np.sin(a)) + abs(box.height * np.cos(a)))  # fmt: skip
    x, y = (box.left + box.right) / 2, (box.top + box.bottom) / 2
    rows, columns = np.nonzero((marked != white).any(axis=2))
    assert rows.size
    assert x - wide / 2 - 2 <= columns.min() and columns.max() + 1 <= x + wide / 2 + 2
    assert y - high / 2 - 2 <= rows.min() and rows.max() + 1 <= y + high / 2 + 2


def test_sheets_of_any_number_fit_or_say_that_they_do_not() -> None:
    for per_page, orientation in ((1, "portrait"), (12, "landscape"), (35, "portrait")):
        rules = ContactSheet(per_page=per_page, orientation=orientation)  # type: ignore[arg-type]
        grid = grid_of(rules)
        assert grid.columns * grid.rows >= per_page and min(grid.picture) > 20
    with pytest.raises(ValueError, match="do not fit"):
        grid_of(ContactSheet(per_page=200, gap=20))
