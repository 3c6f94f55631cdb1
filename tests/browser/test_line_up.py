"""The line-up: a category switched to true size, items straightened, nudged and put back, and the delivered files."""

import csv
import io
import re
import shutil
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Locator, Page, expect
from support import PHOTOS, TRUTH

from zero_easel.core.items.measure import Measures, measures_of
from zero_easel.core.light.geometry import Size

pytestmark = pytest.mark.browser
SOURCES = {
    "BY-2104-BL front.JPG": "BRYD0105", "BY-2102 front.JPG": "BRYD0111", "BY-3302 front.JPG": "BRYD0129",
    "BY-4105 front.JPG": "BRYD0114",
}  # fmt: skip


def brought_in(page: Page, tmp_path: Path) -> str:
    """A shoot of a mug, a jug, a spoon and a plant pot, all cleared; returns its address."""
    for name, source in SOURCES.items():
        shutil.copy(PHOTOS / f"{source}.JPG", tmp_path / name)
    page.goto("/")
    page.get_by_label("Name of a new shoot").fill("Row")
    page.keyboard.press("Enter")
    page.wait_for_url("**/bring-in")
    page.locator("#choose-files").set_input_files(sorted(tmp_path.glob("*.JPG")))
    expect(page.locator("#uploads-title")).to_have_text("4 of 4 brought in")
    address = page.url.removesuffix("/bring-in")
    page.goto(f"{address}/clear")
    expect(page.locator("#zero-line")).to_contain_text("ready")
    expect(page.locator("#zero-line")).not_to_contain_text("cleared")
    return address


def item(page: Page, code: str) -> Locator:
    return page.locator(f".one[aria-label^='{code} ']")


def size(page: Page, code: str) -> tuple[float, float]:
    """Width and height of an item as it is drawn, px of the screen."""
    box = item(page, code).locator(".hit").bounding_box()
    assert box is not None
    return box["width"], box["height"]


def choose_rule(page: Page, label: str, value: str) -> None:
    before = page.locator("#line-up").get_attribute("data-answers") or "0"
    page.get_by_label(label).select_option(value)
    expect(page.locator("#line-up")).to_have_attribute("data-answers", str(int(before) + 1))
    expect(page.locator("#rules-message")).to_contain_text("Kept.")


