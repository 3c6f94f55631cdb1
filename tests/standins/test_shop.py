"""The shop's stand-in as its own page shows it."""

from collections.abc import Iterator
from io import BytesIO
from pathlib import Path

import httpx
import pytest
from handing import open_shop
from PIL import Image

from zero_easel.standins.shop import Shop, ShopServer


@pytest.fixture
def shop(tmp_path: Path) -> Iterator[ShopServer]:
    with open_shop(Shop(tmp_path / "shop", calm=True)) as server:
        yield server


def brought(shop: ShopServer, code: str, path: str, ground: str = "white") -> int:
    file = BytesIO()
    Image.new("RGB", (900, 900), ground).save(file, "JPEG")
    answer = httpx.put(f"{shop.address}/products/{code}/pictures/{path}", content=file.getvalue())
    return answer.status_code


def test_its_page_tells_what_it_turned_away_and_what_is_on_the_shelf(shop: ShopServer) -> None:
    assert "Nothing came yet" in httpx.get(shop.address).text
    assert brought(shop, "BY-2104", "a/BY-2104_front.jpg") == 201
    assert brought(shop, "BY-2104", "%3Cimg%20src=x%3E.jpg", "grey") == 422
    page = httpx.get(shop.address).text
    assert "Enamel mug 0.4 l" in page and 'src="/a/BY-2104_front.jpg"' in page
    assert "&lt;img src=x&gt;.jpg" in page and "<img src=x" not in page and "not white at the corners" in page
    assert httpx.get(f"{shop.address}/a/BY-2104_front.jpg").headers["content-type"] == "image/jpeg"


def test_a_picture_that_came_right_is_turned_away_no_more(shop: ShopServer) -> None:
    assert brought(shop, "BY-2104", "BY-2104_front.jpg", "grey") == 422
    assert "Turned away" in httpx.get(shop.address).text
    assert brought(shop, "BY-2104", "BY-2104_front.jpg") == 201
    assert "Turned away" not in httpx.get(shop.address).text


def test_it_gives_away_its_own_style_and_no_other_file(shop: ShopServer) -> None:
    assert httpx.get(f"{shop.address}/static/app.css").headers["content-type"] == "text/css"
    for path in ("/static/%2e%2e/templates/base.html", "/static/../server.py", "/static/", "/etc/passwd"):
        assert httpx.get(shop.address + path).status_code == 404, path
