"""The page of whole pictures."""

import io
import re
import time
import zipfile

from fastapi.testclient import TestClient
from PIL import Image
from sqlalchemy import select
from test_pages import Workbench, photo, wait_until_cleared
from test_whole_pictures import picture, wait_until_run

from zero_easel.library.store.models import PhotoRow, Shoot, StandardRow

PAGE = "/shoots/1/whole"


def begun(client: TestClient, *files: tuple[str, bytes], name: str = "Shelf") -> str:
    """A shoot of whole pictures with some files; returns its page."""
    parts = [("files", file) for file in files]
    answer = client.post("/shoots", data={"name": name, "whole": "true"}, files=parts or None)
    assert answer.status_code == 200 and str(answer.url).endswith("/whole"), answer.url
    return answer.text


def said(client: TestClient, field: str, value: str) -> str:
    """Change one value; returns what is said of it."""
    answer = client.post(f"{PAGE}/rule", data={"field": field, "value": value}).text
    return " ".join(re.sub(r"<[^>]+>", " ", answer).split())


def archive(client: TestClient) -> dict[str, tuple[int, int]]:
    """Run; sizes of all pictures in the archive."""
    assert client.post(f"{PAGE}/run").status_code == 200
    wait_until_run(client)
    with zipfile.ZipFile(io.BytesIO(client.get("/runs/1/archive").content)) as files:
        names = [name for name in files.namelist() if not name.startswith(("manifest", "images"))]
        return {name: Image.open(io.BytesIO(files.read(name))).size for name in names}


def test_pictures_are_told_before_they_are_made_and_made_as_told(client: TestClient, bench: Workbench) -> None:
    sizes = {"wide.jpg": (640, 480), "upright.jpg": (480, 640), "s.jpg": (90, 60)}
    page = begun(client, *(picture(name, size) for name, size in sizes.items()))
    assert "1400" in page and "stays smaller than asked" in page
    for word in ("Match", "backdrop is being", "code card", "product code"):
        assert word not in page[page.index("<main") : page.index("</main")]
    assert "Kept." in said(client, "deliverables.pictures.number", "400")
    page = client.get(PAGE).text
    assert "400 &times; 300" in page and "300 &times; 400" in page and "90 &times; 60" in page
    found = client.get(f"{PAGE}/bytes").json()
    # How often it was asked stands in the address: what stays unsure is not asked for for ever.
    assert client.get(f"{PAGE}/bytes", params={"turn": "often"}).status_code == 422
    assert client.get(f"{PAGE}/bytes", params={"turn": 6}).json()["again"] is False
    assert set(found["pictures"]) == {f"{n} pictures" for n in (1, 2, 3)} and "of photos give" in found["total"]
    assert archive(client) == {"wide.jpg": (400, 300), "upright.jpg": (300, 400), "s.jpg": (90, 60)}
    with bench.database.session() as session:
        assert {p.clearing for p in session.scalars(select(PhotoRow)).unique()} == {"waiting"}
    assert "Run 1 is done" in client.get(PAGE).text


def test_sizes_are_said_as_people_say_them(client: TestClient) -> None:
    begun(client, picture("wide.jpg", (640, 480)))
    for text, shown in (
        ("60 %", "384 &times; 288"), ("320 wide", "320 &times; 240"), ("120 high", "160 &times; 120"),
        ("300x100", "300 &times; 100"), ("1in wide", "72 &times; 54"), ("0.0768 Mpx", "320 &times; 240"),
    ):  # fmt: skip
        assert "Kept." in said(client, "deliverables.pictures.number", text), text
        assert shown in client.get(PAGE).text, text
    assert "Not changed" in said(client, "deliverables.pictures.number", "many")
    assert "Not changed" in said(client, "deliverables.pictures.number", "0 wide")
    page = client.post(f"{PAGE}/sizes", data={"kind": "200 webp, 24x24 png transparent, 100x40 cover"}).text
    assert "200 &times; 150" in page and "24 &times; 24" in page and "100 &times; 40" in page
    assert "blue is no format" in client.post(f"{PAGE}/sizes", data={"kind": "200 blue"}).text
    page = client.post(f"{PAGE}/sizes", data={"remove": "pictures"}).text
    assert "320 &times; 240" not in page and "Remove 24x24" in page
    assert set(archive(client).values()) == {(200, 150), (24, 24), (100, 40)}


