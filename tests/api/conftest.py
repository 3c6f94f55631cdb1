"""An application over a small library, asked by its API with a token that allows everything."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from programs import Program, application
from support import CATALOG, halved, new_library, until


@pytest.fixture(scope="session")
def small_library(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data folder with a catalog, a shoot of a mug and a jug, cleared, and a run that is through."""
    folder = tmp_path_factory.mktemp("small")
    new_library(folder / "zero-easel.sqlite").close()
    with application(folder) as client:
        program = Program(client, folder)
        program.post("/shoots", {"name": "Row"})
        files = [("products.csv", CATALOG.read_bytes())]
        files += [("BY-2104-BL front.JPG", halved("BRYD0105.JPG")), ("BY-2102 front.JPG", halved("BRYD0111.JPG"))]
        assert [one["taken"] for one in program.files(1, files)] == [True] * 3
        until(lambda: not any(program.get("/shoots/1")["counts"][key] for key in ("to_read", "to_clear")))
        program.post("/shoots/1/runs")
        until(lambda: program.get("/runs/1")["state"] == "done")
    return folder


@pytest.fixture
def folder(small_library: Path, tmp_path: Path) -> Path:
    """A copy of that folder."""
    return shutil.copytree(small_library, tmp_path / "data")


@pytest.fixture
def client(folder: Path) -> Iterator[TestClient]:
    """The application over it."""
    with application(folder) as client:
        yield client


@pytest.fixture
def program(client: TestClient, folder: Path) -> Program:
    """A program that may do everything."""
    return Program(client, folder)
