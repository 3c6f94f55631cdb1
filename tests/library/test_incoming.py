"""Files, archives and tables on their way in; and shoots on their way out."""

import io
import os
import threading
import zipfile
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from sqlalchemy import event, func, select
from support import AWKWARD, CATALOG, PHOTOS, new_library, zero_easel

from zero_easel.core.photos.reading import Reading
from zero_easel.core.standard.rules import Canvas
from zero_easel.library.changes.matches import ensure_matched, rematch
from zero_easel.library.incoming import Report, take
from zero_easel.library.lists.lines import PhotoLine, lines_of
from zero_easel.library.lists.listing import Ask, listed, wanted_ids
from zero_easel.library.products import compare_catalog, find_products, free_columns, import_catalog
from zero_easel.library.shoots import bring_in, contents_of, create_shoot, delete_shoot, store_reading
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Original, PhotoRow, ProductRow, Shoot
from zero_easel.library.store.vault import Vault


@pytest.fixture
def place(tmp_path: Path) -> tuple[Database, Vault]:
    database, vault = new_library(tmp_path / "zero-easel.sqlite"), Vault(tmp_path)
    vault.prepare()
    with database.session() as session:
        create_shoot(session, "Shelf")
    return database, vault


def archive(**files: bytes) -> io.BytesIO:
    kept = io.BytesIO()
    with zipfile.ZipFile(kept, "w") as target:
        for name, data in files.items():
            target.writestr(name, data)
    kept.seek(0)
    return kept


def photo_of_grey(level: int) -> bytes:
    kept = io.BytesIO()
    Image.new("RGB", (64, 48), (level, level, level)).save(kept, "png")
    return kept.getvalue()


def lines(place: tuple[Database, Vault]) -> list[PhotoLine]:
    with place[0].session() as session:
        return lines_of(session, 1)


def test_an_archive_is_unpacked_tables_first_and_a_bad_file_stops_nothing(place: tuple[Database, Vault]) -> None:
    photo = (PHOTOS / "BRYD0105.JPG").read_bytes()
    files = {"day/BY-2104.JPG": photo, "__MACOSX/x.jpg": b"x", "day/.hidden.jpg": b"x", "../../up.JPG": photo,
             "broken.jpg": b"no picture", "products.csv": CATALOG.read_bytes()}  # fmt: skip
    reports = list(take(*place, 1, "all.zip", archive(**files)))
    assert [(r.name, r.kind, r.ok) for r in reports] == [
        ("all.zip", "archive", True), ("products.csv", "table", True), ("BY-2104.JPG", "photo", True),
        ("up.JPG", "photo", True), ("broken.jpg", "photo", False),
    ]  # fmt: skip
    assert reports[0].of == 4 and "same picture as BY-2104.JPG" in reports[3].message
    assert {(line.folder, line.name) for line in lines(place)} == {
        ("day", "BY-2104.JPG"), ("", "up.JPG"), ("", "broken.jpg"),
    }  # fmt: skip


def test_a_damaged_archive_is_told(place: tuple[Database, Vault]) -> None:
    whole = archive(**{"a.jpg": (PHOTOS / "BRYD0105.JPG").read_bytes()}).getvalue()
    spoiled = whole[:2000] + b"\0" * 3000 + whole[5000:]
    assert [r.message for r in take(*place, 1, "a.zip", io.BytesIO(spoiled))][1:] == [
        "a.jpg is damaged within the archive."
    ]
    assert [r.ok for r in take(*place, 1, "b.zip", io.BytesIO(whole[:500]))] == [False]
    assert "holds no files" in next(iter(take(*place, 1, "c.zip", archive()))).message
    assert lines(place) == []


def test_a_table_that_would_change_products_is_looked_at_first(place: tuple[Database, Vault]) -> None:
    def one(data: bytes) -> Report:
        return next(iter(take(*place, 1, "p.csv", io.BytesIO(data))))

    assert one(b"code,name,material\nA,Cup,tin\n").ok
    again = one(b"code,name,material\nA,Mug,tin\nB,Jug,\n")
    assert not again.ok and "would change A" in again.message and place[1].aside(again.look).is_file()
    with place[0].session() as session:
        assert [p.name for p in find_products(session, "")] == ["Cup"] and free_columns(session) == ["material"]
        compared = compare_catalog(session, place[1].aside(again.look).read_bytes(), "p.csv")
        assert compared.differences[0].fields == {"name": ("Cup", "Mug")} and [p.code for p in compared.new] == ["B"]
        import_catalog(session, b"code,colour\na,red\n", "c.csv")
        kept = find_products(session, "A")[0]
        assert (kept.code, kept.name, kept.colour, kept.extra) == ("a", "Cup", "red", {"material": "tin"})
    unknown = one(b"number,name\n1,Cup\n")
    assert not unknown.ok and unknown.look