def test_names_may_hold_folders_and_each_picture_s_own_size(client: TestClient) -> None:
    begun(client, picture("wide.jpg", (640, 480)), picture("upright.jpg", (480, 640)))
    assert "Kept." in said(client, "deliverables.pictures.number", "320")
    assert "Kept." in said(client, "names.name", "{width}x{height}/{original}_{n}")
    assert archive(client) == {"320x240/wide_2.jpg": (320, 240), "240x320/upright_1.jpg": (240, 320)}
    assert "cannot stand in a folder" in said(client, "names.name", "{n}/{original}")


def test_photos_of_one_name_in_two_folders_are_no_clash(client: TestClient) -> None:
    begun(client)
    for folder in ("a", "b"):
        client.post("/shoots/1/files", files=[("files", picture("1.jpg", (64, 48)))], data={"folder": folder})
    page = client.get(PAGE).text
    assert "a/1.jpg" in page and "b/1.jpg" in page and "A name is wanted twice" not in page
    said(client, "names.keep_folders", "false")
    assert "A name is wanted twice" in client.get(PAGE).text
    assert client.post(f"{PAGE}/run").status_code == 409
    said(client, "names.name", "{folder} {original}")
    assert set(archive(client)) == {"a 1.jpg", "b 1.jpg"}


def test_a_photo_called_after_its_backdrop_is_a_picture_too(client: TestClient) -> None:
    page = begun(client, picture("empty.jpg", (64, 48)), picture("backdrop.jpg", (64, 48)))
    assert "2 photos" in page and "stays out" not in page


def test_some_are_left_out_and_wanted_again(client: TestClient) -> None:
    begun(client, *(picture(f"{n}.jpg", (64, 48 + n)) for n in range(3)))
    assert client.post(f"{PAGE}/leave-out", data={"photos": ["1", "2"]}).status_code == 204
    page = client.get(PAGE).text
    assert "1 photo" in page and "2 stay out" in page
    page = client.post("/shoots/1/leave-out?only=out&under=1000&back=whole", data={"out": "false"}).text
    assert 'id="whole-head"' in page and "stay out" not in page


def test_the_next_shoot_begins_as_the_last_was_left_and_changes_nothing_there(client: TestClient) -> None:
    begun(client)
    said(client, "deliverables.pictures.number", "777")
    begun(client, name="Another")
    assert 'value="777"' in client.get("/shoots/2/whole").text
    client.post("/shoots/2/whole/rule", data={"field": "deliverables.pictures.number", "value": "555"})
    assert 'value="777"' in client.get(PAGE).text
    # What was kept can be taken by name, and then both follow it.
    client.post("/shoots/1/standard", data={"standard": "3", "back": "whole"})
    page = client.get(PAGE).text
    assert 'value="555"' in page and "what changes here changes there" in page


