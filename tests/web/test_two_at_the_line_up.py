"""Two place the same items at once: nobody's place is written over unseen."""

import json
import re

from fastapi.testclient import TestClient
from httpx import Response


def moment(client: TestClient) -> int:
    found = re.search(r'data-moment="(\d+)"', client.get("/shoots/1/place").text)
    assert found
    return int(found[1])


def place(client: TestClient, page: str, since: int, **hand: float) -> Response:
    data = {"photos": [1], "page_id": page, "since": since, **hand}
    return client.post("/shoots/1/place/adjust", json=data)


def test_whoever_has_not_seen_it_is_told_first(cleared: TestClient) -> None:
    known = moment(cleared)
    first = place(cleared, "one", known, right=3)
    assert first.json()["fault"] is False
    # The same page goes on; another one that loaded before is told, and nothing is changed.
    assert place(cleared, "one", int(first.headers["X-Moment"]), right=4).json()["fault"] is False
    second = place(cleared, "other", known, right=-5)
    told = second.json()
    assert told["fault"] and told["overtaken"] and "Meanwhile somebody placed this" in told["message"]
    assert {one["adjustment"]["right"] for one in told["row"]["items"]} == {0, 4}
    # Knowing of it, it may be done all the same.
    assert "overtaken" not in place(cleared, "other", int(second.headers["X-Moment"]), right=-5).json()
    dropped = cleared.post("/shoots/1/place/drop", json={"photos": [1], "page_id": "one", "since": known})
    assert dropped.json()["overtaken"]
    assert place(cleared, "third", moment(cleared), right=1).json()["fault"] is False
    # Who says nothing of what was seen is not held up: a program of one's own.
    assert cleared.post("/shoots/1/place/adjust", json={"photos": [2], "down": 1}).json()["fault"] is False
    assert json.loads(cleared.get("/shoots/1/row").text)["items"]
