"""The whole job, as a person does it in a browser."""

import base64
import csv
import io
import re
import shutil
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect
from support import CATALOG, PHOTOS

pytestmark = pytest.mark.browser
BROUGHT = {"BRYD0105.JPG": "by-2104-bl_front.jpg", "BRYD0111.JPG": "BY-2102 front.JPG", "BRYD0144.JPG": "DSC_7.JPG",
           "BRYD0126.JPG": "BY-3301-top.jpg"}  # fmt: skip


def drop(page: Page, files: list[Path], place: str = "#drop") -> None:
    """Drop files on the page's place for them, as from a file manager."""
    contents = [(file.name, base64.b64encode(file.read_bytes()).decode()) for file in files]
    transfer = page.evaluate_handle(
        """files => {
            const transfer = new DataTransfer();
            for (const [name, data] of files)
                transfer.items.add(new File([Uint8Array.from(atob(data), c => c.charCodeAt(0))], name));
            return transfer;
        }""",
        contents,
    )
    page.dispatch_event(place, "drop", {"dataTransfer": transfer})


def test_from_photos_and_catalog_to_an_archive(page: Page, tmp_path: Path) -> None:
    photos = []
    for source, name in BROUGHT.items():
        photos.append(tmp_path / name)
        shutil.copy(PHOTOS / source, photos[-1])
    page.goto("/")
    expect(page.get_by_role("heading", name="Garden and pantry")).to_be_visible()
    page.get_by_label("Name of a new shoot").fill("Winter table")
    page.get_by_role("button", name="Begin without photos: Items to cut out").click()

    drop(page, [*photos, CATALOG])
    expect(page.locator("#uploads-title")).to_have_text("5 of 5 brought in")
    expect(page.locator("#photo-list tbody tr")).to_have_count(4)
    expect(page.locator("#zero-line")).to_contain_text("1 to settle")

    page.get_by_role("link", name="Match").click()
    page.wait_for_url("**/match")  # with its scripts: on a busy machine typing is faster than they are
    code = page.get_by_label("Product code of DSC_7.JPG")
    code.fill("by-6004")
    code.press("Tab")
    row = page.locator("tr", has_text="DSC_7.JPG").first
    expect(row).to_contain_text("Garden Mint tea tin")
    expect(code).to_have_value("BY-6004")
    view = page.get_by_label("View of DSC_7.JPG")
    view.fill("front")
    # The zero line is asked for anew meanwhile, at an address that ends alike.
    with page.expect_response(lambda answer: answer.request.method == "POST"):
        view.press("Enter")
    expect(row).to_contain_text("by hand")
    expect(page.locator("#zero-line")).to_contain_text("all known")
    page.reload()
    expect(page.get_by_label("View of DSC_7.JPG")).to_have_value("front")

    page.keyboard.press("5")
    page.wait_for_url("**/place")
    names = page.url.replace("/place", "/names")
    page.get_by_role("link", name="The whole standard").click()
    page.wait_for_url("**/standards/*")
    for label, value in (("Canvas width in pixels", "640"), ("Canvas height in pixels", "480")):
        page.get_by_label(label).fill(value)
        page.get_by_label(label).press("Enter")
        expect(page.locator("#rules-message")).to_have_attribute("data-kept", f"canvas.{label.split()[1]}")
    page.get_by_label("Format of shop").select_option("png")
    expect(page.get_by_label("Quality of shop, 1 to 100")).to_be_hidden()
    ground = page.get_by_label("Ground: a colour like #FFFFFF, or transparent")
    ground.fill("transparent")
    ground.press("Enter")
    expect(page.locator("#rules-message")).to_have_attribute("data-kept", "canvas.ground")

    page.goto(names)
    expect(page.locator("tr", has_text="DSC_7.JPG")).to_contain_text("BY-6004_front.png")
    page.get_by_role("link", name="Deliver").click()
    page.get_by_role("button", name="Run").click()
    run = page.locator("#run")
    expect(run).to_contain_text("remaining")
    expect(page.get_by_role("progressbar", name="Pictures made").or_(page.get_by_text("is done"))).to_be_visible()
    expect(run).to_have_attribute("data-state", "done")
    expect(run).to_contain_text("4 done")

    page.get_by_role("link", name="BY-2102_front.png, open beside its original").click()
    expect(page.locator("#two-sides figcaption")).to_have_text(
        [re.compile("shop 640 × 480 px.*PNG"), re.compile("original 1600 × 1200 px.*JPEG")]
    )
    expect(page.locator("#zoom-message")).to_contain_text("%")  # its scripts are there: Escape is heard
    page.keyboard.press("Escape")
    with page.expect_download() as caught:
        page.get_by_role("link", name="Download the archive").click()
    check_archive(Path(caught.value.path()).read_bytes())