def test_the_part_that_is_kept_is_chosen_for_all_sizes_or_for_one(client: TestClient) -> None:
    file = io.BytesIO()
    picture_of = Image.new("RGB", (400, 200), (200, 0, 0))
    picture_of.paste((0, 0, 200), (200, 0, 400, 200))
    picture_of.save(file, "PNG")
    begun(client, ("two.png", file.getvalue()))
    said(client, "deliverables.pictures.number", "50x50")
    said(client, "deliverables.pictures.by", "cover")
    client.post(f"{PAGE}/sizes", data={"kind": "100x50 cover"})
    assert client.post(f"{PAGE}/part", json={"photo": 1, "x": 50, "y": 100, "zoom": 2}).status_code == 204
    assert client.post(f"{PAGE}/part", json={"photo": 1, "x": 350, "y": 100, "zoom": 4, "ratio": 1}).status_code == 204
    assert client.post(f"{PAGE}/part", json={"photo": 9, "x": 1, "y": 1}).status_code == 404
    assert client.post(f"{PAGE}/part", json={"photo": 1, "x": 1, "y": 1, "zoom": 0.5}).status_code == 422
    assert client.post(f"{PAGE}/run").status_code == 200
    wait_until_run(client)
    with zipfile.ZipFile(io.BytesIO(client.get("/runs/1/archive").content)) as files:
        square = Image.open(io.BytesIO(files.read("two.jpg"))).convert("RGB")
        wide = Image.open(io.BytesIO(files.read("100x50/two.jpg"))).convert("RGB")
    assert all(square.getpixel((x, 25))[2] > 150 for x in (2, 47))
    assert all(wide.getpixel((x, 25))[0] > 150 for x in (2, 97))


def test_undo_and_redo(client: TestClient) -> None:
    begun(client)
    said(client, "deliverables.pictures.number", "500")
    assert 'value="1400"' in client.post(f"{PAGE}/step/undo").text
    assert 'value="500"' in client.post(f"{PAGE}/step/redo").text


def test_whole_pictures_can_be_cut_out_after_all(client: TestClient, bench: Workbench) -> None:
    begun(client, photo())
    said(client, "deliverables.pictures.number", "600")
    assert client.post("/shoots/1/cut-out").status_code == 200
    wait_until_cleared(client)
    assert client.get("/shoots/1", follow_redirects=True).url.path != PAGE
    with bench.database.session() as session:
        rules = session.get_one(Shoot, 1).standard.rules
        assert rules.item.backdrop == "cleared" and rules.deliverable("pictures").number == 600
        assert rules.names.name == "{code}_{view}"


def test_deleting_a_shoot_takes_the_standard_that_was_its_own_along(client: TestClient, bench: Workbench) -> None:
    begun(client)
    client.post("/shoots/1/delete")
    with bench.database.session() as session:
        assert [row.rules.name for row in session.scalars(select(StandardRow))] == ["Shop pictures"]


def test_a_name_is_given_by_the_day_and_may_be_changed(client: TestClient) -> None:
    page = begun(client, name="")
    assert re.search(r'value="\d+ \w+ 20\d\d"', page)
    assert "Autumn" in client.post("/shoots/1/name", data={"name": " Autumn  table "}).text
    assert "Autumn table" in client.post("/shoots/1/name", data={"name": " "}).text


