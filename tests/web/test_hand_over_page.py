"""Hand over: places by the page, the way of each picture, and what a shop rejects."""

from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from handing import open_shop
from support import until
from test_copying import client as client
from test_copying import shelf as shelf

from zero_easel.standins.shop import Shop, ShopServer


@pytest.fixture
def shop(tmp_path: Path) -> Iterator[ShopServer]:
    with open_shop(Shop(tmp_path / "shop", calm=True, codes=frozenset({"A", "B"}))) as server:
        yield server


def keep(client: TestClient, **wanted: str) -> str:
    answer = client.post("/shoots/1/hand-over", data={"name": "There", **wanted})
    return answer.text


def test_into_a_folder_that_is_allowed(client: TestClient, shelf: Path) -> None:
    page = keep(client, kind="folder", address=f"{shelf}/out", path="{shoot}/{name}")
    assert "Nothing is on its way yet" in page
    client.post("/shoots/1/hand-over/1/send")
    until(lambda: "is not there" in client.get("/shoots/1/hand-over?target=1").text)
    (shelf / "out").mkdir()
    client.post("/shoots/1/hand-over/1/again")
    until(lambda: len([path for path in shelf.rglob("*.jpg") if path.is_file()]) == 2)
    until(lambda: "2 sent" in client.get("/shoots/1/hand-over/part?target=1").text)
    assert "There" in client.get("/shoots/1/ways").text
    assert "2 sent" in client.post("/shoots/1/hand-over/1/send").text


def test_what_a_shop_rejects_is_told_and_can_be_checked_from_now_on(client: TestClient, shop: ShopServer) -> None:
    keep(client, kind="shop", address=shop.address, secret="sesame", by_itself="true")
    page = client.get("/shoots/1/hand-over?target=1").text
    assert "sesame" not in page and "kept; type to change it" in page
    client.post("/shoots/1/hand-over/1/send")
    until(lambda: "2 rejected" in client.get("/shoots/1/hand-over?target=1").text)
    assert "not known what this one shows" in client.get("/shoots/1/hand-over?target=1").text
    assert "2 turned away" in client.get("/shoots/1/line/deliver").text
    client.post("/shoots/1/hand-over/1/check", data={"rule": "longest", "value": "at least 800"})
    assert "longest side" in client.get("/standards/2").text or "longest side" in client.get("/standards/1").text
    assert client.post("/shoots/1/hand-over/1/check", data={"rule": "moon", "value": "1"}).status_code == 409


def test_a_place_is_changed_and_removed(client: TestClient, shelf: Path) -> None:
    keep(client, kind="folder", address=str(shelf))
    refused = client.post(
        "/shoots/1/hand-over/1", data={"name": "There", "kind": "folder", "address": "/etc", "path": "{name}"}
    )
    assert refused.status_code == 409 and "ZERO_EASEL_OUT" in refused.text
    assert str(shelf) in client.get("/shoots/1/ways").text
    changed = {"name": "Elsewhere", "kind": "folder", "address": f"{shelf}/b", "checked": "true"}
    assert "Elsewhere" in client.post("/shoots/1/hand-over/1", data=changed).text
    client.post("/shoots/1/hand-over/1/remove")
    assert "Elsewhere" not in client.get("/shoots/1/hand-over").text
    assert client.post("/shoots/1/hand-over/1/send").status_code == 404


def test_a_place_of_another_shoot_is_none_of_this_one(client: TestClient, shelf: Path) -> None:
    keep(client, kind="folder", address=str(shelf))
    client.post("/shoots", data={"name": "Other"})
    assert client.post("/shoots/2/hand-over/1/send").status_code == 404
    assert ">There</a>" not in client.get("/shoots/2/hand-over").text
