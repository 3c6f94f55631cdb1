"""A run as a person does it: tried, looked at, changed, run, paused, one cutout mended meanwhile, run again, compared,
and made once more at another size."""

import re

import pytest
from pages import keep
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.browser


def state(page: Page, wanted: str) -> None:
    expect(page.locator("#run")).to_have_attribute("data-state", wanted)


def made_and_kept(page: Page) -> tuple[int, int]:
    told = page.locator("#run .counts").inner_text()
    kept, made = re.search(r"(\d+) of them kept from before, (\d+) made", told).groups()  # type: ignore[union-attr]
    return int(made), int(kept)


def test_from_a_trial_to_the_same_at_another_size(page: Page) -> None:
    page.goto("/shoots/1/deliver")
    page.get_by_role("button", name="Try five first").click()
    page.wait_for_url("**/runs/*")
    expect(page.locator("h1")).to_have_text("Trial")
    state(page, "done")
    page.locator(".finished .stand-link").first.click()
    page.wait_for_url("**/pictures/*")

    # Large, so that there is time to rest in between.
    page.goto("/shoots/1/deliver")
    page.get_by_role("link", name="What it says").click()
    keep(page, "Canvas width in pixels", "2600")
    keep(page, "Canvas height in pixels", "2600")
    page.goto("/shoots/1/deliver")
    expect(page.locator("#forecast")).to_contain_text("are made because")
    expect(page.get_by_label("rest if a picture fails")).not_to_be_checked()
    page.get_by_role("button", name="Run again").click()
    state(page, "running")
    expect(page.locator("#run")).not_to_contain_text("0 done")
    page.get_by_role("button", name="Pause").click()
    state(page, "paused")
    first = page.locator("#run").get_attribute("aria-label")

    photo = mend_one(page)
    page.goto("/shoots/1/deliver")
    page.get_by_role("button", name="Continue").click()
    state(page, "done")

    page.get_by_role("button", name="Run again").click()
    expect(page.locator("#run")).not_to_have_attribute("aria-label", first or "")
    state(page, "done")
    made, kept = made_and_kept(page)
    assert 2 <= made <= 3 and made + kept == 30

    page.goto("/runs")
    page.get_by_role("link", name=re.compile(r"^Run \d+$")).first.click()
    page.get_by_role("link", name=re.compile("^compared with run")).click()
    expect(page.locator("h1")).to_contain_text("beside")
    expect(page.locator(".counts")).to_contain_text(f"{kept} alike")
    shown = page.get_by_role("region", name="Changed").locator("img")
    assert shown.count() == 2 * made
    assert photo

    page.go_back()
    page.get_by_text("The same at another size").click()
    page.get_by_label("px of the longer side").fill("1600")
    page.get_by_role("button", name="Make them").click()
    page.wait_for_url(re.compile(r"/runs/\d+$"))
    state(page, "done")
    page.get_by_role("link", name="table", exact=True).click()
    expect(page.locator("tbody tr").first.locator("td").nth(4)).to_have_text("1600")


def mend_one(page: Page) -> int:
    """Paint a piece of backdrop out of an item, as far from its rim as there is room."""
    page.goto("/shoots/1/clear")
    page.locator(".shelves:not(.look) .stand-link").first.click()
    page.wait_for_url("**/photos/*")
    photo = int(page.url.rsplit("/", 1)[1].split("#")[0])
    page.locator("#bench[data-shown]").wait_for()
    page.keyboard.press("d")
    box = page.locator("#bench").bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] / 2 + 12, box["y"] + box["height"] / 2 + 6, steps=4)
    page.mouse.up()
    expect(page.locator("#marks-message")).to_have_text("1 mark, kept.")
    page.keyboard.press("a")
    page.wait_for_url(lambda url: not url.endswith(f"/photos/{photo}"))
    return photo


def test_pages_hear_of_what_others_do(page: Page) -> None:
    """What another page changes is seen without asking for it, and the browser may tell of the end."""
    page.goto("/runs/1")
    other = page.context.new_page()
    other.goto("/shoots/2/deliver")
    other.get_by_role("button", name="Run", exact=True).click()
    expect(other.locator("#run")).to_have_attribute("data-state", re.compile("running|done"))
    expect(page.locator("footer")).to_contain_text(re.compile("under way|Clearing"))
    expect(page.locator("footer")).to_contain_text("Nothing running")
    expect(other.locator("#run")).to_have_attribute("data-state", "done")
