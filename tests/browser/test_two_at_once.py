"""Two people change the same at once, a third looks on."""

from pathlib import Path

import httpx
import pytest
from people import PASSWORD, add_people, page_of
from playwright.sync_api import Browser, expect
from support import Server

from zero_easel.library.store.people import Role

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def team(server: Server, demo_copy: Path) -> Server:
    """The application with an owner, two makers and a viewer."""
    add_people(demo_copy, Ida=Role.OWNER, Mara=Role.MAKER, Noor=Role.MAKER, Vito=Role.VIEWER)
    return server


def test_two_change_one_rule_and_nothing_is_lost(team: Server, browser: Browser) -> None:
    mara, noor = page_of(browser, team, "Mara"), page_of(browser, team, "Noor")
    for page in (mara, noor):
        page.goto("/standards/2?shoot=1")
        page.wait_for_load_state("load")
    field = "Canvas width in pixels"
    before = mara.get_by_label(field, exact=True).input_value()
    mara.get_by_label(field, exact=True).fill("1410")
    mara.get_by_label(field, exact=True).press("Enter")
    expect(mara.locator("#rules-message")).to_have_attribute("data-kept", "canvas.width")
    # Noor still sees the former value, and sets another one.
    assert noor.get_by_label(field, exact=True).input_value() == before
    noor.get_by_label(field, exact=True).fill("1290")
    noor.get_by_label(field, exact=True).press("Enter")
    said = noor.locator(".conflict")
    expect(said).to_contain_text("Meanwhile Mara set this to 1410; yours is 1290.")
    expect(noor.get_by_label(field, exact=True)).to_have_value("1290")
    mara.reload()
    expect(mara.get_by_label(field, exact=True)).to_have_value("1410")
    # What was not set is kept, too, where both can see it.
    mara.goto("/told/standard/2")
    expect(mara.locator("body")).to_contain_text("canvas.width: wanted 1290 where Mara has set 1410 meanwhile")
    mara.goto("/standards/2?shoot=1")
    mara.wait_for_load_state("load")
    # Chosen by hand, it is set; and Mara sees that when she changes it again.
    noor.get_by_role("button", name="Keep mine: Canvas width in pixels").click()
    expect(noor.locator("#rules-message")).to_have_attribute("data-kept", "canvas.width")
    expect(said).to_have_count(0)
    mara.get_by_label(field, exact=True).fill("1500")
    mara.get_by_label(field, exact=True).press("Enter")
    expect(mara.locator(".conflict")).to_contain_text("Meanwhile Noor set this to 1290")
    mara.get_by_role("button", name="Take theirs: Canvas width in pixels").click()
    expect(mara.get_by_label(field, exact=True)).to_have_value("1290")
    expect(mara.locator(".conflict")).to_have_count(0)
    # One's own change after one's own change is no conflict.
    noor.get_by_label(field, exact=True).fill("1300")
    noor.get_by_label(field, exact=True).press("Enter")
    noor.get_by_label(field, exact=True).fill("1310")
    noor.get_by_label(field, exact=True).press("Enter")
    noor.wait_for_function("() => document.querySelector('[data-field=\"canvas.width\"]').dataset.kept === '1310'")
    expect(noor.locator(".conflict")).to_have_count(0)


def test_two_say_what_one_photo_shows(team: Server, browser: Browser) -> None:
    mara, noor = page_of(browser, team, "Mara"), page_of(browser, team, "Noor")
    for page in (mara, noor):
        page.goto("/shoots/1/match")
        page.wait_for_load_state("load")
    row = "View of BRYD0115.JPG"
    mara.get_by_label(row).first.fill("inside")
    mara.get_by_label(row).first.press("Tab")
    expect(mara.get_by_role("button", name="Take back: BRYD0115.JPG").first).to_be_visible()
    noor.get_by_label(row).first.fill("under")
    noor.get_by_label(row).first.press("Tab")
    said = noor.get_by_text("Meanwhile Mara set this to BY-4105 inside; yours is BY-4105 under.")
    expect(said).to_be_visible()
    expect(noor.get_by_label(row).first).to_have_value("under")
    noor.get_by_role("button", name="Take theirs: BRYD0115.JPG").click()
    expect(said).to_have_count(0)
    expect(noor.get_by_label(row).first).to_have_value("inside")
    # Who else is there is told.
    expect(noor.get_by_text("Mara is here, too")).to_be_visible()


def test_a_viewer_changes_nothing(team: Server, browser: Browser) -> None:
    vito = page_of(browser, team, "Vito")
    vito.goto("/shoots/1/match")
    expect(vito.get_by_text("You look on and may comment")).to_be_visible()
    cookies = {one["name"]: one["value"] for one in vito.context.cookies()}
    for path, data in (("/shoots/1/name", {"name": "x"}), ("/photos/1/match", {"code": "x"}), ("/shoots/1/runs", {})):
        answer = httpx.post(team.address + path, data=data, cookies=cookies)
        assert answer.status_code == 403 and "needs a maker" in answer.text
    assert httpx.post(f"{team.address}/api/v1/shoots", json={"name": "x"}, cookies=cookies).status_code == 401
    assert httpx.get(f"{team.address}/people", cookies=cookies).status_code == 403
    assert PASSWORD not in vito.content()
