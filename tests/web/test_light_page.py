"""The page of light: what its swatches tell, and what is neutral by hand."""

import re
import time

import cv2
import numpy as np
import pytest
from fastapi.testclient import TestClient
from targets import drawn_target

from zero_easel.core.light.colour import to_srgb8
from zero_easel.core.tone.balance import warmed
from zero_easel.web.screens.stages import light

PAGE = "/shoots/1/light"


@pytest.fixture
def client(cleared: TestClient) -> TestClient:
    """An application with a shoot of a mug and a jug, cleared."""
    return cleared


def colours(page: str) -> list[list[str]]:
    """Backdrop as shot and as it becomes, then the item's mean, of each swatch."""
    parts = re.findall(r"data-neutral=.*?</li>", page, re.DOTALL)
    return [[c for c in re.findall(r'fill="(#[0-9A-F]{6})"', part) if c != "#FFFFFF"] for part in parts]


def grey(colour: str) -> bool:
    channels = [int(colour[at : at + 2], 16) for at in (1, 3, 5)]
    return max(channels) - min(channels) <= 2


def test_swatches_follow_the_rules_and_undo(client: TestClient) -> None:
    page = client.get(PAGE).text
    assert page.count("data-neutral=") == 2 and "apart" in page and 'data-stage="4"' in page
    for before, after, item, toned in colours(page):
        assert before == after and item == toned
    answer = client.post(f"{PAGE}/rule", data={"field": "item.white", "value": "backdrop"})
    assert '"item.white": "backdrop"' in answer.headers["HX-Trigger"] and "white by the backdrop" in answer.text
    assert all(grey(after) for _, after, *_ in colours(answer.text))
    client.post(f"{PAGE}/rule", data={"field": "item.exposure", "value": "backdrop"})
    answer = client.post(f"{PAGE}/rule", data={"field": "item.backdrop_light", "value": "50"})
    assert {after for _, after, *_ in colours(answer.text)} <= {"#BCBCBC", "#BBBBBB", "#BCBBBC", "#BCBCBB", "#BBBCBC"}
    refused = client.post(f"{PAGE}/rule", data={"field": "item.brightness", "value": "9"})
    assert "Not changed" in refused.text
    for _ in range(3):
        client.post(f"{PAGE}/step/undo")
    page = client.get(PAGE).text
    assert all(before == after for before, after, *_ in colours(page))
    assert client.post(f"{PAGE}/step/sideways").status_code == 404


def test_what_is_neutral_is_said_by_a_click_for_one_photo_or_all_and_taken_back(client: TestClient) -> None:
    client.post(f"{PAGE}/rule", data={"field": "item.white", "value": "backdrop"})
    measured = colours(client.get(PAGE).text)
    # On the blue mug itself: no lamp makes paper so blue, but what the person says holds.
    middle = re.search(r"\[1, &#34;[^\]]*?, (\d+), (\d+), false\]", client.get(f"{PAGE}/closer/1").text)
    assert middle is not None
    asked = {"photo": 1, "x": int(middle[1]) * 0.5, "y": int(middle[2]) * 0.6}
    assert client.post(f"{PAGE}/neutral", json=asked).status_code == 204
    page = client.get(PAGE).text
    assert page.count("neutral by hand") == 1 and "coloured" not in page
    said = next(part for part in re.findall(r"data-neutral=.*?</li>", page, re.DOTALL) if "by hand" in part)
    before, after = re.findall(r'fill="(#[0-9A-F]{6})"', said)[:2]
    assert not grey(before) and grey(after)
    assert client.post(f"{PAGE}/neutral", json=asked | {"together": True}).status_code == 204
    assert client.get(PAGE).text.count("neutral by hand") == 2
    client.post(f"{PAGE}/step/undo")
    assert client.get(PAGE).text.count("neutral by hand") == 1
    assert client.post(f"{PAGE}/neutral", json={"photo": 1}).status_code == 204
    page = client.get(PAGE).text
    assert "neutral by hand" not in page and sorted(colours(page)) == sorted(measured)
    for wrong, status in (({"photo": 99}, 404), ({"x": -4}, 422), ({"x": 90_000, "y": 5}, 422), ({"x": "left"}, 422)):
        assert client.post(f"{PAGE}/neutral", json=asked | wrong).status_code == status