def test_rules_typed_quickly_are_all_kept(page: Page) -> None:
    page.goto("/standards/1")
    page.get_by_label("Canvas width in pixels").fill("700")
    page.keyboard.press("Tab")
    page.keyboard.type("500")
    page.keyboard.press("Tab")
    page.keyboard.type("#abc")
    page.keyboard.press("Tab")
    expect(page.get_by_label("Ground: a colour like #FFFFFF, or transparent")).to_have_value("#AABBCC")
    page.reload()
    for label, value in (("Canvas width in pixels", "700"), ("Canvas height in pixels", "500")):
        expect(page.get_by_label(label)).to_have_value(value)
    # Even if the page is left at once.
    for label, value in (("Canvas width in pixels", "720"), ("Canvas height in pixels", "520")):
        page.get_by_label(label).fill(value)
        page.keyboard.press("Tab")
    page.goto("/standards")
    page.goto("/standards/1")
    for label, value in (("Canvas width in pixels", "720"), ("Canvas height in pixels", "520")):
        expect(page.get_by_label(label)).to_have_value(value)


def check_archive(data: bytes) -> None:
    archive = zipfile.ZipFile(io.BytesIO(data))
    rows = {row["original"]: row for row in csv.DictReader(io.StringIO(archive.read("manifest.csv").decode()))}
    assert set(rows) == set(BROUGHT.values())
    outputs = {"BY-2104-BL_front.png", "BY-2102_front.png", "BY-6004_front.png", "BY-3301_top.png"}
    assert (
        {row["output"] for row in rows.values()}
        == outputs
        == set(archive.namelist()) - {"manifest.csv", "manifest.json", "images.jsonld"}
    )
    for output in outputs:
        alpha = np.asarray(Image.open(io.BytesIO(archive.read(output))))[..., 3]
        assert alpha.shape == (480, 640)
        rows_, columns = (np.flatnonzero((alpha >= 128).any(axis)) for axis in (1, 0))
        # Stands 8 % above the lower edge: 441.6 px, drawn on the whole pixel above.
        assert abs(rows_[-1] + 1 - 441) <= 1
        assert rows_[0] >= 28 and columns[0] >= 28 and columns[-1] <= 611
        assert abs((columns[0] + columns[-1] + 1) / 2 - 320) <= 1


def test_the_doubtful_are_first_and_one_key_accepts(page: Page) -> None:
    page.goto("/")
    page.get_by_role("heading", name="Autumn shelf").get_by_role("link").click()
    page.wait_for_url("**/match")
    page.keyboard.press("3")
    page.wait_for_url("**/clear")
    heading = page.locator("#look-at")
    expect(heading).to_be_visible()
    expect(page.get_by_role("progressbar", name="Photos cleared")).to_have_count(0)
    count = page.locator(".look .stand").count()
    assert count >= 1
    page.keyboard.press("a")
    if count > 1:
        expect(page.locator(".look .stand")).to_have_count(count - 1)
        # The wall's new buttons work from the moment in which the place on it is in hand again.
        expect(page.locator(".stand-link:focus")).to_have_count(1)
        page.keyboard.press("Shift+A")
    expect(page.locator(".look .stand")).to_have_count(0)
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    page.wait_for_url("**/photos/*")
    page.keyboard.press("b")
    expect(page.get_by_role("radio", name="photo")).to_be_checked()
    page.keyboard.press("Escape")
    page.wait_for_url("**/clear*")


def test_no_page_scrolls_sideways(page: Page) -> None:
    for path in ("/", "/shoots/1/bring-in", "/shoots/1/match", "/shoots/1/clear", "/shoots/1/place",
                 "/shoots/1/names", "/shoots/1/deliver", "/shoots/2/match", "/products", "/products/BY-2104",
                 "/shoots/1/delete", "/standards", "/standards/2", "/standards/2/versions", "/runs",
                 "/runs/1?show_as=checks", "/runs/1?show_as=table", "/pictures/1", "/photos/1"):  # fmt: skip
        page.goto(path)
        for width, height in ((1280, 800), (1920, 1080), (640, 400)):
            page.set_viewport_size({"width": width, "height": height})
            needed = page.evaluate("document.documentElement.scrollWidth")
            assert needed <= width, (path, width, needed)
