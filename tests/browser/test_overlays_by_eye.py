"""An overlay is dragged on a sample, and its sentence follows."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import Locator, Page, expect
from support import PHOTOS
from test_main_job import drop

pytestmark = pytest.mark.browser


def middle(what: Locator) -> tuple[float, float]:
    box = what.bounding_box()
    assert box is not None
    return box["x"] + box["width"] / 2, box["y"] + box["height"] / 2


def test_a_mark_is_dragged_made_larger_and_moved_by_keys(page: Page) -> None:
    page.goto("/")
    drop(page, [Path(PHOTOS / "BRYD0105.JPG")], "form:has(#begin-1)")
    page.wait_for_url("**/whole")
    expect(page.locator("#photo-list tbody tr")).to_have_count(1)
    page.locator("summary", has_text="Kept as").click()
    page.get_by_role("link", name="All rules").click()
    page.locator("form.adding:has(option[value=badge])").get_by_role("button", name="Add").click()
    expect(page.locator("#samples [data-overlay=mark]")).to_have_count(1)
    page.get_by_role("button", name="Place mark by eye").click()
    mark = page.locator("#eye-picture [data-overlay=mark]")
    stage = page.locator("#eye-picture")
    at, inset, size = (page.locator(f"[data-field='overlays.mark.{key}']") for key in ("at", "inset", "size"))
    expect(at).to_have_value("bottom right")

    # Dragged near to the middle of the upper edge it catches there.
    x, y = middle(mark.locator("text"))
    across, down = middle(stage)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(across + 60, down, steps=4)
    page.mouse.move(across + 2, down - 120, steps=4)
    expect(page.locator("#eye-told")).to_contain_text("in the middle")
    page.mouse.up()
    expect(at).to_have_value("top")
    expect(inset).not_to_have_value("4%")
    expect(page.locator("#eye-told")).to_contain_text("at the top")

    was = float(size.input_value())
    grip = mark.locator(".eye-grip")
    x, y = middle(grip)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(x + 60, y + 12, steps=4)
    page.mouse.up()
    expect(size).not_to_have_value(f"{was:g}")
    assert float(size.input_value()) > was

    stage.focus()
    page.keyboard.press("ArrowRight")
    expect(inset).to_have_value(re.compile(r"^1% [\d.]+%$"))
    page.get_by_role("button", name="Done").click()
    page.get_by_role("button", name="Undo").click()
    expect(at).to_have_value("top")
