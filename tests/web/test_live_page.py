"""Live: a folder is watched by the page, and what it shows."""

import shutil
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from support import CATALOG, PHOTOS, halved, until


def watch(client: TestClient, path: Path | str, **more: str) -> str:
    return client.post("/shoots/1/live/folder", data={"path": str(path), **more}).text


def test_the_usual_folder_is_within_the_applications_own(cleared: TestClient, tmp_path: Path) -> None:
    usual = tmp_path / "data" / "in" / "Row"
    assert str(usual) in cleared.get("/shoots/1/live").text
    assert f'Watching <span class="mono">{usual}</span>' in watch(cleared, usual, moves="true")
    (usual / "BY-2103.JPG").write_bytes(halved("BRYD0117.JPG"))
    (usual / "bad.jpg").write_bytes(b"nothing")
    until(lambda: "The newest of 4 photos" in cleared.get("/shoots/1/live/part").text)
    until(lambda: (usual / "refused/bad.jpg").exists() and (usual / "done/BY-2103.JPG").exists())
    page = cleared.get("/shoots/1/live").text
    assert "1 file refused" in page and "bad.jpg" in page and "12 still missing" in page
    assert "Where photos come from" in cleared.post("/shoots/1/live/rest").text


@pytest.mark.parametrize("path", ["/etc", "in", "/nowhere/at/all", "/"])
def test_other_folders_are_not_watched(path: str, cleared: TestClient) -> None:
    answer = cleared.post("/shoots/1/live/folder", data={"path": path})
    assert answer.status_code == 409 and "alert" in answer.text
    assert "Watch this folder" in cleared.get("/shoots/1/live").text


def test_what_is_doubtful_is_said_of_the_photo_that_is_held(cleared: TestClient) -> None:
    cleared.post("/photos/1/live/leave-out")
    held = cleared.get("/shoots/1/live?photo=1").text
    assert "back to the newest" in held and "Left out." in held and "Include again" in held
    assert "is of no burst" in cleared.post("/photos/2/live/choose").text
    # One that is of another shoot, or none, is not held: the newest is shown.
    assert "The newest of 2 photos" in cleared.get("/shoots/1/live?photo=999").text


def test_without_photos_it_says_what_to_do(client: TestClient) -> None:
    client.post("/shoots", data={"name": "Empty"})
    client.post(str(client.post("/products", files={"file": ("products.csv", CATALOG.read_bytes())}).url))
    page = client.get("/shoots/1/live").text
    assert "Nothing has come in yet" in page and "15 products to shoot" in page
    assert client.get("/shoots/9/live").status_code == 404


def test_the_stand_in_shoots_only_into_a_folder_that_is_watched(cleared: TestClient, tmp_path: Path) -> None:
    folder = tmp_path / "data/in/Row"
    cleared.post("/shoots/1/live/shutter")
    assert not folder.exists()
    watch(cleared, folder)
    cleared.post("/shoots/1/live/shutter")
    until(lambda: len(list(folder.glob("*.JPG"))) == 1)
    cleared.post("/shoots/1/live/shutter", data={"every": "2"})
    until(lambda: len(list(folder.glob("*.JPG"))) >= 2)
    assert "Let go" in cleared.get("/shoots/1/live").text
    assert "Let go" not in cleared.post("/shoots/1/live/shutter", data={"every": "0"}).text


def test_all_that_came_in_is_finished_by_itself(cleared: TestClient, tmp_path: Path) -> None:
    folder = tmp_path / "data/in/Row"
    watch(cleared, folder, finishes="true")
    shutil.copy(PHOTOS / "BRYD0108.JPG", folder / "BY-2101_front.JPG")
    until(lambda: "3 done" in cleared.get("/shoots/1/deliver").text)
    # Nothing new: no other run.
    assert cleared.get("/runs/2").status_code == 404
