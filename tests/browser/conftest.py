"""A demo that is served for the tests of one module, and a browser on it."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from playwright.sync_api import Page, sync_playwright
from support import Server


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's data, as they are when its application has just started."""
    folder = tmp_path_factory.mktemp("demo")
    Server(folder, "demo").stop()
    return folder


@pytest.fixture(scope="module")
def server(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """The application over demo data of its own, in a process of its own."""
    server = Server(shutil.copytree(demo, tmp_path_factory.mktemp("copy") / "data"))
    yield server
    server.stop()


@pytest.fixture
def page(server: Server) -> Iterator[Page]:
    """A page of Debian's Chromium on the server; faults in its console fail the test."""
    chromium = shutil.which("chromium")
    assert chromium, "Debian's Chromium is missing; make test installs it"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=server.address)
        faults: list[str] = []
        page.on("response", lambda r: faults.append(r.url) if r.status == 404 else None)
        page.on("pageerror", lambda error: faults.append(str(error)))
        page.on("console", lambda message: faults.append(message.text) if message.type == "error" else None)
        yield page
        browser.close()
        assert not faults
