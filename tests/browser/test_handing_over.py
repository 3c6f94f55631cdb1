"""A standard copied, changed, given to a shoot and run; a failed check mended; sheet and archive taken away."""

import io
import re
import subprocess
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest
from pages import keep
from PIL import Image
from playwright.sync_api import Page, Route, expect

pytestmark = pytest.mark.browser


def run(page: Page) -> None:
    page.get_by_role("button", name="Run").click()
    expect(page.locator("#run")).to_have_attribute("data-state", "done")


def placed(page: Page) -> str:
    return page.locator("#samples svg g").first.get_attribute("transform") or ""


def test_a_copied_standard_is_changed_run_mended_and_handed_over(page: Page) -> None:
    page.goto("/standards")
    page.get_by_label("Its name").fill("Winter sale")
    page.get_by_role("button", name="Make the copy").click()
    page.wait_for_url("**/standards/3")
    expect(page.get_by_label("Name of the standard")).to_have_value("Winter sale")

    # Small, so that the runs are soon through; then three sentences, and the samples follow each.
    keep(page, "Canvas width in pixels", "500")
    keep(page, "Canvas height in pixels", "500")
    before = placed(page)
    keep(page, "Share of the canvas in per cent", "60")
    expect(page.locator("#samples")).to_contain_text("60 %")
    assert placed(page) != before
    keep(page, "Ground: a colour like #FFFFFF, or transparent", "#EEEEEE")
    expect(page.locator("#samples svg > rect").first).to_have_attribute("fill", "#EEEEEE")
    expect(page.locator("#samples .guide-line")).to_have_count(6)
    page.get_by_label("Where items sit").select_option("centre")
    expect(page.locator("#samples .guide-line")).to_have_count(0)

    page.get_by_label("Deliver also").select_option("thumbnail")
    page.locator("form[action$='/parts/deliverables'].adding button").click()
    expect(page.get_by_label("Size of thumbnail in px")).to_have_value("240")
    expect(page.locator("[data-size='thumbnail 2x']")).to_have_text(" 480 × 480")
    keep(page, "Size of thumbnail in px", "200")
    expect(page.locator("[data-size='thumbnail 2x']")).to_have_text(" 400 × 400")
    keep(page, "Limit of shop in kB, or none", "20")
    page.get_by_label("Check also").select_option("ground")
    page.locator("form[action$='/parts/checks'].adding button").click()
    rim = page.get_by_label("Ground at corners and rim, value")
    expect(rim).to_have_value("#FFFFFF within 1")
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("#rules-message")).to_contain_text(
        "Undone: check of ground at corners and rim #FFFFFF within 1 gone"
    )
    expect(rim).to_have_count(0)
    page.keyboard.press("Shift+U")
    expect(rim).to_have_value("#FFFFFF within 1")

    page.goto("/shoots/1/deliver")
    page.get_by_label("Standard of this shoot").select_option(label="Winter sale")
    expect(page.get_by_role("link", name="What it says")).to_have_attribute("href", "/standards/3?shoot=1")
    expect(page.locator("#estimate tr")).to_have_count(4)
    expect(page.locator("#estimate-message")).to_contain_text("all pictures together about")
    run(page)

    # What fails stands first, with its remedy.
    failed = page.locator("#failed-checks")
    expect(failed).to_contain_text("48 pictures fail a check")
    expect(failed).to_contain_text("Choose this ground")
    page.get_by_role("link", name="See each").click()
    expect(page.locator(".checks-table tr.clash").first).to_contain_text("#EEEEEE, 17 away")
    page.locator("#failed-checks").get_by_role("link", name="To the standard").click()
    keep(page, "Ground: a colour like #FFFFFF, or transparent", "#FFFFFF")

    page.goto("/shoots/1/deliver")
    run(page)
    expect(page.locator("#run")).to_contain_text("All pictures meet all checks.")
    expect(page.locator("#run")).to_contain_text("48 done")
    page.get_by_role("button", name="Contact sheet").click()
    page.get_by_label("on a page").fill("6")
    with page.expect_download() as sheet:
        page.get_by_role("button", name="Make the sheet").click()
    check_sheet(Path(sheet.value.path()))
    page.keyboard.press("Escape")
    with page.expect_download() as archive:
        page.get_by_role("link", name="Download the archive").click()
    check_archive(Path(archive.value.path()).read_bytes())


def test_what_is_typed_before_the_scripts_are_there_is_kept(page: Page) -> None:
    held: list[Route] = []
    page.route("**/js/rules.js*", lambda route: held.append(route))
    page.goto("/standards/1", wait_until="commit")
    for label, value in (("Canvas width in pixels", "901"), ("Canvas height in pixels", "903")):
        page.get_by_label(label, exact=True).fill(value)
        page.get_by_label(label, exact=True).press("Enter")
    page.get_by_label("Where items sit").select_option("centre")
    while not held:  # the browser asks for it when it has read that far
        page.wait_for_timeout(20)
    held[0].continue_()
    expect(page.locator("#samples svg").first).to_have_attribute("viewBox", "0 0 901 903")
    expect(page.locator("#samples .guide-line")).to_have_count(0)
    page.unroute_all()
    page.goto("/standards/1")
    expect(page.get_by_label("Canvas width in pixels", exact=True)).to_have_value("901")
    expect(page.get_by_label("Where items sit")).to_have_value("centre")


