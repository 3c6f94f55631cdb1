"""Every page by the rules of WCAG 2.1, level AA, as axe-core checks them, and at twice its size."""

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect
from support import PHOTOS
from test_main_job import drop

pytestmark = pytest.mark.browser
AXE = Path(__file__).parents[2] / "frontend/node_modules/axe-core/axe.min.js"
PAGES = (
    "/", "/products", "/products/BY-2104", "/standards", "/standards/1", "/standards/1/versions", "/runs", "/runs/1",
    "/shoots/1/bring-in", "/shoots/1/match", "/shoots/1/clear", "/shoots/1/light", "/shoots/1/place", "/shoots/1/names",
    "/shoots/1/deliver", "/shoots/1/live",
    "/shoots/2/hand-over", "/shoots/1/delete", "/pictures/1", "/photos/1", "/photos/1/straighten",
    "/shoots/1/approval", "/programs", "/people", "/journal", "/tidy-up",
)  # fmt: skip


def faults(page: Page) -> list[str]:
    """What axe finds on the page as it stands."""
    page.evaluate(AXE.read_text())
    found = page.evaluate(
        "axe.run(document, {runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa'], resultTypes: ['violations']})"
    )
    return [f"{one['id']}: {node['html'][:160]}" for one in found["violations"] for node in one["nodes"][:3]]


def too_wide(page: Page) -> bool:
    return bool(page.evaluate("document.documentElement.scrollWidth > window.innerWidth"))


@pytest.mark.parametrize("path", PAGES)
def test_pages_obey_the_rules_and_fit_when_enlarged(path: str, page: Page) -> None:
    page.goto(path)
    # Pages go on hearing of changes; what they ask for at first has come with the foot's answer.
    page.wait_for_load_state("load")
    expect(page.locator("footer [hx-get='/status']")).not_to_be_empty()
    assert not faults(page)
    page.set_viewport_size({"width": 640, "height": 400})  # 1280 x 800 at 200 %
    assert not too_wide(page)


def test_an_overlay_by_eye_does(page: Page) -> None:
    page.goto("/standards/2")
    page.get_by_role("button", name="Place badge by eye").click()
    expect(page.locator("#eye-picture [data-overlay=badge]")).to_have_count(1)
    assert not faults(page)
    page.set_viewport_size({"width": 640, "height": 400})
    assert not too_wide(page)
    expect(page.get_by_role("button", name="Done")).to_be_visible()


def test_the_page_of_whole_pictures_does_and_its_dialogs(page: Page) -> None:
    page.goto("/")
    drop(page, [PHOTOS / "BRYD0105.JPG"], "form:has(#begin-1)")
    page.wait_for_url("**/whole")
    expect(page.locator("#photo-list tbody tr")).to_have_count(1)
    assert not faults(page)
    for summary in page.locator("#rules summary").all():
        summary.click()
    page.get_by_role("button", name="By eye").click()
    assert not faults(page)
    page.get_by_role("button", name="Close").click()
    page.get_by_label("Size of pictures", exact=True).select_option("longest")
    page.get_by_label("Size of pictures in px").fill("400x200")
    page.keyboard.press("Enter")
    page.get_by_label("How pictures holds whole pictures").select_option("cover")
    page.locator("[data-part]").click()
    assert not faults(page)
    page.keyboard.press("Escape")
    page.set_viewport_size({"width": 640, "height": 400})
    assert not too_wide(page)
