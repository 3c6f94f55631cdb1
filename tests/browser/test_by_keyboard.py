"""A whole shoot by keyboard alone."""

import csv
import io
import shutil
import zipfile
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect
from support import PHOTOS

pytestmark = pytest.mark.browser
SOURCES = ("BRYD0105", "BRYD0106", "BRYD0111", "BRYD0112", "BRYD0144", "BRYD0145", "BRYD0136")
SHOTS = """filename,code,view
P0001.JPG,BY-2104,front
P0002.JPG,BY-2104-BL,back
P0003.JPG,BY-2104-BL,side
P0004.JPG,BY-2102,front
P0005.JPG,BY-2102,back
P0006.JPG,BY-6004,front
P0007.JPG,BY-5120,front
"""


_CALLED = """const called = e => e.getAttribute("aria-label") || e.labels?.[0]?.innerText || e.innerText || "";
    const meant = (e, [label, exact]) => exact ? called(e).trim() === label : called(e).includes(label);"""
_THERE = f"""wanted => {{
    {_CALLED}
    return [...document.querySelectorAll("a, button, input, select, summary, textarea, [tabindex='0']")].some(
        e => e.checkVisibility() && meant(e, wanted));
}}"""
# While nothing is in hand the body stands for it, and its text holds every label there is.
_IN_HAND = f"""wanted => {{
    {_CALLED}
    const e = document.activeElement;
    return e !== document.body && meant(e, wanted);
}}"""
_HELD = """() => [...document.querySelectorAll("tr.row")].filter(row => row.querySelector("[name=chosen]")).map(row => {
    const said = name => row.querySelector(`[name=${name}]`)?.value ?? "";
    return `${said("code")} ${said("view")}`;
})"""


def tab_to(page: Page, label: str, *, exact: bool = False) -> None:
    """Press the tabulator until the control of that name, or with such words in it, is in hand.

    It is waited for before: what comes with an answer could be passed by.
    """
    wanted = [label, exact]
    page.wait_for_function(_THERE, arg=wanted)
    for _ in range(80):
        page.keyboard.press("Tab")
        if page.evaluate(_IN_HAND, wanted):
            return
    raise AssertionError(f"{label} is not reached")


def row_in_hand(page: Page) -> str:
    return str(page.evaluate("document.activeElement.closest('tr')?.innerText ?? ''"))


