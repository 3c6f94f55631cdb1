"""Standards, their versions and deliverables over a real application, and what runs make of them."""

import io
import json
import re
import time
import zipfile

import pytest
from fastapi.testclient import TestClient
from PIL import Image

from zero_easel.core.standard.yaml.file import read_standard


@pytest.fixture
def client(cleared: TestClient) -> TestClient:
    """An application with a shoot of a mug and a jug, cleared."""
    return cleared


def change(client: TestClient, field: str, value: str, standard: int = 1, **more: str) -> str:
    return client.post(f"/standards/{standard}/rule", data={"field": field, "value": value, "shoot_id": 1, **more}).text


def add(client: TestClient, part: str, kind: str, standard: int = 1) -> str:
    return client.post(f"/standards/{standard}/parts/{part}", data={"kind": kind}).text


def run(client: TestClient, number: int) -> str:
    client.post("/shoots/1/runs")
    end = time.monotonic() + 240
    while f"Run {number} is done" not in (page := client.get(f"/runs/{number}").text):
        assert time.monotonic() < end
        time.sleep(0.1)
    return page


def rules(client: TestClient, standard: int = 1) -> str:
    return client.get(f"/standards/{standard}/file").text


def test_one_more_deliverable_makes_only_its_own_files(client: TestClient) -> None:
    change(client, "canvas.width", "300")
    change(client, "canvas.height", "300")
    first = run(client, 1)
    assert "2 done" in first and "kept from before" not in first
    add(client, "deliverables", "thumbnail")
    second = run(client, 2)
    assert "8 done" in second and "2 of them kept from before, 6 made" in second
    archive = zipfile.ZipFile(io.BytesIO(client.get("/runs/2/archive").content))
    assert archive.testzip() is None
    assert {"BY-2102_front.jpg", "thumbnail 2x/BY-2102_front.webp", "manifest.csv", "images.jsonld"} <= set(
        archive.namelist()
    )
    with Image.open(archive.open("thumbnail 3x/BY-2102_front.webp")) as picture:
        assert picture.size == (720, 720)
    # Nothing is new; then one rule changes, and with it all pictures.
    assert "8 of them kept from before, 0 made" in run(client, 3)
    change(client, "item.share", "70")
    assert "kept from before" not in run(client, 4)
    # Other information is another file, another folder or name is not.
    change(client, "item.share", "84")
    change(client, "names.name", "{code}-{view}")
    change(client, "deliverables.shop.folder", "{deliverable}")
    assert "8 of them kept from before, 0 made" in run(client, 5)
    names = zipfile.ZipFile(io.BytesIO(client.get("/runs/5/archive").content)).namelist()
    assert "shop/BY-2102-front.jpg" in names
    change(client, "information.creator", "Brindle Yard")
    assert "kept from before" not in run(client, 6)


def test_what_fails_a_check_comes_first_with_a_way_to_mend_it(client: TestClient) -> None:
    change(client, "canvas.width", "300")
    change(client, "canvas.height", "300")
    add(client, "checks", "longest")
    change(client, "checks.0.value", "at least 400")
    change(client, "hand_over", "passed")
    page = run(client, 1)
    assert "2 pictures fail a check" in page and "2 held back" in page
    assert "Change the size of the deliverable or of the canvas." in page
    table = client.get("/runs/1?show_as=checks").text
    assert table.count("unmet") == 2 and "300 px" in table and "at least 400" in table
    assert zipfile.ZipFile(io.BytesIO(client.get("/runs/1/archive").content)).namelist() == [
        "manifest.csv", "manifest.json", "images.jsonld",
    ]  # fmt: skip
    change(client, "canvas.width", "400")
    page = run(client, 2)
    assert "All pictures meet all checks." in page
    assert "BY-2102_front.jpg" in zipfile.ZipFile(io.BytesIO(client.get("/runs/2/archive").content)).namelist()