def test_columns_mapped_by_hand_are_remembered(place: tuple[Database, Vault]) -> None:
    with place[0].session() as session:
        import_catalog(session, b"number,name\n7,Cup\n", "a.csv", {"number": "code", "name": "colour"})
        assert find_products(session, "7")[0].colour == "Cup"
        import_catalog(session, b"Number,name\n8,Pot\n", "b.csv")
        assert find_products(session, "8")[0].colour == "Pot"


@pytest.mark.slow
def test_fifty_thousand_products_come_in(place: tuple[Database, Vault]) -> None:
    rows = "\n".join(f"P-{n},Thing {n}" for n in range(50_000))
    with place[0].session() as session:
        assert import_catalog(session, f"code,name\n{rows}".encode(), "big.csv").added == 50_000
        assert import_catalog(session, f"code,name\n{rows}".encode(), "big.csv").changed == 0
        assert session.scalar(select(func.count()).select_from(ProductRow)) == 50_000
        assert [p.code for p in find_products(session, "thing 4999", 2)] == ["P-14999", "P-24999"]


def test_the_list_is_sorted_filtered_and_paged(place: tuple[Database, Vault]) -> None:
    for at, size in enumerate((700, 1500, 900)):
        kept = io.BytesIO()
        Image.new("RGB", (size, 500), (200, 200, at)).save(kept, "PNG")
        list(take(*place, 1, f"P{at}.png", io.BytesIO(kept.getvalue())))
    list(take(*place, 1, "copy.png", io.BytesIO(kept.getvalue())))
    list(take(*place, 1, "bad.jpg", io.BytesIO(b"x")))
    with place[0].session() as session:
        store_reading(
            session,
            next(line.digest for line in lines_of(session, 1) if line.name == "P0.png"),
            Reading((), False, 3.0),
        )
    shown = lines(place)
    canvas = Canvas(width=1500, height=500)
    names = [line.name for line in listed(shown, Ask(sort="pixels", down=True), canvas).lines]
    assert names == ["P1.png", "copy.png", "P2.png", "P0.png", "bad.jpg"]
    page = listed(shown, Ask(show="small", under=1000), canvas)
    assert {line.name for line in page.lines} == {"P0.png", "P2.png", "copy.png"}
    assert page.counts["twice"] == 2 and page.counts["ready"] == 1 and page.counts["broken"] == 1
    assert page.counts["soft"] == 1
    assert listed(shown, Ask(page=99), canvas).page == 1
    assert len(wanted_ids(shown, Ask(show="ready"), canvas)) == 1 and wanted_ids(shown, Ask(), canvas) == []


def test_deleting_a_shoot_keeps_the_originals(place: tuple[Database, Vault]) -> None:
    list(take(*place, 1, "a.JPG", (PHOTOS / "BRYD0105.JPG").open("rb")))
    digest = lines(place)[0].digest
    with place[0].session() as session:
        assert contents_of(session, 1).photos == 1
        from zero_easel.library.store.models import Shoot

        delete_shoot(session, place[1], session.get_one(Shoot, 1))
    with place[0].session() as session:
        assert session.scalar(select(func.count()).select_from(PhotoRow)) == 0
        assert session.get(Original, digest) is not None
    assert place[1].original(digest).exists()


def test_the_command_brings_folders_in(tmp_path: Path) -> None:
    folder, data = tmp_path / "card", tmp_path / "data"
    (folder / "101").mkdir(parents=True)
    for name, source in (("101/BRYD0105.JPG", PHOTOS / "BRYD0105.JPG"), ("zero.jpg", AWKWARD / "zero-bytes.jpg"),
                         ("products.csv", CATALOG), ("notes.md", CATALOG)):  # fmt: skip
        (folder / name).write_bytes(source.read_bytes())
    done = zero_easel("bring-in", folder, "--recursive", "--shoot", "Day one", "--data", data)
    assert done.returncode == 1 and "1 photos brought in, 1 with a problem" in done.stdout, done.stderr
    assert "zero.jpg is empty" in done.stderr and "15 products added" in done.stderr
    again = zero_easel("bring-in", folder / "101", "--shoot", "Day one", "--data", data)
    assert again.returncode == 0
    database = Database(data / "zero-easel.sqlite")
    with database.session() as session:
        assert [(line.folder, line.name) for line in lines_of(session, 1) if not line.error] == [
            ("101", "BRYD0105.JPG"), ("", "BRYD0105.JPG"),
        ]  # fmt: skip
    database.close()
    nothing = zero_easel("bring-in", tmp_path / "gone", "--shoot", "x", "--data", data)
    assert nothing.returncode == 2 and "does not exist" in nothing.stderr