def test_backdrops_are_cleared_where_the_items_stand(client: TestClient, bench: Workbench) -> None:
    begun(client, photo())
    said(client, "deliverables.pictures.number", "50 %")
    client.post(f"{PAGE}/sizes", data={"kind": "50% png transparent"})
    assert "Kept." in said(client, "item.backdrop", "in-place")
    end = time.monotonic() + 240
    while "<svg" not in client.get(PAGE).text:
        assert time.monotonic() < end
        time.sleep(0.2)
    assert client.post(f"{PAGE}/run").status_code == 200
    wait_until_run(client)
    with zipfile.ZipFile(io.BytesIO(client.get("/runs/1/archive").content)) as files:
        white = Image.open(io.BytesIO(files.read("BRYD0105.jpg"))).convert("RGB")
        clear = Image.open(io.BytesIO(files.read("50 percent/BRYD0105.png")))
    original = Image.open(io.BytesIO(photo()[1])).convert("RGB")
    size = (original.width // 2, original.height // 2)
    assert white.size == clear.size == size and white.getpixel((2, 2)) == (255, 255, 255)
    assert clear.getpixel((2, 2))[3] == 0
    # The item stands where it stood.
    with bench.database.session() as session:
        bounds = session.get_one(PhotoRow, 1).cutout.bounds
    box = clear.getchannel("A").point(lambda a: 255 * (a > 127)).getbbox()
    assert all(abs(b - w / 2) <= 1.5 for b, w in zip(box, bounds, strict=True))
    middle = tuple((a + b) // 2 for a, b in ((box[0], box[2]), (box[1], box[3])))
    drawn = white.getpixel(middle)
    assert max(abs(a - b) for a, b in zip(drawn, original.resize(size).getpixel(middle), strict=True)) < 12


def test_overlays_are_seen_on_whole_pictures_and_placed_by_eye(client: TestClient, bench: Workbench) -> None:
    begun(client, picture("wide.jpg", (640, 480)))
    with bench.database.session() as session:
        row = session.scalars(select(Shoot)).one().standard_id
    client.post(f"/standards/{row}/parts/overlays", data={"kind": "mark"})
    assert 'data-overlay="mark"' in client.get(PAGE).text
    page = client.get(f"/standards/{row}?shoot=1").text
    assert 'data-canvas="1"' in page and 'data-eye="mark"' in page
    values = {"photo": 1, "x": 0, "y": 0, "factor": 2, "shoot_id": 1, "on": "pictures"}
    answer = client.post(f"/standards/{row}/overlays/mark/place", data=values)
    assert answer.status_code == 200 and '"overlays.mark.at": "top left"' in answer.headers["HX-Trigger"]
    assert '"overlays.mark.size": "8"' in answer.headers["HX-Trigger"]
    for wrong in ({"photo": 7}, {"x": "nan"}, {"factor": 0}):
        assert client.post(f"/standards/{row}/overlays/mark/place", data=values | wrong).status_code in (404, 422)
    assert client.post(f"/standards/{row}/overlays/other/place", data=values).status_code == 404
    client.post(f"/standards/{row}/step/undo", data={"shoot_id": 1})
    assert "the bottom right" in client.get(f"/standards/{row}?shoot=1").text


def test_sizes_are_kept_under_a_name_and_made_elsewhere(client: TestClient) -> None:
    begun(client, picture("wide.jpg", (640, 480)))
    client.post(f"{PAGE}/sizes", data={"kind": "400 webp, 64x64 png"})
    assert client.post(f"{PAGE}/set", data={"name": "Market  place"}).status_code == 200
    for name in ("", "Zoom", "x" * 70):
        refused = client.post(f"{PAGE}/set", data={"name": name})
        assert refused.status_code == 409 and "Not kept" in refused.text
    begun(client, picture("other.jpg", (320, 240)), name="Second")
    page = client.get("/shoots/2/whole").text
    assert "your own: pictures, 400, 64x64" in page
    client.post("/shoots/2/whole/sizes", data={"kind": "market place"})
    assert all(f"deliverables.{name}.size" in client.get("/shoots/2/whole").text for name in ("pictures 2", "400 2"))
    client.post("/standards/1/parts/deliverables", data={"kind": "Market place"})
    assert "deliverables.64x64.format" in client.get("/standards/1").text
    assert client.post("/standards/1/sets", data={"name": "zoom"}).status_code == 409
    client.post("/standards/1/sets", data={"name": "All of the shop"})
    client.post("/shoots/2/whole/set", data={"forget": "Market place"})
    page = client.get("/shoots/2/whole").text
    assert "Market place" not in page and "All of the shop" in page


def test_standards_of_plain_shoots_do_not_fill_the_list(client: TestClient) -> None:
    for at in range(3):
        begun(client, picture("a.jpg", (64, 64)), name=f"Plain {at}")
    page = client.get("/standards").text
    before, _, folded = page.partition("3 of plain shoots")
    assert "Whole pictures" not in before[before.index("<main") :] and folded.count("Whole pictures, Plain") >= 3
