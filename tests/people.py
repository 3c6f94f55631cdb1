"""Accounts for tests: made in the library's own tables, signed in by the page."""

from pathlib import Path

import httpx
from playwright.sync_api import Browser, Page
from support import Server

from zero_easel.library.people.accounts import add_person, set_password
from zero_easel.library.store.database import Database
from zero_easel.library.store.people import Role

PASSWORD = "three walking lemons"


def add_people(folder: Path, **roles: Role) -> None:
    """Accounts by name, all with one password."""
    database = Database(folder / "zero-easel.sqlite")
    with database.session() as session:
        for name, role in roles.items():
            set_password(session, add_person(session, name, role), PASSWORD)
    database.close()


def signed_in(server: Server, name: str, password: str = PASSWORD) -> httpx.Client:
    """A client in which somebody is signed in."""
    client = httpx.Client(base_url=server.address, timeout=240)
    answer = client.post("/sign-in", data={"name": name, "password": password})
    assert answer.status_code == 303, answer.text
    return client


def page_of(browser: Browser, server: Server, name: str, width: int = 1280, height: int = 800) -> Page:
    """A page of a browser of their own in which somebody is signed in."""
    page = browser.new_context(viewport={"width": width, "height": height}, base_url=server.address).new_page()
    page.set_default_timeout(240_000)
    page.goto("/sign-in")
    page.get_by_label("Name").fill(name)
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("/")
    return page