def test_a_shoot_by_keyboard_alone(page: Page, tmp_path: Path) -> None:
    photos = []
    for at, source in enumerate(SOURCES, 1):
        photos.append(tmp_path / f"P{at:04}.JPG")
        shutil.copy(PHOTOS / f"{source}.JPG", photos[-1])
    (tmp_path / "shots.csv").write_text(SHOTS)
    # Listened for from the start: a key acts at once, and might come before the browser knows that somebody listens.
    page.on("filechooser", lambda _: None)
    page.goto("/")
    tab_to(page, "Name of a new shoot")
    page.keyboard.type("By hand")
    page.keyboard.press("Enter")

    page.wait_for_url("**/bring-in")
    tab_to(page, "Choose files")
    expect(page.locator("#choose-files")).to_be_focused()
    with page.expect_file_chooser() as chooser:
        page.keyboard.press("Enter")
    chooser.value.set_files([*photos, tmp_path / "shots.csv"])
    expect(page.locator("#uploads-title")).to_have_text("8 of 8 brought in")
    expect(page.locator("#photo-list tbody tr")).to_have_count(7)

    # Show one large, step, close, and leave the last one out.
    page.keyboard.press("ArrowDown")
    page.keyboard.press("l")
    large = page.get_by_role("dialog", name="Photo, large")
    expect(large).to_contain_text("P0001.JPG")
    page.keyboard.press("ArrowDown")
    expect(large).to_contain_text("P0002.JPG")
    page.wait_for_function("() => document.querySelector('.large img').naturalWidth > 0")
    page.keyboard.press("l")
    expect(large).to_be_hidden()
    for _ in range(5):
        page.keyboard.press("ArrowDown")
    assert "P0007.JPG" in row_in_hand(page)
    page.keyboard.press("x")
    expect(page.locator("tr.out")).to_contain_text("P0007.JPG")

    # Two matches are mended by a few letters of code or name, then a run that is off by one is shifted.
    page.keyboard.press("2")
    page.wait_for_url("**/match")
    expect(page.locator("tr.row")).to_have_count(6)
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    page.keyboard.type("2104-bl")
    expect(page.locator("#suggestions li")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.locator("#match-1, tr").filter(has_text="P0001.JPG").first).to_contain_text("by hand")
    page.keyboard.press("Escape")
    assert "P0002.JPG" in row_in_hand(page)
    page.keyboard.press("ArrowDown")
    page.keyboard.press("ArrowDown")
    assert "P0004.JPG" in row_in_hand(page)
    # The jug's front is missing among the photos of the list: from its place on, all belong one photo earlier.
    page.keyboard.press("ArrowUp")
    page.keyboard.press(",")
    expect(page.locator("#matches-message")).to_contain_text("4 photos from P0003.JPG shifted by one earlier")
    assert held(page) == ["BY-2104-BL front", "BY-2104-BL back", "BY-2102 front", "BY-2102 back", "BY-6004 front", " "]
    page.keyboard.press("u")
    expect(page.locator("#matches-message")).to_contain_text("Undone")
    assert held(page)[3:] == ["BY-2102 front", "BY-2102 back", "BY-6004 front"]
    page.keyboard.press("Shift+U")
    expect(page.locator("#matches-message")).to_contain_text("Done again")
    expect(page.locator("#zero-line")).to_contain_text("1 to settle")
    page.locator("body").press("ArrowDown")
    tab_to(page, "Product code of P0006.JPG")
    page.keyboard.type("garden mint")
    expect(page.locator("#suggestions li")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.locator("#zero-line")).to_contain_text("all known")
    page.keyboard.press("Escape")

    # The pattern is edited until no name is wanted twice.
    page.keyboard.press("6")
    page.wait_for_url("**/names")
    tab_to(page, "File name pattern")
    page.keyboard.press("Control+A")
    page.keyboard.type("{cod}")
    expect(page.locator("#names-message")).to_contain_text("no column 'cod' - did you mean 'code'?")
    expect(page.locator("#names-message mark")).to_have_text("cod")
    page.keyboard.press("Control+A")
    page.keyboard.type("{code}")
    expect(page.locator("#names-made")).to_contain_text("3 names are wanted twice")
    page.keyboard.type("-{n:02}")
    expect(page.locator("#names-example")).to_have_text("BY-2104-BL-01.jpg")
    expect(page.locator(".fault-box")).to_have_count(0)
    page.keyboard.press("Enter")
    expect(page.locator("#names-made")).to_contain_text("Kept.")
    page.keyboard.press("Tab")

    page.locator("body").press("Escape")
    page.evaluate("document.activeElement.blur()")
    page.keyboard.press("7")
    page.wait_for_url("**/deliver")
    tab_to(page, "Run", exact=True)
    while page.evaluate("document.activeElement.tagName") != "BUTTON":
        tab_to(page, "Run", exact=True)
    page.keyboard.press("Enter")
    expect(page.locator("#run")).to_have_attribute("data-state", "done")
    tab_to(page, "Download the archive")
    with page.expect_download() as caught:
        page.keyboard.press("Enter")
    archive = zipfile.ZipFile(io.BytesIO(Path(caught.value.path()).read_bytes()))
    rows = {
        row["original"]: row["output"] for row in csv.DictReader(io.StringIO(archive.read("manifest.csv").decode()))
    }
    assert rows == {
        "P0001.JPG": "BY-2104-BL-01.jpg", "P0002.JPG": "BY-2104-BL-02.jpg", "P0003.JPG": "BY-2102-01.jpg",
        "P0004.JPG": "BY-2102-02.jpg", "P0005.JPG": "BY-6004-01.jpg", "P0006.JPG": "BY-6004-02.jpg", "P0007.JPG": "",
    }  # fmt: skip
    assert set(archive.namelist()) == {*filter(None, rows.values()), "manifest.csv", "manifest.json", "images.jsonld"}


def held(page: Page) -> list[str]:
    """Code and view of each photo in its row."""
    return list(page.evaluate(_HELD))


