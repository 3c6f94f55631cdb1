"""The pages and their guard, over a real data folder, without a browser."""

import io
import json
import re
import shutil
import sqlite3
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest
from fastapi.testclient import TestClient
from PIL import Image
from sqlalchemy import func, select, update
from support import AWKWARD, CATALOG, PHOTOS

from zero_easel.library.store.models import Original, PhotoRow, Shoot
from zero_easel.web.app import create_app
from zero_easel.workbench import Workbench


def new_shoot(client: TestClient, *files: tuple[str, bytes]) -> list[dict[str, object]]:
    """Make shoot 1 and bring files in; returns what was said of each."""
    assert client.post("/shoots", data={"name": "Shelf"}).status_code == 200
    return bring(client, *files)


def bring(client: TestClient, *files: tuple[str, bytes]) -> list[dict[str, object]]:
    """Bring files into shoot 1; returns what was said of each."""
    parts = [("files", file) for file in files]
    answer = client.post("/shoots/1/files", files=parts, headers={"accept": "application/x-ndjson"})
    return [json.loads(line) for line in answer.text.splitlines()]


def import_catalog(client: TestClient, data: bytes = CATALOG.read_bytes(), name: str = "products.csv") -> str:
    """Bring a product table in as a person does: look at it, then import it; returns the page that says so."""
    looked = client.post("/products", files={"file": (name, data)})
    address = str(looked.url)
    return client.post(address).text if "/products/table/" in address else looked.text


def photo(name: str = "BRYD0105.JPG", called: str = "") -> tuple[str, bytes]:
    return called or name, (PHOTOS / name).read_bytes()


def stored(bench: Workbench, photo_id: int) -> PhotoRow:
    with bench.database.session() as session:
        return session.get_one(PhotoRow, photo_id)


def test_every_page_opens_when_empty_and_carries_the_policy(client: TestClient) -> None:
    client.post("/shoots", data={"name": "Empty"})
    for path in ("/", "/products", "/standards", "/standards/1", "/standards/1/versions", "/runs",
                 *(f"/shoots/1/{s}" for s in
                 ("bring-in", "match", "clear", "light", "place", "names", "deliver"))):  # fmt: skip
        answer = client.get(path)
        assert answer.status_code == 200, path
        assert "script-src 'self'" in answer.headers["content-security-policy"]
        assert "unsafe" not in answer.headers["content-security-policy"]
    for path in ("/shoots/9/clear", "/photos/9", "/runs/9", "/pictures/9", "/media/picture/9", "/media/large/x.jpg"):
        assert client.get(path).status_code == 404


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"origin": "http://evil.example"}, 403),
        ({"sec-fetch-site": "cross-site"}, 403),
        ({"sec-fetch-site": "same-site"}, 403),
        ({"origin": "http://127.0.0.1:9999"}, 403),
        ({"origin": "null"}, 403),
        ({"host": "evil.example"}, 400),
        ({"origin": "http://127.0.0.1:8470", "sec-fetch-site": "same-origin"}, 303),
    ],
)
def test_other_sites_cannot_change_anything(client: TestClient, headers: dict[str, str], status: int) -> None:
    answer = client.post("/shoots", data={"name": "X"}, headers=headers, follow_redirects=False)
    assert answer.status_code == status
    assert (client.get("/shoots/1/match").status_code == 200) == (status == 303)


def test_too_large_a_body_is_refused_whatever_it_claims(client: TestClient) -> None:
    client.post("/shoots", data={"name": "X"})
    big = b"x" * 20_100_000
    assert client.post("/shoots/1/files", files={"files": ("big.jpg", big)}).status_code == 413

    def chunks() -> Iterator[bytes]:
        yield b'--b\r\nContent-Disposition: form-data; name="files"; filename="big.jpg"\r\n\r\n'
        yield from (big[i : i + 65536] for i in range(0, len(big), 65536))
        yield b"\r\n--b--\r\n"

    kind = {"content-type": "multipart/form-data; boundary=b"}
    try:
        status = client.post("/shoots/1/files", content=chunks(), headers=kind).status_code
    except Exception:
        status = 499
    assert status >= 400
    assert "No photos yet" in client.get("/shoots/1/bring-in").text


