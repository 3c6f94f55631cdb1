"""What has changed reaches a page, however late the page or what it asked for arrives."""

import re
import time

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
    """The address of a run that rests before its end, of pictures that were not made before."""
    while True:
        page.goto("/shoots/1/deliver")
        page.get_by_role("link", name="What it says").click()
        keep(page, "Canvas width in pixels", str(px))
        answer = httpx.post(f"{server.address}/shoots/1/runs", timeout=240)
        assert answer.status_code == 303
        run = re.findall(r"/runs/[0-9]+", httpx.get(f"{server.address}/runs", timeout=240).text)[0]
        wish(server, run, "pause")
        if not is_done(server, run):
            return run
        px += 2  # it was faster than the wish


def change(server: Server) -> None:
    """Something that all pages are told of."""
    data = {"name": f"Row {time.monotonic_ns()}"}
    assert httpx.post(f"{server.address}/shoots/1/name", data=data, timeout=240).status_code == 303


def wish(server: Server, run: str, what: str) -> None:
    assert httpx.post(f"{server.address}{run}/state", data={"wish": what}, timeout=240).status_code == 303


def is_done(server: Server, run: str) -> bool:
    return httpx.get(f"{server.address}{run}/told", timeout=240).status_code == 200


def test_a_page_that_arrives_after_the_last_change_hears_of_it(page: Page, server: Server) -> None:
    run = begun(page, server, 1800)
    # The page before holds the connection for all pages, and has heard the first news.
    page.evaluate(LISTEN)
    change(server)
    page.wait_for_function("() => window.heard")

    def late(route: Route) -> None:
        drawn = route.fetch()
        assert 'data-state="paused"' in drawn.text()
        wish(server, run, "continue")
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
    change(server)
    page.wait_for_function("() => window.heard")
    until(lambda: bool(page.wait_for_timeout(50) or held))
    wish(server, run, "continue")
    until(lambda: is_done(server, run))
    # One more change, so that the news of the last one have come for certain.
    page.evaluate("() => { window.heard = 0; }")
    change(server)
    page.wait_for_function("() => window.heard")
    route, drawn = held[0]
    assert 'data-state="paused"' in drawn.text()
    route.fulfill(response=drawn)
    expect(page.locator("#run")).to_have_attribute("data-state", "done")


def test_what_is_in_hand_stays_there_while_parts_are_drawn_anew(page: Page, server: Server) -> None:
    run = begun(page, server, 2600)
    page.goto(run)
    go_on = page.get_by_role("button", name="Continue")
    go_on.focus()
    page.evaluate("() => { window.was = document.activeElement; }")
    change(server)
    page.wait_for_function("() => !document.contains(window.was)")
    expect(go_on).to_be_focused()
    page.evaluate(LISTEN)
    box = go_on.bounding_box()
    assert box
    page.mouse.move(box["x"] + 5, box["y"] + 5)
    page.mouse.down()
    for _ in range(2):
        page.evaluate("() => { window.heard = 0; }")
        change(server)
        page.wait_for_function("() => window.heard")
    page.mouse.up()
    expect(page.locator("#run")).not_to_have_attribute("data-state", "paused")
