"""The neutral point is set by a click, for one photo and for the shoot, and taken back."""

import re
from pathlib import Path

import cv2
import numpy as np
import pytest
from playwright.sync_api import Page, expect
from sheets import corners_seen, jpeg, photographed
from targets import drawn_target

from zero_easel.core.light.colour import to_srgb8
from zero_easel.core.light.rectify import in_order
from zero_easel.core.tone.balance import warmed

pytestmark = pytest.mark.browser


def test_the_neutral_point_by_click(page: Page) -> None:
    page.goto("/shoots/1/light")
    swatches = page.locator("[data-neutral]")
    first = swatches.first
    count = swatches.count()
    assert count > 5
    page.get_by_label("What is white", exact=True).select_option("backdrop")
    expect(page.locator("#zero-line")).to_contain_text("white by the backdrop")
    photo = first.get_attribute("aria-label")
    assert photo is not None
    before = first.locator("rect").nth(1).get_attribute("fill")

    # On the item instead of the paper, so that something is seen.
    first.click()
    stage = page.locator("#neutral-picture")
    box = stage.bounding_box()
    assert box is not None
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.55)
    expect(page.locator("#neutral")).to_be_hidden()
    changed = page.locator("li", has_text="neutral by hand")
    expect(changed).to_have_count(1)
    expect(changed.locator("rect").nth(1)).not_to_have_attribute("fill", before or "")

    # By keys, for all of the shoot.
    changed.locator("[data-neutral]").click()
    page.get_by_label("for the whole shoot").check()
    stage.focus()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    expect(page.locator("li", has_text="neutral by hand")).to_have_count(count)
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("li", has_text="neutral by hand")).to_have_count(1)
    page.locator("li", has_text="neutral by hand").locator("[data-neutral]").click()
    page.get_by_role("button", name="As measured").click()
    expect(page.locator("li", has_text="neutral by hand")).to_have_count(0)
    page.get_by_label("What is white", exact=True).select_option("as-shot")
    expect(page.locator("#zero-line")).not_to_contain_text("white by the backdrop")


def test_a_photo_closer_as_shot_and_as_it_becomes(page: Page) -> None:
    page.goto("/shoots/1/light")
    page.get_by_role("button", name="As the house does it").click()
    expect(page.locator("#zero-line")).to_contain_text("by the backdrop")
    expect(page.get_by_role("button", name="As the house does it")).to_have_count(0)
    page.locator("[data-neutral]").nth(1).click()
    title = page.locator("#neutral-title")
    expect(title).to_contain_text("The light on")
    stage, after = page.locator("#neutral-picture"), page.locator("#closer-after")
    expect(after).to_contain_text("L*")
    before = page.locator("#closer-before").text_content()
    box = stage.bounding_box()
    assert box is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(page.locator("#closer-before")).not_to_have_text(before or "")
    photo = page.locator("#closer-photo")
    expect(photo).to_have_attribute("filter", "url(#tone-closer)")
    page.keyboard.press("b")
    expect(photo).not_to_have_attribute("filter", "url(#tone-closer)")
    page.keyboard.press("b")
    expect(photo).to_have_attribute("filter", "url(#tone-closer)")
    page.keyboard.press("l")
    expect(page.locator("#closer-lost[href]")).to_have_count(1)
    named = title.text_content()
    page.keyboard.press("n")
    expect(title).not_to_have_text(named or "")
    page.keyboard.press("Escape")
    expect(page.locator("#neutral")).to_be_hidden()
    page.get_by_role("button", name="Undo").click()
    expect(page.locator("#zero-line")).not_to_contain_text("by the backdrop")


def test_a_colour_target_is_photographed_and_used(page: Page, tmp_path: Path) -> None:
    sheet = np.full((900, 1200, 3), 0.6, np.float32)
    target = drawn_target(100, np.random.default_rng(2))
    sheet[150 : 150 + target.shape[0], 200 : 200 + target.shape[1]] = target
    photo = tmp_path / "ZZ9999.jpg"
    cv2.imwrite(str(photo), to_srgb8((sheet @ (warmed(60) * 0.8).T).astype(np.float32))[..., ::-1])
    page.goto("/shoots/1/bring-in")
    page.locator("input[type=file]").first.set_input_files(photo)
    expect(page.locator("#photo-list")).to_contain_text("ZZ9999.jpg")
    page.goto("/shoots/1/light")
    use = page.get_by_role("button", name="Bring all photos to it")
    while not use.count():
        page.reload()
    first = page.locator("[data-neutral] rect").nth(1)
    before = first.get_attribute("fill")
    use.click()
    expect(page.get_by_text("All photos follow it.")).to_be_visible()
    expect(first).not_to_have_attribute("fill", before or "")
    page.get_by_role("button", name="Undo").click()
    expect(use).to_be_visible()
    expect(first).to_have_attribute("fill", before or "")


def test_a_book_seen_at_an_angle_is_straightened(page: Page, tmp_path: Path) -> None:
    corners = in_order(corners_seen(0.75, (0.35, -0.3, 0.08)))
    photo = tmp_path / "book.jpg"
    photo.write_bytes(jpeg(photographed(0.75, corners)))
    page.goto("/")
    page.get_by_label("Name of a new shoot").fill("Books")
    page.keyboard.press("Enter")
    page.wait_for_url("**/bring-in")
    page.locator("input[type=file]").first.set_input_files(photo)
    expect(page.locator("#photo-list")).to_contain_text("book.jpg")
    page.goto(page.url.replace("bring-in", "light"))
    swatch = page.locator("li", has_text="book.jpg").locator("[data-neutral]")
    while not swatch.count():
        page.reload()
    swatch.click()
    page.get_by_role("link", name="Straighten").click()
    drawn = page.locator("#straight")
    expect(drawn).to_have_js_property("complete", True)
    before = drawn.get_attribute("src")
    found = page.get_by_role("button", name="the item's own, found")
    corner = page.get_by_role("button", name="Upper left corner")
    expect(found).to_be_enabled()
    found.click()
    expect(corner).to_be_visible()
    expect(drawn).not_to_have_attribute("src", before or "")
    # Dragged away, then moved by keys.
    held = corner.bounding_box()
    assert held is not None
    x, y = held["x"] + held["width"] / 2, held["y"] + held["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x - 20, y - 10)
    page.mouse.up()
    dragged = corner.get_attribute("cx")
    assert float(dragged or 0) < corners[0][0] - 20
    page.keyboard.press("Shift+ArrowRight")
    expect(corner).not_to_have_attribute("cx", dragged or "")
    found.click()
    expect(corner).to_have_attribute("cx", re.compile(rf"{int(corners[0][0] / 10)}\d"))
    page.get_by_label("How far the lens moved the corners, in %").fill("-1.5")
    page.get_by_label("Width of the rectangle to its height").fill("0.75")
    page.get_by_role("button", name="Keep").click()
    page.wait_for_url("**/light")
    expect(swatch).to_have_attribute("title", re.compile("bent by 1.5 %; brought upright"))
    page.get_by_role("button", name="Undo").click()
    expect(swatch).not_to_have_attribute("title", re.compile("brought upright"))
