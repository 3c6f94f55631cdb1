"""A photo straightened on its page: tried, kept, undone, and what is made of it."""

import json
import time
from pathlib import Path

import numpy as np
import pytest
from fastapi.testclient import TestClient
from sheets import corners_seen, jpeg, photographed

from zero_easel.core.light.rectify import in_order
from zero_easel.core.photos.decoding import decode_photo

ASPECT = 0.75
CORNERS = in_order(corners_seen(ASPECT, (0.35, -0.3, 0.08)))
CAMERA = ("Canon", "Canon EOS 5D Mark III", "EF24-105mm f/4L IS USM", 24.0)


def row(client: TestClient) -> list[dict[str, object]]:
    return list(client.get("/shoots/1/row").json()["items"])


def settled(client: TestClient) -> list[dict[str, object]]:
    """The row once nothing is being cleared."""
    end = time.monotonic() + 240
    while "Clearing" in client.get("/status").text or not row(client):
        assert time.monotonic() < end
        time.sleep(0.05)
    return row(client)


@pytest.fixture
def book(client: TestClient) -> TestClient:
    """An application with a shoot of a book that was photographed at an angle, cleared."""
    client.post("/shoots", data={"name": "Books"})
    file = ("book.jpg", jpeg(photographed(ASPECT, CORNERS), CAMERA))
    client.post("/shoots/1/files", files=[("files", file)])
    settled(client)
    return client


def sides(item: dict[str, object]) -> float:
    left, top, right, bottom = item["box"]  # type: ignore[misc]
    return float((right - left) / (bottom - top))


def test_found_tried_kept_and_undone(book: TestClient) -> None:
    before = row(book)[0]
    corners = book.get("/photos/1/rectangle").json()["corners"]
    assert np.abs(np.array(corners) - CORNERS).max() < 2
    assert "24-105" in book.get("/photos/1/straighten").text
    tried = book.get("/photos/1/straight.jpg", params={"as": json.dumps([[0, 0, 0], corners, 0]), "longest": 640})
    pixels = decode_photo(tried.content, "tried.jpg").pixels
    assert pixels.shape[:2] == (427, 640)
    dark = pixels.min(2) < 200
    across, down = np.flatnonzero(dark.any(0)), np.flatnonzero(dark.any(1))
    assert np.ptp(across) / np.ptp(down) == pytest.approx(ASPECT, rel=0.05)

    asked = {"radial": [0, -0.02, 0], "corners": corners, "aspect": 0}
    assert book.post("/photos/1/straighten", json=asked).status_code == 204
    after = settled(book)[0]
    assert after["src"] != before["src"] and sides(after) == pytest.approx(ASPECT, rel=0.04)
    assert "brought upright" in book.get("/shoots/1/light/closer/1").text
    # Marks and the touch-up page know the photo as it was taken.
    assert book.get("/photos/1").status_code == 200

    # What was cut out before is taken again at once.
    book.post("/shoots/1/light/step/undo")
    assert "Clearing" not in book.get("/status").text and row(book)[0] == before
    book.post("/shoots/1/light/step/redo")
    assert row(book)[0]["src"] == after["src"]


def test_place_back_to_the_rule_leaves_the_geometry(book: TestClient) -> None:
    book.post("/photos/1/straighten", json={"radial": [0, 0, 0], "corners": CORNERS.tolist(), "aspect": 0.75})
    upright = settled(book)[0]
    assert book.post("/shoots/1/place/adjust", json={"photos": [1], "scale": 0.5}).status_code == 200
    assert row(book)[0]["moved"]
    assert book.post("/shoots/1/place/drop", json={"photos": [1]}).status_code == 200
    assert not row(book)[0]["moved"]
    assert row(book)[0]["src"] == upright["src"] and sides(row(book)[0]) == pytest.approx(0.75, rel=0.01)


def test_a_run_makes_it_so(book: TestClient, tmp_path: Path) -> None:
    book.post("/photos/1/straighten", json={"radial": [0, 0, 0], "corners": CORNERS.tolist(), "aspect": 0.6})
    settled(book)
    book.post("/shoots/1/runs")
    end = time.monotonic() + 240
    while not (made := list(tmp_path.glob("runs/1/**/*.jpg"))):
        assert time.monotonic() < end
        time.sleep(0.05)
    dark = decode_photo(made[0].read_bytes(), "made.jpg").pixels.min(2) < 200
    across, down = np.flatnonzero(dark.any(0)), np.flatnonzero(dark.any(1))
    assert np.ptp(across) / np.ptp(down) == pytest.approx(0.6, rel=0.02)


def test_what_is_not_possible_is_said_and_changes_nothing(book: TestClient) -> None:
    before = row(book)
    crossed = [CORNERS[at].tolist() for at in (0, 2, 1, 3)]
    asked = {"radial": [0, 0, 0], "corners": crossed}
    answer = book.post("/photos/1/straighten", json=asked, headers={"HX-Request": "true"})
    assert answer.status_code == 422 and answer.text.startswith("The four corners enclose no rectangle")
    answer = book.get("/photos/1/straight.jpg", params={"as": json.dumps([[0, -0.5, 0], [], 0])})
    assert answer.status_code == 422 and "not believed" in answer.text
    for wrong in ("", "[]", "[[NaN,0,0],[],0]", "[[0,Infinity,0],[],0]", "[[0,0],[],0]", '[["a",0,0],[],0]', "{}"):
        assert book.get("/photos/1/straight.jpg", params={"as": wrong}).status_code == 422, wrong
    assert book.post("/photos/1/straighten", json={"radial": [0, 0, 0], "corners": [[1, 2]] * 5}).status_code == 422
    assert row(book) == before


def test_by_each_lens(book: TestClient) -> None:
    told = book.post("/shoots/1/light/lenses").text
    assert "1 photo straightened" in told
    settled(book)
    assert "that the lens bent" in book.get("/shoots/1/light/closer/1").text
    plain = ("plain.jpg", jpeg(photographed(1.4, in_order(corners_seen(1.4, (0.0, 0.2, 0.0))))))
    book.post("/shoots/1/files", files=[("files", plain)])
    settled(book)
    assert "1 photo straightened; 1 photo without a lens" in book.post("/shoots/1/light/lenses").text
