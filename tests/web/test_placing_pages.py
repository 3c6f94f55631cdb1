"""The line-up's page and its answers, over a real application."""

import html
import json
import re
import time

import pytest
from fastapi.testclient import TestClient


@pytest.fixture
def client(cleared: TestClient) -> TestClient:
    """An application with a shoot of a mug and a jug, cleared."""
    return cleared


def test_the_row_shows_what_is_done_to_its_light(client: TestClient) -> None:
    shown = json.loads(html.unescape(re.search(r'data-row="([^"]*)"', client.get("/shoots/1/place").text)[1]))  # type: ignore[index]
    assert all(item["tone"] is None for item in shown["items"])
    answer = client.post("/shoots/1/place/rule", data={"field": "item.white", "value": "backdrop"}).json()
    tones = [item["tone"] for item in answer["row"]["items"]]
    assert all(len(tone) == 9 and abs(sum(tone) - 3) < 0.3 for tone in tones) and tones[0] != tones[1]
    standard = re.search(r'href="/standards/(\d+)', client.get("/standards").text)[1]  # type: ignore[index]
    page = client.get(f"/standards/{standard}?shoot=1").text
    assert "feColorMatrix" in page and f"{tones[0][0]} {tones[0][1]}" in page
    client.post("/shoots/1/place/step/undo")


def test_the_row_follows_rules_and_hands(client: TestClient) -> None:
    page = client.get("/shoots/1/place").text
    shown = json.loads(html.unescape(re.search(r'data-row="([^"]*)"', page)[1]))  # type: ignore[index]
    assert [item["code"] for item in shown["items"]] == ["BY-2104-BL", "BY-2102"]
    assert shown["items"][0]["measures"]["bounds"] and shown["scale"] is None

    answer = client.post("/shoots/1/place/rule", data={"field": "item.scale", "value": "true-size"}).json()
    assert answer["message"] == "Kept." and answer["values"]["item.scale"] == "true-size"
    mug, jug = answer["row"]["items"]
    assert jug["box"][3] - jug["box"][1] > 2 * (mug["box"][3] - mug["box"][1])
    assert answer["row"]["scale"] > 2

    moved = client.post("/shoots/1/place/adjust", json={"photos": [mug["id"]], "right": 5, "down": -2}).json()
    first = moved["row"]["items"][0]
    assert first["moved"] and abs(first["matrix"][4] - mug["matrix"][4] - 60) < 0.01
    assert any("24 px above the line" in note["text"] for note in first["notes"])
    assert first["rule"] == mug["matrix"] and "BY-2104-BL" in moved["undo"]
    back = client.post("/shoots/1/place/step/undo").json()
    assert not back["row"]["items"][0]["moved"] and back["message"].startswith("Undone")
    assert client.post("/shoots/1/place/step/redo").json()["row"]["items"][0]["moved"]
    assert not client.post("/shoots/1/place/drop", json={"photos": [mug["id"]]}).json()["row"]["items"][0]["moved"]
    kept = client.post("/shoots/1/place/adjust", json={"photos": [mug["id"]], "backdrop": "kept"}).json()["row"][
        "items"
    ][0]
    assert kept["uncut"] == "contain" and "/media/large/" in kept["src"]


def test_a_scope_shows_and_rules_its_own_items(client: TestClient) -> None:
    garden = client.get("/shoots/1/row", params={"category": "garden"}).json()
    assert garden["items"] == []
    told = client.post(
        "/shoots/1/place/rule", data={"field": "item.share", "value": "50", "category": "kitchen"}
    ).json()
    assert told["own"] == ["item.share"] and {item["share"] for item in told["row"]["items"]} == {50.0}
    assert "Underlined in ink: a rule of kitchen alone" in client.get("/shoots/1/place?category=kitchen").text
    text = client.get("/standards/1/file").text
    assert '- {category: kitchen, view: "", item: {share: 50}}' in text
    dropped = client.post("/shoots/1/place/rule", data={"field": "item.share", "category": "kitchen", "drop": "true"})
    assert dropped.json()["own"] == [] and {i["share"] for i in dropped.json()["row"]["items"]} == {84.0}


def test_what_cannot_be_is_said_and_changes_nothing(client: TestClient) -> None:
    refused = client.post("/shoots/1/place/rule", data={"field": "item.margin", "value": "wide"}).json()
    assert refused["fault"] and "lengths" in refused["message"] and refused["refused"] == "item.margin"
    assert client.post("/shoots/1/place/adjust", json={"photos": [99], "scale": 2}).json()["fault"]
    for bad in ({"photos": [1], "scale": 0}, {"photos": []}, {"photos": [1], "backdrop": "torn"}):
        assert client.post("/shoots/1/place/adjust", json=bad).status_code == 422
    assert client.post("/shoots/1/place/step/sideways").status_code == 404
    assert client.post("/shoots/1/place/1/rule").json()["fault"]


def test_what_will_be_cut_off_or_enlarged_is_named_before_the_run(client: TestClient) -> None:
    assert "cut off" not in client.get("/shoots/1/deliver").text
    photo = client.get("/shoots/1/row").json()["items"][1]["id"]
    client.post("/shoots/1/place/adjust", json={"photos": [photo], "right": 60, "scale": 3})
    page = client.get("/shoots/1/deliver").text
    assert "One item would be cut off" in page and "BY-2102 front.JPG" in page and "larger than" in page


def test_a_run_by_row_waits_for_all_and_keeps_what_was_placed(client: TestClient) -> None:
    client.post("/shoots/1/place/rule", data={"field": "item.scale", "value": "as-shot"})
    first, _ = client.get("/shoots/1/row").json()["items"]
    client.post("/shoots/1/place/adjust", json={"photos": [first["id"]], "scale": 1.1})
    client.post("/shoots/1/runs")
    # What is placed after its start is for the next run.
    client.post("/shoots/1/place/drop", json={"photos": [first["id"]]})
    end = time.monotonic() + 240
    while "2 done" not in client.get("/runs/1").text:
        assert time.monotonic() < end
        time.sleep(0.1)
    rows = client.get("/runs/1/list.csv").text.splitlines()
    assert len(rows) == 3 and all(",done," in row for row in rows[1:])