def test_standards_are_copied_read_given_to_shoots_and_deleted(client: TestClient) -> None:
    copied = client.post("/standards", data={"like": "1", "name": "Summer sale"})
    assert copied.url.path == "/standards/2" and read_standard(rules(client, 2)).name == "Summer sale"
    changed = rules(client, 2).replace("share: 84", "share: 61").replace("Summer sale", "From file")
    read = client.post("/standards", files={"file": ("s.yaml", changed.encode())})
    assert read.url.path == "/standards/3" and read_standard(rules(client, 3)).item.share == 61
    wrong = client.post("/standards", files={"file": ("bad.yaml", b"canvas:\n  width: wide\n")})
    assert wrong.status_code == 422 and "bad.yaml, line 2: canvas.width must be a whole number" in wrong.text
    client.post("/shoots/1/standard", data={"standard": "3"})
    listed = client.get("/standards").text
    assert re.search(r"From file</a>.*?<a href=\"/shoots/1\">Row", listed, re.S)
    refused = client.post("/standards/3/delete")
    assert refused.status_code == 409 and "shoots use it" in refused.text
    assert client.post("/standards/2/delete").status_code == 200
    assert "Summer sale" not in client.get("/standards").text
    assert json.loads(client.get("/standards/schema.json").text)["properties"]["deliverables"]


def test_versions_are_told_in_words_named_and_restored(client: TestClient) -> None:
    change(client, "canvas.width", "300")
    change(client, "canvas.height", "300")
    run(client, 1)
    change(client, "item.share", "85")
    add(client, "deliverables", "banner")
    client.post("/standards/1/versions", data={"label": "with banner"})
    change(client, "deliverables.banner.quality", "70")
    page = client.get("/standards/1/versions?old=1&new=3").text
    for phrase in ("Share 84 % → 85 %", "Deliverable banner new", "Banner: quality 90 → 70", "with banner", "run 1"):
        assert phrase in page, phrase
    assert "Deliverable banner new</li>" in page.split("From version 1 to version 3")[1]
    client.post("/standards/1/versions/1/restore")
    restored = read_standard(rules(client))
    assert restored.item.share == 84 and len(restored.deliverables) == 1
    history = client.get("/standards/1/versions").text
    assert "Version 4" in history and "Version 3" in history and "Deliverable banner gone" in history


def test_parts_come_and_go_and_bad_values_are_said(client: TestClient) -> None:
    for part, kind in (("deliverables", "icons"), ("deliverables", ""), ("overlays", "badge"), ("overlays", "mark"),
                       ("checks", "marketplace"), ("checks", "sharpness")):  # fmt: skip
        assert 'class="fault' not in add(client, part, kind)
    now = read_standard(rules(client))
    assert [d.name for d in now.deliverables] == ["shop", "icon 24", "icon 48", "icon 96", "icon 192", "another"]
    assert now.overlays[0].when == "discount" and len(now.checks) == 10
    said = change(client, "deliverables.shop.overlays", "badge, mark")
    assert "Kept." in said and change(client, "deliverables.shop.max_kb", "120 kB")
    assert "Not changed" in change(client, "deliverables.shop.max_kb", "much")
    assert "JPEG holds 8 bits" in change(client, "deliverables.shop.depth", "16")
    assert "asks for a column" in change(client, "overlays.badge.when", "margin > 3")
    renamed = client.post("/standards/1/rule", data={"field": "deliverables.another.name", "value": "print"})
    assert renamed.headers["HX-Refresh"] == "true"
    # What says nothing of its own is written so, and read so.
    assert "Kept." in change(client, "deliverables.print.views", "front, top") and "Kept." in change(
        client, "deliverables.print.views", "All"
    )
    assert read_standard(rules(client)).deliverable("print").views == ""
    client.post("/standards/1/parts/overlays", data={"remove": "badge"})
    assert read_standard(rules(client)).deliverable("shop").overlays == ("mark",)
    page = client.get("/standards/1?on=shop&shoot=1").text
    assert ">Brindle Yard</text>" in page and 'aria-label="Format of icon 48"' in page


