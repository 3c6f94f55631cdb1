"""Correcting a doubtful cutout on the canvas, from the first mark to the delivered picture."""

import io
import re

import cv2
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect

pytestmark = pytest.mark.browser


def settled(page: Page) -> None:
    """Wait until all visible tiles of the marks in force are on the canvas."""
    address = page.url.split("#")[0]
    key = page.request.get(f"{address}/marks").json()["key"]
    page.wait_for_function("key => document.querySelector('#bench').dataset.shown === key", arg=key)
    page.wait_for_timeout(100)


def seen(page: Page) -> np.ndarray:
    """The canvas as it is drawn, (h, w) uint8."""
    settled(page)
    return np.asarray(Image.open(io.BytesIO(page.locator("#bench").screenshot())).convert("L"))


def paint(page: Page, at: tuple[int, int]) -> None:
    """A short stroke that begins at x, y of the canvas."""
    box = page.locator("#bench").bounding_box()
    assert box
    page.mouse.move(box["x"] + at[0], box["y"] + at[1])
    page.mouse.down()
    page.mouse.move(box["x"] + at[0] + 8, box["y"] + at[1] + 3, steps=3)
    page.mouse.up()
    # Out of the way: the brush's ring is no part of the matte.
    page.mouse.move(5, 5)


def deepest(mask: np.ndarray) -> tuple[int, int]:
    """x, y of the pixel that is farthest from the mask's edge and from the picture's."""
    framed = np.pad(mask.astype(np.uint8), 1)
    distance = cv2.distanceTransform(framed, cv2.DIST_L2, 5)[1:-1, 1:-1]
    y, x = np.unravel_index(int(distance.argmax()), mask.shape)
    return int(x), int(y)


def near(shape: tuple[int, ...], at: tuple[int, int], radius: float) -> np.ndarray:
    y, x = np.mgrid[0 : shape[0], 0 : shape[1]]
    return np.hypot(x - at[0], y - at[1]) < radius