def test_names_from_uploads_never_become_paths(client: TestClient, tmp_path: Path) -> None:
    before = {p for p in tmp_path.parent.iterdir()}
    reports = new_shoot(client, photo(called="../../../escape.JPG"), photo("BRYD0111.JPG", "C:\\a\\..\\b.jpg"))
    assert [r["name"] for r in reports] == ["escape.JPG", "b.jpg"]
    assert {p for p in tmp_path.parent.iterdir()} == before


def test_originals_are_kept_unchanged_and_read_only(client: TestClient, bench: Workbench) -> None:
    new_shoot(client, photo())
    path = bench.vault.original(stored(bench, 1).digest).path()
    assert path.read_bytes() == photo()[1]
    assert path.stat().st_mode & 0o222 == 0


def test_bad_files_are_told_and_the_others_come_in(client: TestClient) -> None:
    names = ("zero-bytes.jpg", "truncated.jpg", "huge-dimensions.png", "not-an-image.jpg")
    reports = new_shoot(client, *((n, (AWKWARD / n).read_bytes()) for n in names), photo())
    assert [r["ok"] for r in reports] == [False] * 4 + [True]
    assert all(str(r["message"]).startswith(str(r["name"])) for r in reports[:4])
    page = client.get("/shoots/1/bring-in").text
    assert "5 photos, 4 unreadable" in page and "ends too early" in page


def test_the_same_file_twice_is_noticed(client: TestClient) -> None:
    reports = new_shoot(client, photo(), photo(), photo(called="copy.JPG"))
    assert [r["message"] for r in reports] == [
        "",
        "BRYD0105.JPG is here already.",
        "copy.JPG is the same picture as BRYD0105.JPG.",
    ]
    assert "2 photos" in client.get("/shoots/1/bring-in").text


def test_tables_match_photos_whichever_comes_first(client: TestClient, bench: Workbench) -> None:
    new_shoot(client, photo(called="BY-2104-BL_side.jpg"), photo("BRYD0111.JPG"))
    assert stored(bench, 1).code == ""
    said = bring(client, ("products.csv", CATALOG.read_bytes()))[0]
    assert said["ok"] and "15 products added" in str(said["message"])
    client.get("/shoots/1/match")
    assert (stored(bench, 1).code, stored(bench, 1).view) == ("BY-2104-BL", "side")
    shots = ("shots.csv", b"filename,code,view\nBRYD0111.JPG,by-2102,front\nlater.JPG,BY-2210,top\n")
    assert bring(client, shots)[0]["ok"]
    assert (stored(bench, 2).code, stored(bench, 2).view) == ("BY-2102", "front")
    bring(client, photo("BRYD0120.JPG", "later.JPG"))
    client.get("/shoots/1/match")
    assert stored(bench, 3).code == "BY-2210"
    bad = bring(client, ("x.csv", b"a,b\n1,2\n"))[0]
    assert not bad["ok"] and "x.csv has no column for the product code" in str(bad["message"]) and bad["look"]


def test_a_match_by_hand_stays_until_it_is_taken_back(client: TestClient, bench: Workbench) -> None:
    import_catalog(client)
    new_shoot(client, photo(called="BY-2104_front.jpg"))
    assert "code and view in the file name" in client.get("/shoots/1/match").text
    row = client.post("/photos/1/match", data={"code": "by-2101", "view": "top"}).text
    assert "Porcelain bowl" in row and "by hand" in row
    import_catalog(client)
    client.get("/shoots/1/match")
    assert (stored(bench, 1).code, stored(bench, 1).view) == ("BY-2101", "top")
    assert "not in the catalog" in client.post("/photos/1/match", data={"code": "ZZ"}).text
    client.post("/photos/1/match/automatic")
    assert (stored(bench, 1).code, stored(bench, 1).view) == ("BY-2104", "front")


def test_clashing_names_are_shown_and_refused(client: TestClient, bench: Workbench) -> None:
    new_shoot(client, photo(), photo("BRYD0111.JPG"))
    for number in (1, 2):
        client.post(f"/photos/{number}/match", data={"code": "A", "view": "front"})
    page = client.get("/shoots/1/deliver").text
    assert "wanted twice" in page and re.search(r"<button class=\"strong\"\s+disabled", page)
    wait_until_read(bench)
    refused = client.post("/shoots/1/runs")
    assert refused.status_code == 409
    assert "BRYD0105.JPG" in refused.text and "BRYD0111.JPG" in refused.text
    assert "No runs yet" in client.get("/runs").text


