"""Finished pictures are copied into folders of the machine that the owner has allowed, and nowhere else."""

import io
import os
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from PIL import Image
from support import new_library
from test_whole_page import begun, picture
from test_whole_pictures import wait_until_run

from zero_easel.settings import Settings
from zero_easel.web.app import create_app
from zero_easel.workbench import build_workbench


@pytest.fixture
def shelf(tmp_path: Path) -> Path:
    (tmp_path / "shelf").mkdir()
    return tmp_path / "shelf"


@pytest.fixture
def client(tmp_path: Path, shelf: Path) -> Iterator[TestClient]:
    """An application that may write to the shelf, with a run that is done."""
    new_library(tmp_path / "zero-easel.sqlite").close()
    bench = build_workbench(Settings(data=tmp_path, jobs=1, out=os.pathsep.join([str(shelf), "/nowhere"])))
    with TestClient(create_app(bench), base_url="http://127.0.0.1:8470") as client:
        begun(client, picture("a.jpg", (64, 48)), dated("b.jpg", (48, 64)))
        client.post("/shoots/1/whole/run")
        wait_until_run(client)
        yield client


def dated(name: str, size: tuple[int, int]) -> tuple[str, bytes]:
    """A photo that tells when it was taken."""
    file, exif = io.BytesIO(), Image.Exif()
    exif.get_ifd(0x8769)[0x9003] = "2024:05:06 07:08:09"
    Image.new("RGB", size, (90, 120, 60)).save(file, "JPEG", exif=exif)
    return name, file.getvalue()


def copied(client: TestClient, folder: str, **more: str) -> str:
    return client.post("/runs/1/copy", data={"root": "0", "folder": folder, **more}).text


def test_pictures_and_lists_go_into_a_new_folder(client: TestClient, shelf: Path) -> None:
    page = client.get("/shoots/1/whole").text
    assert f">{shelf}</option>" in page and "/nowhere" not in page
    assert "2 pictures copied" in copied(client, "spring/table")
    lists = {"manifest.csv", "manifest.json", "images.jsonld"}
    assert {path.name for path in (shelf / "spring/table").iterdir()} == {"a.jpg", "b.jpg"} | lists
    assert "is there already" in copied(client, "spring/table")


@pytest.mark.parametrize("folder", ["..", "../..", "/", "", " . ", "../elsewhere"])
def test_nothing_is_written_elsewhere(folder: str, client: TestClient, shelf: Path, tmp_path: Path) -> None:
    before = {path for path in tmp_path.rglob("*") if shelf not in path.parents and "sqlite" not in path.name}
    copied(client, folder)
    after = {path for path in tmp_path.rglob("*") if shelf not in path.parents and "sqlite" not in path.name}
    assert after - before <= {shelf}


def test_a_link_out_of_the_folder_leads_nowhere(client: TestClient, shelf: Path, tmp_path: Path) -> None:
    (tmp_path / "private").mkdir()
    (shelf / "link").symlink_to(tmp_path / "private")
    assert "leads out of" in copied(client, "link/new")
    assert not list((tmp_path / "private").iterdir())


def test_only_folders_that_are_allowed(client: TestClient) -> None:
    assert client.post("/runs/1/copy", data={"root": "1", "folder": "x"}).status_code == 404
    assert client.post("/runs/1/copy", data={"root": "-1", "folder": "x"}).status_code == 404


def test_files_may_be_dated_by_their_photos(client: TestClient, shelf: Path) -> None:
    copied(client, "dated", dates="yes")
    copied(client, "now")
    taken = datetime(2024, 5, 6, 7, 8, 9).timestamp()
    assert (shelf / "dated/b.jpg").stat().st_mtime == taken
    # A photo that tells no date, and files that are not to be dated, have that of now.
    assert (shelf / "dated/a.jpg").stat().st_mtime > taken and (shelf / "now/b.jpg").stat().st_mtime > taken