def test_two_marks_undo_redo_reload_accept_deliver(page: Page) -> None:
    page.goto("/shoots/2/clear")
    expect(page.locator("#look-at")).to_be_visible()
    expect(page.get_by_role("progressbar", name="Photos cleared")).to_have_count(0)
    page.locator(".look .stand-link").first.click()
    page.wait_for_url("**/photos/*")
    photo = int(page.url.rsplit("/", 1)[1].split("#")[0])
    page.get_by_text("matte alone", exact=True).click()
    page.get_by_label("marks", exact=True).uncheck()
    before = seen(page)
    # The bench around the photo is grey, the page beside it nearly white; the matte is white.
    assert (before > 250).any(), "a doubtful cutout with an item is needed here"
    hole = deepest(before > 250)
    paper = before < 10
    paper[:, : before.shape[1] // 2 - 250] = paper[:, before.shape[1] // 2 + 250 :] = False
    island = deepest(paper)

    page.keyboard.press("d")
    paint(page, hole)
    expect(page.locator("#marks-message")).to_have_text("1 mark, kept.")
    page.keyboard.press("i")
    paint(page, island)
    expect(page.locator("#marks-message")).to_have_text("2 marks, kept.")
    after = seen(page)
    assert before[hole[1], hole[0]] > 250 and after[hole[1], hole[0]] < 20
    assert before[island[1], island[0]] < 20 and after[island[1], island[0]] > 200
    elsewhere = ~near(before.shape, hole, 150) & ~near(before.shape, island, 150)
    assert (np.abs(after.astype(int) - before)[elsewhere] > 60).mean() < 0.004

    page.keyboard.press("u")
    page.keyboard.press("Control+z")
    expect(page.locator("#undo")).to_be_disabled()
    assert np.abs(seen(page).astype(int) - before).max() <= 8
    page.keyboard.press("r")
    page.keyboard.press("Control+Shift+Z")
    expect(page.locator("#redo")).to_be_disabled()
    assert np.abs(seen(page).astype(int) - after).max() <= 8

    page.reload()
    expect(page.locator("#marks-message")).to_have_text("2 marks, kept.")
    page.get_by_text("matte alone", exact=True).click()
    page.get_by_label("marks", exact=True).uncheck()
    assert np.abs(seen(page).astype(int) - after).max() <= 8
    page.keyboard.press("a")
    page.wait_for_url(lambda url: not url.endswith(f"/photos/{photo}"))
    check_delivery(page, photo)


def check_delivery(page: Page, photo: int) -> None:
    """The photo's finished picture has the island and the hole."""
    page.goto("/standards/1")
    page.get_by_label("Format of shop").select_option("png")
    expect(page.locator("#rules-message")).to_have_attribute("data-kept", "deliverables.shop.format")
    ground = page.get_by_label("Ground: a colour like #FFFFFF, or transparent")
    ground.fill("transparent")
    ground.press("Enter")
    expect(page.locator("#rules-message")).to_have_attribute("data-kept", "canvas.ground")
    original = re.search(r">([^<>]+\.JPG)</span>, ", page.request.get(f"/photos/{photo}").text())
    assert original
    row = re.escape(original[1]) + r'</td><td class="mono">[^<]*</td><td>[^<]*</td><td class="mono">([^<]+)<'
    name = re.search(row, page.request.get("/shoots/2/names").text())
    assert name
    page.goto("/shoots/2/deliver")
    page.get_by_role("button", name="Run").click()
    expect(page.locator("#run")).to_have_attribute("data-state", "done")
    link = page.locator("a[aria-label]", has=page.locator("img")).and_(page.get_by_label(name[1]))
    number = link.first.get_attribute("href")
    assert number
    picture = page.request.get(f"/media/picture/{number.rsplit('/', 1)[1]}").body()
    alpha = np.asarray(Image.open(io.BytesIO(picture)))[..., 3]
    parts = [
        a for a in cv2.connectedComponentsWithStats((alpha > 127).astype(np.uint8))[2][1:, cv2.CC_STAT_AREA] if a > 60
    ]
    holes = [
        a
        for a in cv2.connectedComponentsWithStats((alpha < 128).astype(np.uint8), connectivity=4)[2][
            1:, cv2.CC_STAT_AREA
        ]
        if a > 60
    ]
    assert len(parts) >= 2 and len(holes) >= 2


def test_a_fence_is_copied_to_the_next_view(page: Page) -> None:
    answer = page.request.get("/shoots/1/clear")
    assert answer.ok
    for number in range(1, 30):
        page.goto(f"/photos/{number}")
        if page.locator("#copy-fence").count():
            break
    page.keyboard.press("f")
    box = page.locator("#bench").bounding_box()
    assert box
    corners = [(0.2, 0.1), (0.8, 0.1), (0.8, 0.9), (0.2, 0.9)]
    spots = [(box["x"] + u * box["width"], box["y"] + v * box["height"]) for u, v in corners]
    page.mouse.move(*spots[0])
    page.mouse.down()
    for spot in spots[1:]:
        page.mouse.move(*spot, steps=4)
    page.mouse.up()
    expect(page.locator("#copy-fence")).to_be_enabled()
    page.locator("#copy-fence").click()
    page.wait_for_url(lambda url: not url.endswith(f"/photos/{number}"))
    expect(page.locator("#marks-message")).to_have_text("1 mark, kept.")


def saffron(page: Page) -> int:
    """How many px of the canvas have the colour of doubt."""
    shown = np.asarray(Image.open(io.BytesIO(page.locator("#bench").screenshot())).convert("RGB")).astype(int)
    return int((np.abs(shown - (0xE3, 0x9A, 0x00)).max(2) < 12).sum())


def test_doubtful_places_are_drawn_until_they_are_answered(page: Page) -> None:
    page.goto("/")
    page.get_by_role("heading", name="Autumn shelf").get_by_role("link").click()
    page.wait_for_url("**/match")
    page.keyboard.press("3")
    page.wait_for_url("**/clear")
    first = page.locator(".look .stand").first
    expect(first.locator("svg.doubts path")).not_to_have_count(0)
    expect(first.locator(".caption .soft.block")).to_contain_text("could be item or backdrop.")
    first.get_by_role("link").click()
    page.wait_for_url("**/photos/*")
    settled(page)
    drawn = saffron(page)
    page.get_by_label("doubtful places").uncheck()
    hidden = saffron(page)
    assert drawn > hidden + 300
    page.get_by_label("doubtful places").check()
    page.get_by_role("radio", name="nothing, move").check()
    assert saffron(page) > hidden + 300
    page.get_by_text("Figures").click()
    expect(page.locator(".figures")).to_contain_text("How sure:")