def test_rules_change_one_at_a_time_and_bad_values_are_explained(client: TestClient) -> None:
    changed = client.post("/standards/1/rule", data={"field": "canvas.ground", "value": "abc"})
    assert "Kept." in changed.text and '"canvas.ground": "#AABBCC"' in changed.headers["hx-trigger"]
    client.post("/standards/1/rule", data={"field": "canvas.width", "value": "800"})
    refused = client.post("/standards/1/rule", data={"field": "canvas.width", "value": "wide"})
    assert "must be a whole number" in refused.text and '"canvas.width": "800"' in refused.headers["hx-trigger"]
    text = client.get("/standards/1/file").text
    assert "width: 800" in text


def test_leaving_out_and_taking_in_again(client: TestClient, bench: Workbench) -> None:
    new_shoot(client, photo())
    assert "Include again:" in client.post("/photos/1/leave-out").text
    assert "nothing to make" in client.get("/shoots/1/deliver").text
    assert "Leave out:" in client.post("/photos/1/leave-out").text
    assert bench.vault.original(stored(bench, 1).digest).exists()


def test_products_are_found_by_code_name_and_ean(client: TestClient) -> None:
    import_catalog(client)
    for text, code in (("2104-bl", "BY-2104-BL"), ("porcelain", "BY-2101"), ("29060005148", "BY-2210")):
        page = client.get("/products", params={"q": text}).text
        assert code in page and "1 found" in page
    for exact, code in (("by-2104", "BY-2104"), ("2906000514852", "BY-2210")):
        assert str(client.get("/products", params={"q": exact}).url).endswith(f"/products/{code}")
    assert "Nothing found" in client.get("/products", params={"q": "100%"}).text


def test_derived_files_may_be_deleted_while_it_is_down(bench: Workbench) -> None:
    with TestClient(create_app(bench), base_url="http://127.0.0.1:8470") as client:
        new_shoot(client, photo())
        wait_until_cleared(client)
    shutil.rmtree(bench.vault.local / "derived")
    digest = stored(bench, 1).digest
    with TestClient(create_app(bench), base_url="http://127.0.0.1:8470") as client:
        assert client.get(f"/media/thumbnail/{digest}.webp").status_code == 200
        wait_until_cleared(client)
        assert client.get(f"/media/cutout/{stored(bench, 1).cutout_key}/small.webp").status_code == 200


def wait_until_read(bench: Workbench) -> None:
    """Wait until every photo has been looked at for codes and the shoots are matched."""
    for _ in range(2400):
        with bench.database.session() as session:
            unread = session.scalar(select(func.count()).select_from(Original).where(~Original.read))
            stale = session.scalar(select(func.count()).select_from(Shoot).where(Shoot.stale))
        if not unread and not stale:
            return
        time.sleep(0.1)
    raise AssertionError("not read in four minutes")


def wait_until_cleared(client: TestClient) -> None:
    end = time.monotonic() + 240
    while "Clearing" in client.get("/status").text:
        assert time.monotonic() < end
        time.sleep(0.1)


def cleared(bench: Workbench, photo_id: int = 1) -> None:
    """Wait until a photo's cutout is there."""
    for _ in range(2400):
        if stored(bench, photo_id).clearing == "done":
            return
        time.sleep(0.1)
    raise AssertionError("not cleared in four minutes")


def mark(kind: str, x: float, y: float, radius: float = 30) -> dict[str, object]:
    return {"kind": kind, "points": [[x, y]], "radius": radius}


def test_marks_are_kept_undone_and_redone_without_limit(client: TestClient) -> None:
    new_shoot(client, photo())
    first = client.get("/photos/1/marks").json()
    keys = [first["key"]]
    for count in range(1, 31):
        state = client.post("/photos/1/marks", json={"marks": [mark("backdrop", 20 + 5 * count, 40)]}).json()
        assert (state["undo"], state["redo"]) == (count, 0)
        keys.append(state["key"])
    assert len(set(keys)) == 31
    for count in range(29, -1, -1):
        assert client.post("/photos/1/undo").json()["key"] == keys[count]
    assert client.post("/photos/1/undo").json()["undo"] == 0
    assert client.post("/photos/1/redo").json()["key"] == keys[1]
    # A new mark after an undo is the new future.
    state = client.post("/photos/1/marks", json={"marks": [mark("item", 9, 9)]}).json()
    assert (state["undo"], state["redo"]) == (2, 0) and [m["kind"] for m in state["marks"]] == ["backdrop", "item"]