def test_a_photo_seen_closer_tells_what_is_done_and_what_is_lost(client: TestClient) -> None:
    plain = client.get(f"{PAGE}/closer/1").text
    assert "left as it was shot" in plain and "spread-after" in plain and "clipped" in plain
    done = client.post(f"{PAGE}/house").text
    assert "as the house does it" in done and "As the house" not in done
    seen = client.get(f"{PAGE}/closer/1").text
    assert "sharpened by 40 %" in seen and 'filter="url(#tone-closer)"' in seen
    place = client.get(f"{PAGE}/place/1", params={"x": 0.05, "y": 0.05}).json()
    assert place["before"] != place["after"]
    _, a, b = place["after"]["lab"]
    assert abs(a) < 3 and abs(b) < 3
    drawn = client.get(f"{PAGE}/lost/1.png")
    assert drawn.headers["content-type"] == "image/png" and drawn.content[:4] == b"\x89PNG"
    for wrong in ("closer/99", "lost/99.png", "place/99?x=0.5&y=0.5"):
        assert client.get(f"{PAGE}/{wrong}").status_code == 404
    assert client.get(f"{PAGE}/place/1", params={"x": 7, "y": 0.5}).status_code == 422
    client.post(f"{PAGE}/step/undo")
    assert "left as it was shot" in client.get(f"{PAGE}/closer/1").text


def test_a_colour_target_is_used_for_the_shoot_and_let_go(client: TestClient) -> None:
    assert client.post(f"{PAGE}/target/1", data={"use": "true"}).status_code == 404
    sheet = np.full((900, 1200, 3), 0.6, np.float32)
    target = drawn_target(100, np.random.default_rng(2))
    sheet[150 : 150 + target.shape[0], 200 : 200 + target.shape[1]] = target
    data = cv2.imencode(".jpg", to_srgb8((sheet @ (warmed(60) * 0.8).T).astype(np.float32))[..., ::-1])[1].tobytes()
    client.post("/shoots/1/files", files={"files": ("Z9999.jpg", data, "image/jpeg")})
    end = time.monotonic() + 240
    while "shows a colour target" not in (page := client.get(PAGE).text):
        assert time.monotonic() < end
        time.sleep(0.1)
    used = re.search(r"light/target/(\d+)", page)
    assert used is not None and page.count("data-neutral=") == 2
    before = colours(page)
    followed = client.post(f"{PAGE}/target/{used[1]}", data={"use": "true"}).text
    assert "All photos follow it." in followed and colours(followed) != before
    assert "Let go of it" in followed
    client.post(f"{PAGE}/step/undo")
    assert colours(client.get(PAGE).text) == before
    client.post(f"{PAGE}/step/redo")
    let_go = client.post(f"{PAGE}/target/{used[1]}", data={"use": "false"}).text
    assert "Bring all photos to it" in let_go and colours(let_go) == before


def test_many_items_are_drawn_when_asked_for(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(light, "_FIRST", 1)
    page = client.get(PAGE).text
    assert page.count("data-neutral=") == 1 and "1 more item" in page
    assert client.get(f"{PAGE}?all=1").text.count("data-neutral=") == 2
    change = {"field": "item.white", "value": "backdrop"}
    headers = {"HX-Current-URL": f"http://127.0.0.1:8470{PAGE}?all=1"}
    assert client.post(f"{PAGE}/rule", data=change, headers=headers).text.count("data-neutral=") == 2
    assert client.post(f"{PAGE}/rule", data=change).text.count("data-neutral=") == 1


def test_a_grey_card_is_offered_and_used(client: TestClient) -> None:
    sheet = np.full((900, 1200, 3), 0.7, np.float32)
    sheet[250:650, 350:900] = 0.18
    light = (sheet @ (warmed(60) * 0.8).T).astype(np.float32)
    data = cv2.imencode(".jpg", to_srgb8(light)[..., ::-1])[1].tobytes()
    client.post("/shoots/1/files", files=[("files", ("ZZ1.jpg", data))])
    end = time.monotonic() + 240
    while "seems to show a grey card" not in client.get(PAGE).text or "Clearing" in client.get("/status").text:
        assert time.monotonic() < end
        time.sleep(0.1)
    before = colours(client.get(PAGE).text)
    used = client.post(f"{PAGE}/grey/3", data={"use": "true"}).text
    assert "All photos take it for neutral" in used and used.count("neutral by hand") == used.count("data-neutral=")
    assert colours(used) != before
    out = client.post(f"{PAGE}/grey/3/out").text
    assert "It stays out of runs" in out and out.count("data-neutral=") == 2
    let_go = client.post(f"{PAGE}/grey/3", data={"use": "false"}).text
    assert "neutral by hand" not in let_go
    assert client.post(f"{PAGE}/grey/1", data={"use": "true"}).status_code == 404
