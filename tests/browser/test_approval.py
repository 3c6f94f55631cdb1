"""A team on one server: an owner invites, a maker finishes, somebody with a telephone says yes and no, it is corrected,
approved and handed over."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from people import PASSWORD, page_of
from playwright.sync_api import Browser, Page, expect
from support import Server, until, zero_easel
from test_accessible import faults

pytestmark = pytest.mark.browser


@pytest.fixture(scope="module")
def shelf(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("shelf")


@pytest.fixture(scope="module")
def invitation(demo_copy: Path) -> str:
    """The link that makes the owner, as the terminal prints it."""
    return zero_easel("owner", "Ida", "--link", "--data", demo_copy).stdout.strip()


@pytest.fixture(scope="module")
def server(demo_copy: Path, shelf: Path, invitation: str) -> Iterator[Server]:
    assert invitation.startswith("/invitation/")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("ZERO_EASEL_OUT", str(shelf))
        server = Server(demo_copy)
    yield server
    server.stop()


def opened(browser: Browser, server: Server, path: str, width: int = 1280, height: int = 800) -> Page:
    page = browser.new_context(viewport={"width": width, "height": height}, base_url=server.address).new_page()
    page.set_default_timeout(240_000)
    page.goto(path)
    page.wait_for_load_state("load")
    return page


def take_up(browser: Browser, server: Server, path: str) -> Page:
    """Somebody who was invited sets a password."""
    page = opened(browser, server, path)
    page.get_by_label("Your password").fill(PASSWORD)
    page.get_by_role("button", name="Keep it and sign in").click()
    page.wait_for_url("/")
    return page


def run_again(page: Page) -> None:
    page.goto("/shoots/1/deliver")
    number = page.locator("#run").get_attribute("aria-label")
    page.get_by_role("button", name="Run again").click()
    page.wait_for_function(
        "(former) => { const run = document.querySelector('#run');"
        " return run && run.getAttribute('aria-label') !== former && run.dataset.state === 'done'; }",
        arg=number,
    )


def test_from_the_first_owner_to_an_approved_picture_at_the_shop(
    server: Server, browser: Browser, shelf: Path, invitation: str
) -> None:
    nobody = opened(browser, server, "/shoots/1/deliver")
    expect(nobody.get_by_role("heading", name="Sign in")).to_be_visible()
    assert not faults(nobody)
    ida = take_up(browser, server, invitation)
    ida.goto("/account")
    assert not faults(ida)
    assert "good no more" in opened(browser, server, invitation).content()
    ida.goto("/people")
    ida.get_by_label("Invite").fill("Mara")
    ida.get_by_role("button", name="Make a link").click()
    link = ida.locator(".once-text").inner_text()
    assert not faults(ida)
    # The owner says where approved pictures go, by themselves.
    ida.goto("/shoots/1/hand-over")
    ida.get_by_label("called", exact=True).fill("The shelf")
    ida.get_by_label("at", exact=True).fill(str(shelf))
    ida.locator("[name=approved]").select_option("true")
    ida.locator("[name=by_itself]").select_option("true")
    ida.get_by_role("button", name="Keep").click()
    expect(ida.get_by_role("heading", name="Nothing is on its way yet")).to_be_visible()

    mara = take_up(browser, server, link.removeprefix(server.address))
    run_again(mara)
    mara.get_by_role("link", name="Have them approved").click()
    mara.get_by_label("A link for").fill("The owner's telephone")
    mara.get_by_role("button", name="Make a link").click()
    link = mara.locator(".once-text").inner_text().removeprefix(server.address)
    assert not list(shelf.iterdir())

    phone = opened(browser, server, link, width=360, height=740)
    assert phone.evaluate("() => document.documentElement.scrollWidth") <= 360
    expect(phone.get_by_role("navigation", name="Main")).to_have_count(0)
    expect(phone.get_by_text("1 of 12")).to_be_visible()
    assert not faults(phone)
    phone.get_by_role("button", name="Yes", exact=True).click()
    expect(phone.get_by_text("2 of 12, 1 yes")).to_be_visible()
    phone.wait_for_load_state("load")
    until(lambda: bool(list(shelf.rglob("*.jpg"))))
    refused = phone.locator(".approve-name").inner_text()
    box = phone.locator(".approve-frame img").bounding_box()
    assert box
    phone.mouse.click(box["x"] + 0.25 * box["width"], box["y"] + 0.6 * box["height"])
    phone.get_by_label("its place or size").check()
    phone.get_by_label("In your words").fill("Too far to the left")
    phone.get_by_role("button", name="Send no").click()
    expect(phone.get_by_text("3 of 12, 1 yes, 1 no")).to_be_visible()
    # Whoever has the link sees nothing else.
    for path in (
        "/",
        "/shoots/1/match",
        "/media/picture/1",
        "/media/original/1.jpg",
        link.replace("approve", "people"),
    ):
        assert phone.request.get(path, max_redirects=0, headers={"Accept": "text/html"}).status in (303, 404), path
    assert phone.request.get(f"{link}/original/1").status in (403, 404)

    mara.goto("/shoots/1/deliver")
    expect(mara.get_by_role("link", name="Place").first).to_contain_text("1 sent back")
    mara.goto("/shoots/1/approval")
    expect(mara.get_by_text("Too far to the left")).to_be_visible()
    expect(mara.get_by_role("img", name="The dot: 25 % across, 60 % down")).to_be_visible()
    expect(mara.locator(".sent-back")).to_contain_text(refused.split()[0])
    picture = mara.locator(".sent-picture").get_attribute("href")
    assert not faults(mara)
    mara.get_by_role("link", name="To Place").click()
    expect(mara.locator("body")).to_have_attribute("data-line-up", "ready")
    code, view = refused.split()[:2]
    row = mara.request.get("/shoots/1/row").json()["items"]
    photo = next(one["id"] for one in row if (one["code"], one["view"]) == (code, view))
    moved = mara.request.post("/shoots/1/place/adjust", data={"photos": [photo], "right": 4.0})
    assert moved.ok
    run_again(mara)
    expect(mara.get_by_role("link", name="Place").first).not_to_contain_text("sent back")
    assert picture

    phone.goto(link)
    expect(phone.locator(".approve-name")).to_have_text(refused)
    before = len(list(shelf.rglob("*.jpg")))
    phone.keyboard.press("y")
    expect(phone.get_by_text("2 yes")).to_be_visible()
    until(lambda: len(list(shelf.rglob("*.jpg"))) > before)
    mara.goto("/shoots/1/approval")
    mara.get_by_role("button", name="Revoke the link for The owner's telephone").click()
    expect(mara.get_by_text("revoked")).to_be_visible()
    phone.goto(link)
    expect(phone.get_by_text("This link is good no more")).to_be_visible()
    ida.goto("/journal?check=true")
    expect(ida.get_by_text("Every entry is as it was written")).to_be_visible()
    expect(ida.get_by_role("cell", name="Too far to the left").first).to_be_visible()
    assert page_of(browser, server, "mara").url.endswith("/") and shutil.disk_usage(shelf).free


def test_a_link_with_a_password(server: Server, browser: Browser) -> None:
    mara = page_of(browser, server, "Mara")
    mara.goto("/shoots/1/approval")
    mara.get_by_label("A link for").fill("A customer")
    mara.get_by_label("with the password").fill("lemons")
    mara.get_by_role("button", name="Make a link").click()
    link = mara.locator(".once-text").inner_text().removeprefix(server.address)
    customer = opened(browser, server, link)
    assert customer.request.get(f"{link}/picture/1").status == 401
    customer.get_by_label("The password that came with the link").fill("wrong")
    customer.get_by_role("button", name="Look at the pictures").click()
    expect(customer.get_by_role("alert")).to_have_text("The password is not right.")
    customer.get_by_label("The password that came with the link").fill("lemons")
    customer.get_by_role("button", name="Look at the pictures").click()
    expect(customer.get_by_role("button", name="Yes", exact=True)).to_be_visible()


def test_somebody_signs_in_by_a_passkey(server: Server, browser: Browser) -> None:
    # Browsers bind passkeys to names: localhost is one, a number is none.
    address = server.address.replace("127.0.0.1", "localhost")
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=address)
    page = context.new_page()
    page.set_default_timeout(240_000)
    device = context.new_cdp_session(page)
    device.send("WebAuthn.enable")
    options = {"protocol": "ctap2", "transport": "internal", "hasResidentKey": True, "hasUserVerification": True}
    held = device.send(
        "WebAuthn.addVirtualAuthenticator",
        {"options": {**options, "isUserVerified": True, "automaticPresenceSimulation": True}},
    )["authenticatorId"]
    page.goto("/sign-in")
    page.get_by_label("Name").fill("Mara")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in", exact=True).click()
    page.wait_for_url("**/")
    page.goto("/account")
    page.get_by_label("This device is called").fill("The studio’s laptop")
    form = page.locator("[data-passkey]")
    form.get_by_label("the present password").fill("not that one at all")
    form.get_by_role("button", name="Make a passkey").click()
    expect(form.get_by_role("alert")).to_have_text("The present password is not right.")
    form.get_by_label("the present password").fill(PASSWORD)
    form.get_by_role("button", name="Make a passkey").click()
    expect(page.get_by_role("cell", name="The studio’s laptop", exact=True)).to_be_visible()
    assert not faults(page)
    form.get_by_label("the present password").fill(PASSWORD)
    form.get_by_role("button", name="Make a passkey").click()
    expect(form.get_by_role("alert")).to_have_text("This device has a passkey for you already.")
    page.get_by_role("button", name="Sign out", exact=True).click()
    page.wait_for_url("**/sign-in")
    assert not faults(page)
    page.get_by_role("button", name="Sign in with a passkey").click()
    page.wait_for_url("**/")
    expect(page.get_by_role("link", name="Mara")).to_be_visible()
    # What was signed once is good once: the device signs again, but what it was asked is used up.
    assert page.request.post("/sign-in/passkey", form={"credential": "{}"}).status == 422
    page.goto("/account")
    page.get_by_role("button", name="Remove the passkey of The studio’s laptop").click()
    expect(page.get_by_role("cell", name="The studio’s laptop", exact=True)).to_have_count(0)
    assert len(device.send("WebAuthn.getCredentials", {"authenticatorId": held})["credentials"]) == 1
    page.get_by_role("button", name="Sign out", exact=True).click()
    page.wait_for_url("**/sign-in")
    page.get_by_role("button", name="Sign in with a passkey").click()
    expect(page.get_by_role("alert").first).to_have_text("This passkey is not known here.")
    at_a_number = opened(browser, server, "/sign-in")
    expect(at_a_number.get_by_role("button", name="Sign in with a passkey")).to_have_count(0)
    context.close()