def test_a_mark_changes_its_tile_and_later_the_stored_cutout(client: TestClient, bench: Workbench) -> None:
    new_shoot(client, photo())
    cleared(bench)
    before = stored(bench, 1)
    assert before.cutout and before.cutout.bounds
    x = (before.cutout.bounds[0] + before.cutout.bounds[2]) / 2
    y = (before.cutout.bounds[1] + before.cutout.bounds[3]) / 2
    state = client.get("/photos/1/marks").json()
    column, row = int(x) // 512, int(y) // 512
    tile = client.get(f"/photos/1/tiles/cutout/{state['key']}/0/{column}/{row}.png")
    assert tile.status_code == 200 and tile.headers["content-type"] == "image/png"
    marked = client.post("/photos/1/marks", json={"marks": [mark("exact-backdrop", x, y)]}).json()
    assert client.get(f"/photos/1/tiles/cutout/{state['key']}/0/{column}/{row}.png").status_code == 409
    alpha = png_alpha(client.get(f"/photos/1/tiles/cutout/{marked['key']}/0/{column}/{row}.png").content)
    assert alpha[int(y) % 512, int(x) % 512] == 0 < png_alpha(tile.content)[int(y) % 512, int(x) % 512]
    bench.dispatcher.wake()
    cleared(bench)
    after = stored(bench, 1)
    assert after.cutout_key == marked["key"] != before.cutout_key and not after.accepted


def png_alpha(data: bytes) -> np.ndarray:
    return np.asarray(Image.open(io.BytesIO(data)))[..., 3]


def test_tiles_outside_the_photo_and_bad_marks_are_refused(client: TestClient) -> None:
    new_shoot(client, photo())
    state = client.get("/photos/1/marks").json()
    for address in ("99/0/0", "0/99/0", "0/0/99", "0/-1/0"):
        assert client.get(f"/photos/1/tiles/photo/{state['digest']}/{address}.jpg").status_code == 404
    for bad in ({"marks": []}, {"marks": [{"kind": "item", "points": []}]}, {"marks": [mark("scissors", 1, 1)]}, {}):
        assert client.post("/photos/1/marks", json=bad).status_code == 422
    assert client.post("/photos/1/copy-fence").status_code == 409
    assert client.get("/photos/1/marks").json()["undo"] == 0


def test_an_empty_frame_leaves_the_batch_and_helps_the_others(client: TestClient, bench: Workbench) -> None:
    new_shoot(client, photo(), ("empty-backdrop.JPG", (AWKWARD / "empty-backdrop.JPG").read_bytes()))
    assert stored(bench, 2).empty and not stored(bench, 1).empty
    assert "empty-backdrop" not in client.get("/shoots/1/deliver").text
    with_it = client.get("/photos/1/marks").json()["key"]
    row = client.post("/photos/2/empty").text
    assert "Is the backdrop" in row and not stored(bench, 2).empty
    assert client.get("/photos/1/marks").json()["key"] != with_it
    client.post("/photos/2/empty")
    assert client.get("/photos/1/marks").json()["key"] == with_it


def test_a_page_that_is_kept_shows_every_change_at_once(client: TestClient, bench: Workbench) -> None:
    client.post("/shoots", data={"name": "First"})
    assert client.get("/").text == client.get("/").text
    client.post("/shoots", data={"name": "Second"})
    assert "Second" in client.get("/").text
    # Whoever changes it: another session, or a command in another process.
    with bench.database.session() as session:
        session.execute(update(Shoot).where(Shoot.name == "Second").values(name="Third"))
    page = client.get("/").text
    assert "Third" in page and "Second" not in page
    other = sqlite3.connect(bench.database.path)
    with other:
        other.execute("UPDATE shoot SET name = 'Fourth' WHERE name = 'Third'")
    other.close()
    assert "Fourth" in client.get("/").text
