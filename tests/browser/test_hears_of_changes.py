"""What has changed reaches a page, however late the page or what it asked for arrives."""

import re

import httpx
import pytest
from pages import keep
from playwright.sync_api import APIResponse, Page, Route, expect
from support import Server, until

pytestmark = pytest.mark.browser
LISTEN = """() => { window.heard = 0;
  window.listener = new SharedWorker("/static/js/news-worker.js");
  window.listener.port.onmessage = () => { window.heard += 1; }; }"""


def begun(page: Page, server: Server, px: int) -> str:
    """The address of a run that goes on for a while, of pictures that were not made before."""
    page.goto("/shoots/1/deliver")
    page.get_by_role("link", name="What it says").click()
    keep(page, "Canvas width in pixels", str(px))
    answer = httpx.post(f"{server.address}/shoots/1/runs", timeout=240)
    assert answer.status_code == 303
    return re.findall(r"/runs/[0-9]+", httpx.get(f"{server.address}/runs", timeout=240).text)[0]


def is_done(server: Server, run: str) -> bool:
    return httpx.get(f"{server.address}{run}/told", timeout=240).status_code == 200


def test_a_page_that_arrives_after_the_last_change_hears_of_it(page: Page, server: Server) -> None:
    run = begun(page, server, 1800)
    # The page before holds the connection for all pages, and has heard the first news.
    expect(page.locator("footer")).to_contain_text("running")

    def late(route: Route) -> None:
        drawn = route.fetch()
        assert 'data-state="running"' in drawn.text()
        until(lambda: is_done(server, run))
        route.fulfill(response=drawn)

    page.route(f"**{run}", late, times=1)
    page.goto(run)
    expect(page.locator("#run")).to_have_attribute("data-state", "done")


def test_a_part_that_arrives_after_the_last_change_hears_of_it(page: Page, server: Server) -> None:
    run = begun(page, server, 1700)
    held: list[tuple[Route, APIResponse]] = []

    def late(route: Route) -> None:
        held.append((route, route.fetch()))

    page.route(f"**{run}?*", late, times=1)
    page.goto(run)
    page.evaluate(LISTEN)
    page.wait_for_function("() => window.heard")
    until(lambda: bool(page.wait_for_timeout(50) or held))
    until(lambda: is_done(server, run))
    # One more change, so that the news of the last one have come for certain.
    page.evaluate("() => { window.heard = 0; }")
    httpx.post(f"{server.address}/shoots/1/name", data={"name": "Row"}, timeout=240)
    page.wait_for_function("() => window.heard")
    route, drawn = held[0]
    assert 'data-state="running"' in drawn.text()
    route.fulfill(response=drawn)
    expect(page.locator("#run")).to_have_attribute("data-state", "done")


def test_what_is_in_hand_stays_there_while_parts_are_drawn_anew(page: Page, server: Server) -> None:
    run = begun(page, server, 2600)
    page.goto(run)
    pause = page.get_by_role("button", name="Pause")
    pause.focus()
    page.evaluate("() => { window.was = document.activeElement; }")
    page.wait_for_function("() => !document.contains(window.was)")
    expect(pause).to_be_focused()
    page.evaluate(LISTEN)
    box = pause.bounding_box()
    assert box
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    page.evaluate("() => { window.heard = 0; }")
    page.wait_for_function("() => window.heard > 1")
    page.mouse.up()
    expect(page.locator("#run")).to_have_attribute("data-state", "paused")
