"""Shoots whose pictures keep their backdrop."""

import io
import re
import time

import numpy as np
from fastapi.testclient import TestClient
from PIL import Image
from test_pages import Workbench, cleared, new_shoot, stored, wait_until_cleared, wait_until_read


def picture(name: str, size: tuple[int, int]) -> tuple[str, bytes]:
    file = io.BytesIO()
    grain = np.random.default_rng(len(name)).integers(0, 255, (size[1], size[0], 3)).astype(np.uint8)
    Image.fromarray(grain).save(file, "JPEG", quality=50)
    return name, file.getvalue()


def wait_until_run(client: TestClient) -> None:
    """Wait until a run is through."""
    end = time.monotonic() + 240
    while "Run 1 is done" not in client.get("/runs/1").text:
        assert time.monotonic() < end
        time.sleep(0.1)


def test_sizes_are_told_as_they_will_be_and_weighed_without_clearing(client: TestClient, bench: Workbench) -> None:
    for field, value in (("item.backdrop", "kept"), ("item.fit", "longest"), ("item.size", "400")):
        assert "Kept." in client.post("/standards/1/rule", data={"field": field, "value": value}).text
    new_shoot(client, picture("a wide one.jpg", (640, 480)), picture("an upright one.jpg", (480, 640)))
    wait_until_read(bench)
    page = client.get("/shoots/1/deliver").text
    assert "300 to 400 × 300 to 400" in page
    assert "an upright one.jpg</span> 300 × 400" in page and "a wide one.jpg</span> 400 × 300" in page
    assert "not known yet" not in client.get("/shoots/1/estimate").text
    # Nothing is cleared for that, and a run is made without it.
    assert client.post("/shoots/1/runs").status_code == 200
    wait_until_run(client)
    assert "keeps the backdrop of all pictures" in client.get("/shoots/1/clear").text
    assert {stored(bench, number).clearing for number in (1, 2)} == {"waiting"}
    # What a person wants cut out is cleared, and nothing else.
    client.post("/shoots/1/place/adjust", json={"photos": [1], "backdrop": "cleared"})
    cleared(bench)
    assert stored(bench, 2).clearing == "waiting"
    # As soon as the standard asks for cutouts, they are made.
    client.post("/standards/1/rule", data={"field": "item.backdrop", "value": "cleared"})
    wait_until_cleared(client)
    # Kept again, what was cleared asks for nothing any more.
    client.post("/standards/1/rule", data={"field": "item.backdrop", "value": "kept"})
    wall = client.get("/shoots/1/clear").text
    looked_at = r'an upright one\.jpg</span>\s*<span\s+class="soft">[^<]*</span><span class="sr-only">, to look at'
    assert not re.search(looked_at, wall) and "Clearing" not in wall


def test_where_there_is_no_catalog_nothing_waits_for_a_product(client: TestClient, bench: Workbench) -> None:
    new_shoot(client, picture("plain.jpg", (640, 480)))
    wait_until_read(bench)
    for page in ("match", "deliver", "names", "bring-in"):
        shown = client.get(f"/shoots/1/{page}").text
        assert "to settle" not in shown and "without a product" not in shown and "not settled" not in shown, page
    assert "keeps the photo" not in client.get("/shoots/1/names").text
    client.post("/shoots/1/files", files=[("files", ("shots.csv", b"filename,code,view\nother.jpg,A-1,front\n"))])
    assert "not on the shot list" in client.get("/shoots/1/match").text


def test_a_shared_standard_says_whom_it_concerns_and_one_shoot_can_have_its_own(client: TestClient) -> None:
    for name in ("Spring", "Summer"):
        client.post("/shoots", data={"name": name})
    for page in ("names", "place"):
        shown = client.get(f"/shoots/1/{page}").text
        assert "follows the standard" in shown and ">Summer</a>" in shown and ">Spring</a>" not in shown
    own = client.post("/shoots/1/standard/own", data={"back": "names"}).text
    assert "A standard of this shoot alone" in own and "does not differ yet" in own
    client.post("/shoots/1/names", data={"field": "name", "value": "{original}_small"})
    assert re.search(r"It differs in: .*\{original\}_small", client.get("/shoots/1/names").text)
    assert "{code}_{view}" in client.get("/shoots/2/names").text
    assert 'id="follows"' not in client.get("/shoots/2/place").text
