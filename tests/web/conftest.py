"""An application over a data folder of its own, without a browser."""

import shutil
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from support import CATALOG, halved, new_library

from zero_easel.settings import Settings
from zero_easel.web.app import create_app
from zero_easel.workbench import Workbench, build_workbench


@pytest.fixture
def bench(tmp_path: Path) -> Workbench:
    new_library(tmp_path / "zero-easel.sqlite").close()
    return build_workbench(Settings(data=tmp_path, jobs=1, upload_mb=20))


@pytest.fixture
def client(bench: Workbench) -> Iterator[TestClient]:
    with TestClient(create_app(bench), base_url="http://127.0.0.1:8470") as client:
        yield client


@pytest.fixture(scope="session")
def prepared(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data folder with one shoot of a mug and a jug, cleared."""
    folder = tmp_path_factory.mktemp("row")
    with served(folder) as client:
        client.post("/shoots", data={"name": "Row"})
        client.post(str(client.post("/products", files={"file": ("products.csv", CATALOG.read_bytes())}).url))
        files = [("files", (name, halved(source))) for name, source in
                 (("BY-2104-BL front.JPG", "BRYD0105.JPG"), ("BY-2102 front.JPG", "BRYD0111.JPG"))]  # fmt: skip
        client.post("/shoots/1/files", files=files)
        end = time.monotonic() + 240
        while "Clearing" in client.get("/status").text or len(client.get("/shoots/1/row").json()["items"]) < 2:
            assert time.monotonic() < end
            time.sleep(0.1)
    return folder


def served(folder: Path) -> TestClient:
    """An application over a data folder; it runs while it is entered."""
    bench = build_workbench(Settings(data=folder, jobs=1, upload_mb=20))
    return TestClient(create_app(bench), base_url="http://127.0.0.1:8470")


@pytest.fixture
def cleared(prepared: Path, tmp_path: Path) -> Iterator[TestClient]:
    """An application over a copy of that folder."""
    with served(shutil.copytree(prepared, tmp_path / "data")) as client:
        yield client
