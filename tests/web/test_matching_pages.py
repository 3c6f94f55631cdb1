"""Pages of matching, naming and the catalog, over real photos and tables."""

import io
import json
import re
import shutil
import time
import zipfile
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select
from support import CATALOG, PHOTOS

from zero_easel.library.lists.lines import PhotoLine, lines_of
from zero_easel.library.store.models import Original
from zero_easel.settings import Settings
from zero_easel.web.app import create_app
from zero_easel.workbench import Workbench, build_workbench

SHOOT = ("BRYD0104.JPG", "BRYD0105.JPG", "BRYD0106.JPG", "BRYD0108.JPG", "BRYD0109.JPG")
"""A card, its two photos, and two more whose card is missing."""


def lines(bench: Workbench) -> list[PhotoLine]:
    with bench.database.session() as session:
        return lines_of(session, 1)


def held(bench: Workbench) -> list[str]:
    return [f"{line.code} {line.view}".strip() for line in lines(bench) if not line.card]


@pytest.fixture(scope="module")
def brought_in(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A data folder with the catalog and the shoot, read and matched."""
    folder = tmp_path_factory.mktemp("shelf")
    bench = build_workbench(Settings(data=folder, jobs=1, upload_mb=20))
    with TestClient(create_app(bench), base_url="http://127.0.0.1:8470") as client:
        client.post("/shoots", data={"name": "Shelf"})
        files = [("products.csv", CATALOG.read_bytes()), *((name, (PHOTOS / name).read_bytes()) for name in SHOOT)]
        client.post("/shoots/1/files", files=[("files", file) for file in files])
        end = time.monotonic() + 240
        while unread(bench) or "looking for cards" in client.get("/shoots/1/match").text:
            assert time.monotonic() < end
            time.sleep(0.1)
    return folder


def unread(bench: Workbench) -> bool:
    with bench.database.session() as session:
        return session.scalar(select(Original.digest).where(~Original.read).limit(1)) is not None


@pytest.fixture
def bench(brought_in: Path, tmp_path: Path) -> Workbench:
    """A workbench over a copy of that folder."""
    return build_workbench(Settings(data=shutil.copytree(brought_in, tmp_path / "data"), jobs=1, upload_mb=20))


@pytest.fixture
def shoot(client: TestClient) -> TestClient:
    return client


def repair(client: TestClient, what: str, *chosen: int, **more: str) -> str:
    answer = client.post(f"/shoots/1/matches/{what}", data={"chosen": [str(c) for c in chosen], **more})
    assert answer.status_code == 200
    said = re.search(r'id="matches-message"[^>]*>([^<]*)<', answer.text)
    return said[1] if said else ""


def test_what_follows_a_card_and_what_is_in_doubt(shoot: TestClient, bench: Workbench) -> None:
    assert held(bench) == ["BY-2104-BL"] * 4
    page = shoot.get("/shoots/1/match").text
    assert "after the code card BRYD0104.JPG" in page and "file BRYD0107 is missing before it" in page
    assert "2 to settle" in page and "code card: BY-2104-BL" in shoot.get("/shoots/1/bring-in").text
    assert "BRYD0104" not in shoot.get("/shoots/1/names").text
    assert lines(bench)[0].clearing == ""


def test_repairs_and_the_way_back(shoot: TestClient, bench: Workbench) -> None:
    ids = [line.id for line in lines(bench) if not line.card]
    assert repair(shoot, "assign", *ids[2:], code="porcelain").startswith("BY-2101 for 2 photos")
    assert held(bench)[2:] == ["BY-2101", "BY-2101"]
    assert "swapped" in repair(shoot, "swap", ids[1], ids[2])
    assert held(bench)[1:3] == ["BY-2101", "BY-2104-BL"]
    assert "Undone" in repair(shoot, "undo") and "Undone" in repair(shoot, "undo")
    assert held(bench) == ["BY-2104-BL"] * 4 and repair(shoot, "undo") == "There is nothing to undo."
    assert "Done again: BY-2101" in repair(shoot, "redo")
    assert "fell off the end" in repair(shoot, "later", *ids)
    repair(shoot, "undo")
    assert repair(shoot, "later", start=str(ids[2])).startswith("2 photos from BRYD0108.JPG shifted by one later")
    assert "confirmed" in repair(shoot, "confirm", ids[0]) or held(bench)[0] == ""
    assert repair(shoot, "assign", ids[0], code="no such thing") == "There is no product no such thing."
    assert repair(shoot, "swap", ids[0]) == "Choose two photos to swap."
    assert shoot.post("/shoots/1/matches/burn", data={"chosen": str(ids[0])}).status_code == 404
    assert "left out" in repair(shoot, "leave-out", ids[3]) and lines(bench)[4].left_out


def test_a_few_letters_are_enough(shoot: TestClient) -> None:
    assert [p["code"] for p in shoot.get("/suggest", params={"q": "mug"}).json()] == ["BY-2104", "BY-2104-BL"]
    assert shoot.get("/suggest", params={"q": " "}).json() == []
    said = shoot.post("/photos/2/match", data={"code": "bowl", "view": "top"})
    assert json.loads(said.headers["hx-trigger"])["matched"] == {
        "photo": 2,
        "code": "BY-2101",
        "view": "top",
        "seen": "BY-2101 top",
        "conflict": False,
    }


def test_a_card_that_is_none_and_one_that_is_typed(shoot: TestClient, bench: Workbench) -> None:
    card = lines(bench)[0].id
    assert shoot.post(f"/photos/{card}/card", data={"code": "nonsense"}).status_code == 409
    assert (
        "BY-2102 for 4 photos behind BRYD0104.JPG" in shoot.post(f"/photos/{card}/card", data={"code": "by-2102"}).text
    )
    assert held(bench) == ["BY-2102"] * 4
    repair(shoot, "undo")
    repair(shoot, "no-card", card)
    assert held(bench) == [""] * 5 and lines(bench)[0].clearing == "waiting"


def test_a_shoot_without_cards_has_none_until_that_is_undone(shoot: TestClient, bench: Workbench) -> None:
    before = [line.card for line in lines(bench)]
    assert any(before) and "1 code card among the photos" in shoot.get("/shoots/1/match").text
    repair(shoot, "no-cards")
    assert not any(line.card for line in lines(bench)) and lines(bench)[0].clearing == "waiting"
    assert "No code cards are looked for" in shoot.get("/shoots/1/match").text
    repair(shoot, "undo")
    assert [line.card for line in lines(bench)] == before
    repair(shoot, "redo")
    repair(shoot, "cards")
    assert [line.card for line in lines(bench)] == before


def test_names_are_tried_kept_and_refused_at_the_place(shoot: TestClient) -> None:
    shown = shoot.post("/shoots/1/names/try", data={"name": "{name:slug}_{n:03}", "folder": "{category}"}).text
    assert "kitchen/enamel-mug-0-4-l-blue_001.jpg" in shown and "Kept." not in shown
    assert "{code}_{view}" in shoot.get("/shoots/1/names").text
    refused = shoot.post("/shoots/1/names", data={"field": "name", "value": "x_{colur}"})
    assert "<mark>colur</mark>" in refused.text and "did you mean &#39;colour&#39;?" in refused.text
    assert json.loads(refused.headers["hx-trigger"])["named"]["name"] == "{code}_{view}"
    kept = shoot.post("/shoots/1/names", data={"field": "name", "value": "{code}"}).text
    assert "Kept." in kept and "A name is wanted twice" in kept and "counter into the pattern" in kept
    assert "wanted twice" in shoot.get("/shoots/1/deliver").text
    shoot.post("/shoots/1/names", data={"field": "on_duplicate", "value": "count"})
    assert "BY-2104-BL-4.jpg" in shoot.get("/shoots/1/names").text
    assert "not a regular expression" in shoot.post("/shoots/1/names/try", data={"find": "(", "find_as": "regex"}).text
    problems = shoot.get("/shoots/1/names?only=problem").text
    assert "BRYD0108.JPG" in problems and "perhaps a code card" in problems and "BRYD0105.JPG" not in problems


def test_photos_only_renamed_come_as_an_archive(shoot: TestClient, bench: Workbench) -> None:
    with zipfile.ZipFile(io.BytesIO(shoot.get("/shoots/1/renamed.zip").content)) as archive:
        assert archive.read("BY-2104-BL_front.jpg") == (PHOTOS / "BRYD0105.JPG").read_bytes()
        assert len(archive.namelist()) == 5
    assert not list(bench.vault.local.glob(".part-*"))
    shoot.post("/shoots/1/names", data={"field": "name", "value": "{code}"})
    assert shoot.get("/shoots/1/renamed.zip").status_code == 409


def test_a_table_is_looked_at_mapped_and_imported(shoot: TestClient) -> None:
    table = b"Number;Label;Stuff\nBY-2104;Big mug;steel\nNEW-1;Hook;brass\n"
    looked = shoot.post("/products", files={"file": ("list.csv", table)})
    assert "no column for the product code" in looked.text and re.search(
        r"<button class=\"strong\"\s+disabled", looked.text
    )
    columns = {"column:number": "code", "column:label": "name"}
    again = shoot.get(str(looked.url), params={"name": "list.csv", **columns}).text
    assert "1 new product, 1 changed" in again and "Big mug" in again
    done = shoot.post(str(looked.url), data={**columns, "column:stuff": "free"})
    assert "1 product added, 1 changed" in done.text
    assert "brass" in shoot.get("/products/new-1").text
    assert "{stuff}" in shoot.get("/shoots/1/names").text
    assert shoot.get(str(looked.url)).status_code == 404
    huge = shoot.post("/products", files={"file": ("empty.csv", b"")})
    assert "empty.csv is empty" in huge.text


def test_a_product_has_a_page_with_its_photos(shoot: TestClient) -> None:
    page = shoot.get("/products/BY-2104-BL").text
    assert "Shelf" in page and "BRYD0105.JPG" in page and "BRYD0104.JPG" not in page
    assert "No photo shows it yet" in shoot.get("/products/BY-6003").text
    assert shoot.get("/products/none").status_code == 404


def test_deleting_asks_says_what_stays_and_does_it(shoot: TestClient, bench: Workbench) -> None:
    digest = lines(bench)[1].digest
    page = shoot.get("/shoots/1/delete").text
    assert "5 photos" in page and "original photos, unchanged" in page
    assert "Make your first shoot" in shoot.post("/shoots/1/delete").text
    assert bench.vault.original(digest).exists() and shoot.get("/shoots/1/match").status_code == 404


def test_photos_are_left_out_by_rule_and_taken_in_again(shoot: TestClient, bench: Workbench) -> None:
    assert "Leave out all 5" in shoot.get("/shoots/1/bring-in?only=small&under=2000").text
    sorted_ = shoot.get("/shoots/1/bring-in?only=small&under=2000&sort=bytes&down=true").text
    assert sorted_.count("sort=bytes") >= 4 and 'name="sort" value="bytes"' in sorted_
    after = shoot.post("/shoots/1/leave-out?only=small&under=2000&sort=bytes&down=true", data={"out": "true"}).text
    assert all(line.left_out for line in lines(bench))
    assert "Leave out all" not in after and "all left out" in after and 'aria-sort="descending"' in after
    shoot.post("/shoots/1/leave-out?only=out", data={"out": "false"})
    assert not any(line.left_out for line in lines(bench))
