"""A link to approve by its addresses: what it shows, what it refuses, and what becomes of an answer."""

import re
from datetime import timedelta
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from support import until

from zero_easel.doors.approving import approved_pictures
from zero_easel.library.store.approvals import ApprovalAnswer, ApprovalLink
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Run, now
from zero_easel.runs.service import pictures_of


@pytest.fixture
def client(cleared: TestClient) -> TestClient:
    """An application with a run over its shoot that is through."""
    cleared.post("/shoots/1/runs")
    until(lambda: cleared.get("/runs/1/told").status_code == 200)
    return cleared


def link(client: TestClient, **more: str) -> str:
    page = client.post("/shoots/1/approval", data={"name": "The owner", **more})
    assert page.status_code == 200, page.text
    return page.text.split('once-text">')[1].split("<")[0].split("8470")[1]


def say(client: TestClient, path: str, picture: int, **said: str) -> int:
    data = {"picture": str(picture), **said}
    return client.post(f"{path}/answer", data=data, follow_redirects=False).status_code


def library(tmp_path: Path) -> Database:
    return Database(tmp_path / "data/zero-easel.sqlite")


def test_it_shows_the_pictures_one_by_one_and_nothing_else(client: TestClient) -> None:
    path = link(client)
    page = client.get(path).text
    assert "1 of 2" in page and 'aria-label="Main"' not in page and "/shoots/1/" not in page
    assert client.get(f"{path}/picture/1").headers["content-type"] == "image/jpeg"
    assert client.get(f"{path}/picture/99").status_code == 404
    assert client.get(f"{path}/original/1").status_code == 403
    assert client.get(f"{link(client, originals='true')}/original/1").status_code == 200
    assert client.get("/approve/made-up").status_code == 404
    assert "Say for whom" in client.post("/shoots/1/approval", data={"name": " "}).text
    assert "1 to 365" in client.post("/shoots/1/approval", data={"name": "x", "days": "0"}).text


def test_answers_are_kept_counted_and_overruled(client: TestClient, tmp_path: Path) -> None:
    path = link(client)
    assert say(client, path, 1, yes="true") == 303
    assert "2 of 2, 1 yes" in client.get(path).text
    assert say(client, path, 2, flaw="light", words=" too  dark ", x="0.25", y="1") == 303
    assert "All 2 pictures have an answer: 1 yes, 1 no" in client.get(path).text
    told = client.get("/shoots/1/approval").text
    assert "too dark" in told and "its light or colour" in told and "25 % across, 100 % down" in told
    assert "1 sent back" in client.get("/shoots/1/line/light").text
    assert say(client, path, 99, yes="true") == 409
    for wrong in ({"x": "1.5", "y": "0"}, {"x": "nan", "y": "0"}, {"flaw": "moon"}):
        assert say(client, path, 2, **wrong) == 422
    assert say(client, link(client), 2, yes="true") == 303  # said later, by another link: it counts
    assert "sent back" not in client.get("/shoots/1/line/light").text
    database = library(tmp_path)
    with database.session() as session:
        assert sorted((row.yes, row.words, row.x) for row in session.query(ApprovalAnswer)) == [
            (False, "too dark", 0.25), (True, "", None), (True, "", None)
        ]  # fmt: skip
    database.close()


def test_what_is_corrected_waits_again_and_what_is_not_keeps_its_answer(client: TestClient) -> None:
    path = link(client)
    photos = [one["id"] for one in client.get("/shoots/1/row").json()["items"]]
    assert say(client, path, 1, yes="true") == say(client, path, 2, flaw="place") == 303
    client.post("/shoots/1/place/adjust", json={"photos": [photos[1]], "right": 5})
    client.post("/shoots/1/runs")
    until(lambda: client.get("/runs/2/told").status_code == 200)
    assert "2 of 2, 1 yes" in client.get(path).text
    assert "sent back" not in client.get("/shoots/1/line/place").text


def test_a_yes_is_to_all_pictures_of_a_photo_and_a_correction_asks_for_that_one_again(
    cleared: TestClient, tmp_path: Path
) -> None:
    cleared.post("/standards/1/parts/deliverables", data={"kind": "web"})
    cleared.post("/shoots/1/runs")
    until(lambda: cleared.get("/runs/1/told").status_code == 200)
    path = link(cleared)
    page = cleared.get(path).text
    assert "1 of 2" in page and "Yes is a yes to all 2" in page
    numbers = re.findall(r"picture/(\d+)", page[page.index("approve-others") :])
    assert len(numbers) == 2
    shown = cleared.get(f"{path}?at=1&of={numbers[1]}").text
    assert f'name="picture" value="{numbers[1]}"' in shown and cleared.get(f"{path}?at=1&of=99").status_code == 200
    assert say(cleared, path, int(numbers[0]), yes="true") == 303
    assert "2 of 2, 1 yes" in cleared.get(path).text
    # One deliverable alone becomes another file.
    cleared.post("/standards/1/rule", data={"field": "deliverables.another.format", "value": "webp"})
    cleared.post("/shoots/1/runs")
    until(lambda: cleared.get("/runs/2/told").status_code == 200)
    page = cleared.get(path).text
    assert "1 of 2" in page and " yes" not in page.split('role="status">')[1].split("<")[0]
    database = library(tmp_path)
    with database.session() as session:
        approved = approved_pictures(session, session.get_one(Run, 2))
        assert [row.deliverable for row in pictures_of(session, 2) if row.id in approved] == ["shop"]
    database.close()


def test_a_link_ends(client: TestClient, tmp_path: Path) -> None:
    first, second = link(client), link(client)
    client.post("/shoots/1/approval/1/revoke")
    assert client.get(first).status_code == 404 and say(client, first, 1, yes="true") == 404
    assert client.get(f"{first}/picture/1").status_code == 404
    database = library(tmp_path)
    with database.session() as session:
        session.query(ApprovalLink).update({"expires": now() - timedelta(seconds=1)})
    database.close()
    assert client.get(second).status_code == 404
    assert client.post("/shoots/1/approval/99/revoke").status_code == 404


def test_a_password_is_asked_for_first(client: TestClient) -> None:
    path = link(client, password="lemons")
    assert "/picture/" not in client.get(path).text and client.get(f"{path}/picture/1").status_code == 401
    assert say(client, path, 1, yes="true") == 401
    assert client.post(f"{path}/open", data={"password": "x"}).status_code == 422
    opened = client.post(f"{path}/open", data={"password": "lemons"}, follow_redirects=False)
    assert "HttpOnly" in opened.headers["set-cookie"] and f"Path={path}" in opened.headers["set-cookie"]
    assert client.get(f"{path}/picture/1").status_code == 200
    tries = [client.post(f"{path}/open", data={"password": f"guess {at}"}).status_code for at in range(8)]
    assert tries[-1] == 429


def test_a_note_stands_with_its_photo(client: TestClient) -> None:
    client.post("/notes/1", data={"words": " Nice \n handle "})
    assert "says: Nice handle" in client.get("/told/photo/1").text
    assert client.post("/notes/99", data={"words": "x"}).status_code == 404
