"""From the camera's shutter to the photographer's eye: nothing is brought in by hand."""

import pytest
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.browser


def test_photos_come_in_as_they_are_shot_and_say_what_is_wrong(page: Page) -> None:
    page.request.post("/shoots", form={"name": "Tethered"})
    page.goto("/")
    page.get_by_role("link", name="Tethered").first.click()
    page.get_by_role("link", name="have a folder watched").click()
    page.get_by_label("Then they").select_option("move to done/ or refused/ within it")
    page.get_by_role("button", name="Watch this folder").click()

    door = page.locator("summary", has_text="Watching")
    for count in range(1, 6):
        door.click()
        page.get_by_role("button", name="Press the shutter").click()
        expect(page.locator("#live")).to_contain_text(
            f"The newest of {count if count < 5 else 7} photos".replace("1 photos", "1 photo")
        )
    # The fifth is a burst: one counts, the others stand behind it, and another one can be taken by a key.
    expect(page.locator(".live-line a")).to_have_count(5)
    held = page.locator(".live-burst li", has_text="behind it").first
    name = held.locator("img").get_attribute("alt") or ""
    held.locator("a").click()
    expect(page.locator(".live-told")).to_contain_text("of the same burst is sharper")
    page.wait_for_load_state("load")
    page.keyboard.press("t")
    expect(page.locator(".live-burst .best img")).to_have_attribute("alt", name)
    page.keyboard.press("Escape")
    expect(page.locator(".live-told")).to_contain_text("The newest of 7 photos")
    missing = page.locator("#missing").inner_text()

    # By itself from here on, until a file that was cut off is refused with its reason.
    door.click()
    page.get_by_label("How often it shoots").select_option("every 2 seconds")
    expect(page.locator(".live-missing")).to_contain_text(
        "ends too early: the file is damaged or was not copied completely"
    )
    door.click()
    page.get_by_role("button", name="Let go").click()
    expect(page.locator("#missing")).not_to_have_text(missing)
    door.click()
    page.get_by_role("button", name="Watch it no more").click()
    expect(page.get_by_text("Where photos come from")).to_be_visible()
