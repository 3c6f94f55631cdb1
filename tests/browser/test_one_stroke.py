"""A doubtful item is made right by one stroke."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect
from test_main_job import drop
from test_touch_up import deepest, seen

pytestmark = pytest.mark.browser
VIEWS = Path(__file__).parents[1] / "views"


def brought_in(page: Page, *names: str) -> None:
    """A new shoot of these photos, cleared; the page shows its wall."""
    page.goto("/")
    page.get_by_label("Name of a new shoot").fill(" ".join(names))
    page.get_by_role("button", name="Begin without photos: Items to cut out").click()
    drop(page, [VIEWS / f"{name}.jpg" for name in names])
    expect(page.locator("#photo-list tbody img.thumb")).to_have_count(len(names))
    page.goto(page.url.replace("bring-in", "clear"))
    expect(page.locator(".stand")).to_have_count(len(names))
    expect(page.get_by_role("progressbar", name="Photos cleared")).to_have_count(0)


def opened(page: Page, name: str) -> None:
    """The photo on the canvas, its matte alone."""
    page.locator(".stand-link").filter(has_text=name).click()
    page.wait_for_url("**/photos/*")
    page.get_by_text("matte alone", exact=True).click()
    page.get_by_label("marks", exact=True).uncheck()
    page.get_by_label("doubtful places").uncheck()


def photo_on(canvas: np.ndarray) -> tuple[slice, slice]:
    """Where the photo's matte, black and white, lies on the grey bench."""
    matte = (canvas < 12) | (canvas > 250)
    rows, columns = np.flatnonzero(matte.mean(1) > 0.2), np.flatnonzero(matte.mean(0) > 0.2)
    return slice(int(rows[0]), int(rows[-1]) + 1), slice(int(columns[0]), int(columns[-1]) + 1)


def compared(page: Page, name: str) -> tuple[np.ndarray, np.ndarray, tuple[int, int]]:
    """The matte as shown, the truth at its size, (h, w) bool both, and where on the canvas they begin, x and y."""
    canvas = seen(page)
    part = photo_on(canvas)
    truth = np.asarray(Image.open(VIEWS / f"truth/{name}.alpha.png"))
    size = (part[1].stop - part[1].start, part[0].stop - part[0].start)
    return canvas[part] > 127, cv2.resize(truth, size) > 127, (part[1].start, part[0].start)


def overlap(found: np.ndarray, truth: np.ndarray) -> float:
    return float((found & truth).sum() / (found | truth).sum())


def correct(page: Page, name: str) -> None:
    """Click once into the middle of the largest difference."""
    found, truth, (left, top) = compared(page, name)
    labels, facts = cv2.connectedComponentsWithStats((found != truth).astype(np.uint8), connectivity=4)[1:3]
    x, y = deepest(labels == 1 + int(np.argmax(facts[1:, cv2.CC_STAT_AREA])))
    page.keyboard.press("i" if truth[y, x] else "d")
    box = page.locator("#bench").bounding_box()
    assert box
    page.mouse.click(box["x"] + left + x, box["y"] + top + y)
    page.mouse.move(5, 5)


def test_one_stroke_makes_a_doubtful_item_right(page: Page) -> None:
    brought_in(page, "one-stroke")
    expect(page.get_by_role("heading", name="1 to look at")).to_be_visible()
    opened(page, "one-stroke")
    assert overlap(*compared(page, "one-stroke")[:2]) < 0.96
    correct(page, "one-stroke")
    expect(page.locator("#marks-message")).to_have_text("1 mark, kept.")
    assert overlap(*compared(page, "one-stroke")[:2]) >= 0.965