@pytest.mark.parametrize("known_stale", [False, True])
def test_what_comes_in_while_its_shoot_is_matched_is_matched_as_well(
    place: tuple[Database, Vault], known_stale: bool
) -> None:
    database, vault = place

    def bring(name: str, data: bytes) -> None:
        with database.session() as session:
            bring_in(session, vault, session.get_one(Shoot, 1), data, name)

    first, second = (photo_of_grey(level) for level in (90, 120))
    with database.session() as session:
        import_catalog(session, b"code,name\nA-1,Cup\nB-2,Jug\n", "products.csv")
    bring("A-1 front.png", first)
    if not known_stale:
        with database.session() as session:
            rematch(session, session.get_one(Shoot, 1))
    late = threading.Thread(target=bring, args=("B-2 front.png", second))

    def meanwhile(_connection: object, _cursor: object, statement: str, *_: object) -> None:
        # As soon as the shoot's photos have been read, another one is on its way in.
        if late.ident is None and statement.startswith("SELECT photo"):
            late.start()
            late.join(2)

    with database.session() as session:
        shoot = session.get_one(Shoot, 1)
        event.listen(database.engine, "after_cursor_execute", meanwhile)
        rematch(session, shoot)
    late.join()
    with database.session() as session:
        ensure_matched(session, session.get_one(Shoot, 1))
    with database.session() as session:
        assert sorted(line.code for line in lines_of(session, 1)) == ["A-1", "B-2"]


def packed(files: dict[str, bytes], kind: int = zipfile.ZIP_DEFLATED) -> bytearray:
    kept = io.BytesIO()
    with zipfile.ZipFile(kept, "w", kind) as target:
        for name, data in files.items():
            target.writestr(name, data)
    return bytearray(kept.getvalue())


@pytest.mark.parametrize("kind", [zipfile.ZIP_DEFLATED, zipfile.ZIP_LZMA, zipfile.ZIP_BZIP2])
def test_a_damaged_member_is_told_and_the_rest_comes_in(place: tuple[Database, Vault], kind: int) -> None:
    noise = np.random.default_rng(1).integers(0, 50, 40_000, np.uint8).tobytes()
    data = packed({"a.jpg": noise, "b.png": photo_of_grey(90), "p.csv": b"code,name\nA-1,Cup\n"}, kind)
    data[60:400] = b"\xa5" * 340
    reports = {r.name: r for r in take(*place, 1, "all.zip", io.BytesIO(bytes(data)))}
    assert not reports["a.jpg"].ok and reports["a.jpg"].message == "a.jpg is damaged within the archive."
    assert reports["b.png"].ok and reports["p.csv"].ok


def test_archives_that_would_fill_the_disk_are_refused_before_they_do(place: tuple[Database, Vault]) -> None:
    bomb = packed({f"{n}.tif": bytes(10_000_000) for n in range(25)})
    overlapping = packed({"a.png": photo_of_grey(90), "b.png": photo_of_grey(91)}, zipfile.ZIP_STORED)
    directory = overlapping.index(b"PK\x01\x02")
    second = overlapping.index(b"PK\x01\x02", directory + 4)
    overlapping[second + 42 : second + 46] = overlapping[directory + 42 : directory + 46]
    for data, reason in ((bomb, "would unpack to 0.2 GB"), (overlapping, "lie over each other")):
        (report,) = take(*place, 1, "all.zip", io.BytesIO(bytes(data)))
        assert not report.ok and reason in report.message
    assert not lines(place)


def test_what_is_no_picture_is_told_and_not_kept(place: tuple[Database, Vault]) -> None:
    broken = (PHOTOS / "BRYD0105.JPG").read_bytes()[:50_000]
    reports = list(take(*place, 1, "x.zip", archive(**{"a.jpg": b"no picture" * 500, "b.jpg": broken})))
    assert [r.ok for r in reports] == [True, False, False]
    kept = [path.read_bytes() for path in (place[1].local / "originals").rglob("*") if path.is_file()]
    assert kept == [broken] and len(lines(place)) == 2


def test_a_file_name_that_is_no_text_comes_in_with_marks(tmp_path: Path) -> None:
    photos, data = tmp_path / "photos", tmp_path / "data"
    photos.mkdir()
    Path(os.fsdecode(os.fsencode(photos) + b"/caf\xe9 \xff.png")).write_bytes(photo_of_grey(90))
    Path(os.fsdecode(os.fsencode(photos) + b"/br\xe9.jpg")).write_bytes(b"no picture")
    done = zero_easel("bring-in", photos, "--shoot", "Odd", "--data", data)
    assert done.returncode == 1 and "br\ufffd.jpg is not a picture" in done.stderr
    database = Database(data / "zero-easel.sqlite")
    with database.session() as session:
        assert {line.name for line in lines_of(session, 1)} == {"caf\ufffd \ufffd.png", "br\ufffd.jpg"}
    database.close()
