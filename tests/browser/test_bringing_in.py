"""What is seen of photos that were just brought in."""

import shutil
from pathlib import Path

import pytest
from playwright.sync_api import Page, Route, expect
from support import PHOTOS
from test_main_job import drop

pytestmark = pytest.mark.browser


def test_plain_photos_show_their_pictures(page: Page, tmp_path: Path) -> None:
    """No row has a second line of text, which must not take their place from the pictures."""
    photos = [tmp_path / f"P{at}.JPG" for at in range(3)]
    for photo, source in zip(photos, ("BRYD0105.JPG", "BRYD0111.JPG", "BRYD0126.JPG"), strict=True):
        shutil.copy(PHOTOS / source, photo)
    page.goto("/")
    page.get_by_label("Name of a new shoot").fill("Plain")
    page.get_by_role("button", name="Begin without photos: Items to cut out").click()
    drop(page, photos)
    pictures = page.locator("#photo-list tbody img.thumb")
    expect(pictures).to_have_count(3)
    for size, (width, height) in {"small": (60, 45), "middle": (120, 90), "big": (220, 165)}.items():
        page.get_by_role("button", name=size, exact=True).click()
        for at in range(3):
            expect(pictures.nth(at)).to_be_visible()
            box, cell = pictures.nth(at).bounding_box(), pictures.nth(at).locator("xpath=..").bounding_box()
            assert box is not None and cell is not None
            assert (box["width"], box["height"]) == (width, height) and cell["width"] >= width
    assert not page.evaluate("document.documentElement.scrollWidth > window.innerWidth")


def test_files_that_come_before_the_scripts_are_there_are_brought_in(page: Page) -> None:
    page.goto("/")
    page.get_by_label("Name of a new shoot").fill("Early")
    page.get_by_role("button", name="Begin without photos: Items to cut out").click()
    page.wait_for_url("**/bring-in")
    held: list[Route] = []
    page.route("**/js/upload.js*", lambda route: held.append(route))
    page.goto(page.url, wait_until="commit")
    drop(page, [PHOTOS / "BRYD0105.JPG"])
    page.locator("#drop input[type=file]").first.set_input_files(PHOTOS / "BRYD0111.JPG")
    while not held:
        page.wait_for_timeout(20)
    held[0].continue_()
    expect(page.locator("#photo-list tbody img.thumb")).to_have_count(2)