def test_files_are_kept_for_good_and_used(client: TestClient) -> None:
    def png(grey: int) -> bytes:
        buffer = io.BytesIO()
        Image.new("RGB", (60, 60), (grey, grey, grey)).save(buffer, "PNG")
        return buffer.getvalue()

    for grey in (200, 200, 90):
        client.post("/standards/1/assets", files={"file": ("oak plank.png", png(grey))})
    page = client.get("/standards/1").text
    assert "oak plank.png" in page and "oak plank-2.png" in page and "oak plank-3.png" not in page
    assert client.post("/standards/1/assets", files={"file": ("evil.exe", b"MZ")}).status_code == 422
    change(client, "canvas.width", "300")
    change(client, "canvas.height", "300")
    assert "/media/asset/oak%20plank.png" in change(client, "canvas.ground", "picture oak plank.png")
    run(client, 1)
    picture = Image.open(io.BytesIO(client.get("/media/picture/1").content)).convert("RGB")
    assert abs(picture.getpixel((3, 3))[0] - 200) <= 2  # type: ignore[index]
    change(client, "canvas.ground", "picture gone.png")
    assert "there is no file gone.png among the assets" in run(client, 2)


def test_results_are_seen_in_step_as_a_table_and_as_a_sheet(client: TestClient) -> None:
    for field, value in (("canvas.width", "400"), ("canvas.height", "400"), ("deliverables.shop.format", "tiff")):
        change(client, field, value)
    add(client, "deliverables", "thumbnail")
    add(client, "deliverables", "handover")
    run(client, 1)
    listing = json.loads(client.get("/runs/1/list.json").text)
    assert listing["shoot"] == "Row" and len(listing["pictures"]) == 12
    biggest = client.get("/runs/1?show_as=table&sort=bytes").text
    sizes = re.findall(r'<td class="num">([\d.]+ [kM]?B)</td>', biggest)
    in_bytes = [float(s.split()[0]) * {"B": 1, "kB": 1e3, "MB": 1e6}[s.split()[1]] for s in sizes]
    assert len(sizes) == 12 and in_bytes == sorted(in_bytes, reverse=True)
    first = int(re.findall(r'/pictures/(\d+)"', client.get("/runs/1?deliverable=shop").text)[0])
    other = int(re.findall(r'/pictures/(\d+)"', client.get("/runs/1?deliverable=thumbnail").text)[0])
    page = client.get(f"/pictures/{first}?beside={other}").text
    assert "400 × 400 px" in page and "240 × 240 px" in page and "TIFF" in page
    matrices = [
        json.loads(m.replace("&#34;", '"'))["matrix"] for m in re.findall(r'data-(?:left|right)="([^"]*)"', page)
    ]
    assert [v * 0.6 for v in matrices[0][:4]] == pytest.approx(matrices[1][:4], abs=0.01)
    for picture in re.findall(r'/pictures/(\d+)"', biggest):
        shown = client.get(f"/media/picture/{picture}/shown")
        assert shown.status_code == 200 and shown.headers["content-type"].startswith("image/"), picture
    pdf = client.get("/runs/1/sheet.pdf?deliverable=thumbnail&per_page=6&caption={code}&title=Shelf")
    assert pdf.content.startswith(b"%PDF") and pdf.headers["content-type"] == "application/pdf"
    assert "no column" in client.get("/runs/1/sheet.pdf?caption={nothing}").text
    assert "do not fit" in client.get("/runs/1/sheet.pdf?per_page=200&gap=30").text


def test_an_example_becomes_a_standard_of_its_own(client: TestClient) -> None:
    mug, jug = client.get("/shoots/1/row").json()["items"]
    adjustment = {"photos": [mug["id"]], "scale": 0.8, "right": 3, "down": -4}
    placed = client.post("/shoots/1/place/adjust", json=adjustment).json()["row"]["items"][0]
    answer = client.post(f"/shoots/1/place/{mug['id']}/standard").json()
    assert "Shop pictures, like BY-2104-BL" in answer["message"]
    after, jug_after = answer["row"]["items"]
    assert not after["moved"] and after["box"] == pytest.approx(placed["box"], abs=1)
    assert jug_after["box"] != jug["box"] and not jug_after["moved"]
    assert read_standard(rules(client)).item.share == 84  # the first standard is as it was
    assert "already" in client.post(f"/shoots/1/place/{mug['id']}/standard").json()["message"]