def test_a_button_pressed_before_the_scripts_are_there_answers(page: Page) -> None:
    page.goto("/standards/1")
    keep(page, "Canvas width in pixels", "907")
    expect(page.locator("#samples svg").first).to_have_attribute("viewBox", re.compile("^0 0 907 "))
    held: list[Route] = []
    page.route("**/js/rules.js*", lambda route: held.append(route))
    page.goto("/standards/1", wait_until="commit")
    page.get_by_role("button", name="Undo").click()
    while not held:
        page.wait_for_timeout(20)
    held[0].continue_()
    expect(page.locator("#rules-message")).to_contain_text("Undone")
    expect(page.locator("#samples svg").first).not_to_have_attribute("viewBox", re.compile("^0 0 907 "))


def check_sheet(path: Path) -> None:
    facts = subprocess.run(["pdfinfo", str(path)], capture_output=True, text=True, check=True).stdout
    assert "Pages:           2" in facts
    text = subprocess.run(["pdftotext", str(path), "-"], capture_output=True, text=True, check=True).stdout
    assert "BY-4105" in text and "Garden and pantry" in text


def check_archive(data: bytes) -> None:
    archive = zipfile.ZipFile(io.BytesIO(data))
    assert archive.testzip() is None
    pictures = [name for name in archive.namelist() if not name.startswith(("manifest", "images"))]
    assert len(pictures) == 48
    for name in pictures:
        with Image.open(archive.open(name)) as picture:
            wanted = {"thumbnail": 200, "thumbnail 2x": 400, "thumbnail 3x": 600}.get(name.partition("/")[0], 500)
            assert picture.size == (wanted, wanted), name
        if wanted == 500:
            assert archive.getinfo(name).file_size <= 20_000


def test_two_pictures_move_in_step_flip_and_differ(page: Page) -> None:
    page.goto("/runs/1?deliverable=shop")
    page.locator(".finished a").first.click()
    expect(page.locator("#zoom-message")).to_contain_text("%")
    captions = page.locator("#two-sides figcaption")
    expect(captions).to_have_count(2)
    expect(captions.nth(1)).to_contain_text("original 1600 × 1200 px")

    def pixels(side: int, x: float, y: float) -> list[int]:
        return list(
            page.evaluate(
                """([side, x, y]) => { const c = document.querySelectorAll('#two-sides canvas')[side];
                return [...c.getContext('2d').getImageData(c.width * x, c.height * y, 1, 1).data]; }""",
                [side, x, y],
            )
        )

    def until(holds: Callable[[], bool]) -> None:
        """Pictures load and are drawn in their own time."""
        for _ in range(80):
            if holds():
                return
            page.wait_for_timeout(100)
        raise AssertionError([pixels(side, x, y) for side in (0, 1) for x, y in ((0.5, 0.6), (0.5, 0.02))])

    def in_step(x: float, y: float) -> bool:
        """Whether both sides show the terracotta of the pot, and the same of it."""
        left, right = pixels(0, x, y), pixels(1, x, y)
        return left[0] - left[2] > 40 and max(abs(a - b) for a, b in zip(left, right, strict=True)) <= 12

    # The pot lies at the same place on both sides, at any zoom.
    until(lambda: in_step(0.5, 0.6))
    page.keyboard.press("h")
    expect(page.locator("#zoom-message")).to_have_text("100 %")
    until(lambda: in_step(0.5, 0.6))
    page.locator("#two-sides canvas").first.hover()
    page.mouse.wheel(0, -400)
    expect(page.locator("#zoom-message")).not_to_have_text("100 %")
    until(lambda: in_step(0.45, 0.55))
    page.keyboard.press("w")
    # White above the finished one, the paper's grey above the original.
    until(lambda: min(pixels(0, 0.5, 0.02)) > 250 and max(pixels(1, 0.5, 0.02)[:3]) < 250)
    page.keyboard.press("b")
    expect(captions.first).to_contain_text("original")
    until(lambda: min(pixels(1, 0.5, 0.02)) > 250 and max(pixels(0, 0.5, 0.02)[:3]) < 250)
    page.keyboard.press("b")
    page.keyboard.press("d")
    expect(captions.nth(1)).to_contain_text("difference of shop and original")
    # Paper against white, amplified; the pot against itself.
    until(lambda: max(pixels(1, 0.5, 0.02)[:3]) > 150 and max(pixels(1, 0.5, 0.6)[:3]) < 100)
    page.get_by_label("Beside it").select_option(label="thumbnail")
    expect(captions.nth(1)).to_contain_text("thumbnail 240 × 240 px")
