"""A demo that is served for the tests of one module, and a browser on it."""

import os
import shutil
import time
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from filelock import FileLock
from playwright.sync_api import Browser, Page, expect, sync_playwright
from support import Server

# A busy machine is slow, not wrong.
PATIENCE = 240_000
expect.set_options(timeout=PATIENCE)


@pytest.fixture(scope="session")
def demo(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo's data with every photo cleared, made once for all processes that test side by side."""
    base = tmp_path_factory.getbasetemp()
    folder = (base.parent if "PYTEST_XDIST_WORKER" in os.environ else base) / "demo"
    with FileLock(folder.with_suffix(".lock")):
        if not (folder / "cleared").exists():
            server = Server(folder, "demo")
            end = time.monotonic() + 600
            while httpx.get(f"{server.address}/status", timeout=240).text != "Nothing running":
                assert time.monotonic() < end
                time.sleep(0.2)
            server.stop()
            (folder / "cleared").touch()
    return folder


@pytest.fixture(scope="module")
def demo_copy(demo: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Demo data for the tests of one module."""
    return shutil.copytree(demo, tmp_path_factory.mktemp("copy") / "data")


@pytest.fixture(scope="module")
def server(demo_copy: Path) -> Iterator[Server]:
    """The application over them, in a process of its own."""
    server = Server(demo_copy)
    yield server
    server.stop()


@pytest.fixture(scope="module")
def browser() -> Iterator[Browser]:
    """Debian's Chromium without windows, which computes half as much as the one with them; started for the tests of one
    module, for while it is driven no other loop of events may run in this process."""
    chromium = shutil.which("chromium-headless-shell")
    assert chromium, "Debian's Chromium is missing; make test installs it"
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=chromium, args=["--no-sandbox", "--disable-gpu"])
        yield browser
        browser.close()


@pytest.fixture
def page(server: Server, browser: Browser) -> Iterator[Page]:
    """A page on the server that knows nothing of any other; faults in its console fail the test."""
    context = browser.new_context(viewport={"width": 1280, "height": 800}, base_url=server.address)
    page = context.new_page()
    page.set_default_timeout(PATIENCE)
    faults: list[str] = []
    page.on("response", lambda r: faults.append(r.url) if r.status == 404 else None)
    page.on("pageerror", lambda error: faults.append(str(error)))
    page.on("console", lambda message: faults.append(message.text) if message.type == "error" else None)
    yield page
    context.close()
    assert not faults