def test_whole_pictures_by_keyboard_alone(page: Page) -> None:
    photos = [PHOTOS / f"{source}.JPG" for source in SOURCES[:3]]
    page.on("filechooser", lambda _: None)
    page.goto("/")
    tab_to(page, "Choose files")
    with page.expect_file_chooser() as chooser:
        page.keyboard.press("Enter")
    chooser.value.set_files(photos)
    page.wait_for_url("**/whole")
    expect(page.locator("#photo-list tbody tr")).to_have_count(3)

    # The size, filled, and one more; the part that is kept is moved and enlarged.
    tab_to(page, "Size of pictures", exact=True)
    page.keyboard.type("a longest")
    tab_to(page, "Size of pictures in px")
    page.keyboard.press("Control+A")
    page.keyboard.type("600x300")
    page.keyboard.press("Enter")
    tab_to(page, "How pictures holds whole pictures")
    page.keyboard.type("filled")
    tab_to(page, "Make also")
    page.keyboard.type("200 webp")
    with page.expect_navigation():
        page.keyboard.press("Enter")
    expect(page.locator("#photo-list tbody tr").first).to_contain_text("200 × 150")
    tab_to(page, f"Choose the part of {photos[0].name} that is kept in pictures")
    before = page.evaluate("document.activeElement.dataset.part")
    page.keyboard.press("Enter")
    part = page.locator("#part")
    expect(part).to_be_visible()
    expect(part.locator(".part-item")).to_have_count(1)
    for key in ("+", "+", "Shift+ArrowUp", "ArrowLeft", "Enter"):
        page.keyboard.press(key)
    expect(part).to_be_hidden()
    expect(page.locator("[data-part]").first).not_to_have_attribute("data-part", before)

    # A row is looked at large and left out, by keys.
    row = page.locator("#photo-list tbody tr").nth(1)
    row.focus()
    page.keyboard.press("l")
    expect(page.get_by_role("dialog", name="Photo, large")).to_contain_text(photos[1].name)
    page.keyboard.press("Escape")
    page.keyboard.press("x")
    expect(page.locator("tr.out")).to_contain_text(photos[1].name)

    tab_to(page, "Run", exact=True)
    with page.expect_navigation():
        page.keyboard.press("Enter")
    expect(page.locator("#run[data-state=done]")).to_have_count(1)
    tab_to(page, "Download the archive")
    with page.expect_download() as download:
        page.keyboard.press("Enter")
    with zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes())) as files:
        made = sorted(name for name in files.namelist() if not name.startswith(("manifest", "images")))
    assert made == [f"200/{photos[0].stem}.webp", f"200/{photos[2].stem}.webp",
                    f"{photos[0].stem}.jpg", f"{photos[2].stem}.jpg"]  # fmt: skip


def test_the_part_that_is_kept_catches_on_the_item(page: Page) -> None:
    page.goto("/")
    page.locator("form:has(#begin-1) input[type=file]").first.set_input_files([PHOTOS / "BRYD0111.JPG"])
    page.wait_for_url("**/whole")
    expect(page.locator("#photo-list tbody tr")).to_have_count(1)
    # Sentences begin as those of the last shoot were left.
    page.get_by_label("Size of pictures", exact=True).select_option("exact")
    for side in ("Width", "Height"):
        page.get_by_label(f"{side} of pictures, px", exact=True).fill("400")
        page.keyboard.press("Enter")
    page.get_by_label("How pictures holds whole pictures", exact=True).select_option("cover")
    page.get_by_role("button", name="Choose the part of BRYD0111.JPG that is kept in pictures").click()
    item = page.locator("#part .part-item")
    expect(item).to_have_count(1)
    page.get_by_label("closer").fill("2")
    middle = item.evaluate("e => +e.getAttribute('x') + e.getAttribute('width') / 2")
    seen, whole = item.bounding_box(), page.locator("#part .part-frame").bounding_box()
    assert seen is not None and whole is not None
    to = seen["x"] + seen["width"] / 2, seen["y"] + seen["height"] / 2
    page.mouse.move(whole["x"] + whole["width"] / 2, whole["y"] + whole["height"] / 2)
    page.mouse.down()
    page.mouse.move(to[0] - 60, to[1], steps=4)
    page.mouse.move(to[0] + 3, to[1] + 2, steps=4)
    expect(page.locator("#part .part-line")).to_have_count(2)
    page.mouse.up()
    framed = page.locator("#part .part-frame").evaluate("e => +e.getAttribute('x') + e.getAttribute('width') / 2")
    assert abs(framed - middle) < 1