def test_a_row_is_ruled_corrected_and_delivered(page: Page, tmp_path: Path) -> None:
    address = brought_in(page, tmp_path)
    page.goto("/standards/1")
    with page.expect_response("**/standards/1/rule"):
        page.get_by_label("Format of shop").select_option("png")
    with page.expect_response("**/standards/1/rule"):
        page.get_by_label("Ground: a colour like #FFFFFF, or transparent").fill("transparent")
        page.keyboard.press("Enter")
    page.goto(f"{address}/place?category=kitchen")
    expect(page.locator(".one")).to_have_count(3)
    # By share both fill the frame: the mug is as wide as the jug is high.
    assert size(page, "BY-2104-BL")[0] > 0.9 * size(page, "BY-2102")[1]
    choose_rule(page, "Scale rule", "true-size")
    expect(page.locator("#row-message")).to_contain_text("true size")
    mug, jug = size(page, "BY-2104-BL"), size(page, "BY-2102")
    assert jug[1] > 2 * mug[1]
    assert jug[0] / mug[0] == pytest.approx(168 / 121, rel=0.02)
    # A category's own rule looks different, and the others keep theirs.
    expect(page.locator(".own #rule-item-scale")).to_have_count(1)

    # An edge that ought to be level: a line that falls by 4 degrees turns the jug back by as many.
    item(page, "BY-2102").click()
    page.keyboard.press("e")
    box = item(page, "BY-2102").locator(".hit").bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x - 30, y)
    page.mouse.down()
    page.mouse.move(x, y + 2)
    page.mouse.move(x + 200, y + 230 * np.tan(np.radians(4)))
    with page.expect_response("**/place/adjust*"):
        page.mouse.up()
    expect(page.locator("#hand-turn")).to_have_value("-4")
    expect(item(page, "BY-2102")).to_have_attribute("aria-label", re.compile("placed by hand"))

    # The mug is nudged off the line, and catches on it again.
    item(page, "BY-2104-BL").click()
    with page.expect_response("**/place/adjust*"):
        page.locator("#hand-down").fill("-2.4")
        page.keyboard.press("Enter")
    expect(page.locator("#in-hand")).to_contain_text("2 px above the line")
    item(page, "BY-2104-BL").focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("#hand-down")).to_have_value("-1.4")
    with page.expect_response("**/place/adjust*"):
        page.keyboard.press("ArrowDown")
    expect(page.locator("#hand-down")).to_have_value("0")
    expect(page.locator("#in-hand")).to_contain_text("on the line")

    # The spoon is dragged up until it catches, its override dropped, brought back by undo, and dropped again.
    item(page, "BY-3302").click()
    before = item(page, "BY-3302").locator(".hit").bounding_box()
    assert before is not None
    page.mouse.move(before["x"] + 40, before["y"] + 10)
    page.mouse.down()
    page.mouse.move(before["x"] + 45, before["y"] - 40, steps=4)
    with page.expect_response("**/place/adjust*"):
        page.mouse.up()
    expect(page.locator(".by-hand")).to_have_count(2)
    page.keyboard.press("0")
    expect(page.locator(".by-hand")).to_have_count(1)
    page.keyboard.press("u")
    expect(page.locator("#rules-message")).to_contain_text("Undone")
    expect(page.locator(".by-hand")).to_have_count(2)
    page.keyboard.press("0")
    expect(page.locator(".by-hand")).to_have_count(1)
    after = item(page, "BY-3302").locator(".hit").bounding_box()
    assert after is not None and abs(after["y"] - before["y"]) < 0.5
    # An uncut picture covers its canvas; what was dragged into its middle is kept in px of the photo.
    item(page, "BY-3302").click()
    page.locator("#hand-backdrop").select_option("kept")
    expect(page.locator("#hand-right")).to_be_disabled()
    page.locator("#rules summary").click()
    choose_rule(page, "How uncut pictures are fitted", "cover")
    page.evaluate("window.scrollTo(0, 0)")
    whole = item(page, "BY-3302").locator(".hit").bounding_box()
    assert whole is not None and whole["width"] == pytest.approx(whole["height"], abs=1)
    page.mouse.move(whole["x"] + 150, whole["y"] + 100)
    page.mouse.down()
    page.mouse.move(whole["x"] + 90, whole["y"] + 100, steps=3)
    with page.expect_response("**/place/adjust*"):
        page.mouse.up()
    row = page.request.get(f"{address}/row?category=kitchen").json()["items"]
    spoon = next(one for one in row if one["code"] == "BY-3302")
    assert spoon["uncut"] == "cover" and 800 < spoon["adjustment"]["keep"][0] < 1000
    page.keyboard.press("0")
    expect(item(page, "BY-3302")).not_to_have_attribute("aria-label", re.compile("by hand"))
    # One over the other, whole canvases, measures: shown, and nothing changed by it.
    for key in ("o", "v", "m", "m", "v", "Escape"):
        page.keyboard.press(key)

    page.goto(f"{address}/deliver")
    page.get_by_role("button", name="Run").click()
    expect(page.locator("#run")).to_have_attribute("data-state", "done")
    with page.expect_download() as caught:
        page.get_by_role("link", name="Download the archive").click()
    check_files(zipfile.ZipFile(io.BytesIO(Path(caught.value.path()).read_bytes())))


def measured(archive: zipfile.ZipFile, name: str) -> Measures:
    alpha = np.asarray(Image.open(io.BytesIO(archive.read(name))))[..., 3]
    assert alpha.shape == (1200, 1200)
    found = measures_of(np.ascontiguousarray(alpha), 0, 0, Size(1200, 1200))
    assert found is not None
    return found


def check_files(archive: zipfile.ZipFile) -> None:
    """Sizes, places and leans of the finished items, by their mattes."""
    rows = list(csv.DictReader(io.StringIO(archive.read("manifest.csv").decode())))
    assert {(row["output"], row["status"]) for row in rows} == {(f"{code}_front.png", "done") for code in
            ("BY-2104-BL", "BY-2102", "BY-3302", "BY-4105")}, rows  # fmt: skip
    mug, jug, spoon, pot = (measured(archive, f"{code}_front.png") for code in
                            ("BY-2104-BL", "BY-2102", "BY-3302", "BY-4105"))  # fmt: skip
    for one in (mug, spoon, pot):
        assert one.bounds.bottom == pytest.approx(1104, abs=0.5)
        assert (one.bounds.left + one.bounds.right) / 2 == pytest.approx(600, abs=1)
    # True size in the kitchen: widths are to each other as the catalog's. The pot fills its share.
    assert mug.bounds.width / spoon.bounds.width == pytest.approx(121 / 316, rel=0.02)
    assert pot.bounds.height == pytest.approx(1200 * 0.84, abs=1)
    assert abs(spoon.principal) == pytest.approx(90, abs=0.5)
    # The jug is turned by 4 degrees against what it is in its photo, and stands on the line all the same.
    photographed = np.asarray(Image.open(TRUTH / "BRYD0111.alpha.png"))
    before = measures_of(photographed, 0, 0, Size.of(photographed))
    assert before is not None
    assert jug.principal - before.principal == pytest.approx(-4, abs=0.5)
    assert jug.bounds.bottom == pytest.approx(1104, abs=0.5)
