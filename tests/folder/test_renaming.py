"""Renaming photos without touching a pixel, and back again."""

import csv
import io
import os
import shutil
import time
import zipfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from support import CATALOG, PHOTOS, SHOTLIST, zero_easel

from zero_easel.core.catalog.plan import Planned
from zero_easel.core.standard.naming import one_file, portable
from zero_easel.folder.renaming import NAME, Copy, RenameError, copy_under_new_names, undo


def contents(folder: Path) -> dict[str, bytes]:
    return {p.relative_to(folder).as_posix(): p.read_bytes() for p in folder.rglob("*") if p.is_file()}


@pytest.fixture
def photos(tmp_path: Path) -> Path:
    folder = tmp_path / "photos"
    (folder / "day 2").mkdir(parents=True)
    for name in ("BRYD0104.JPG", "BRYD0105.JPG", "BRYD0106.JPG"):
        shutil.copy(PHOTOS / name, folder)
    shutil.copy(PHOTOS / "BRYD0114.JPG", folder / "day 2")
    return folder


def test_photos_are_copied_under_new_names_and_back(photos: Path, tmp_path: Path) -> None:
    before, out = contents(photos), tmp_path / "out"
    done = zero_easel("rename", photos, "--recursive", "--out", out, "--catalog", CATALOG, "--pattern",
                      "{name:slug}_{view}_{n:02}", "--folder", "{category}/{code}")  # fmt: skip
    assert done.returncode == 0 and "3 copies" in done.stdout, done.stderr
    assert contents(photos) == before
    table = list(csv.DictReader((out / NAME).open(encoding="utf-8")))
    # The card's product goes on until the file that is missing; the pot, of which no card tells, is to make sure of.
    assert [row["new"] for row in table][:2] == [
        "kitchen/BY-2104-BL/enamel-mug-0-4-l-blue_front_01.jpg", "kitchen/BY-2104-BL/enamel-mug-0-4-l-blue_2_02.jpg",
    ]  # fmt: skip
    assert "BRYD0114.JPG: file BRYD0107" in done.stderr
    assert {(out / row["new"]).read_bytes() for row in table} == {v for k, v in before.items() if "0104" not in k}
    back = zero_easel("rename", "--undo", out / NAME)
    assert back.returncode == 0 and "3 files have their old names" in back.stdout
    assert contents(out) == {k: v for k, v in before.items() if "0104" not in k}
    assert [p.name for p in out.iterdir() if p.is_dir()] == ["day 2"]


def test_the_shot_list_names_and_an_archive_holds_the_copies(photos: Path, tmp_path: Path) -> None:
    out = tmp_path / "all.zip"
    when, long_ago = time.mktime((2024, 2, 29, 12, 30, 44, 0, 0, -1)), 1000.0
    os.utime(photos / "BRYD0105.JPG", (when, when))
    os.utime(photos / "BRYD0106.JPG", (long_ago, long_ago))
    done = zero_easel("rename", photos, "--out", out, "--catalog", CATALOG, "--shotlist", SHOTLIST)
    assert done.returncode == 0, done.stderr
    with zipfile.ZipFile(out) as archive:
        assert sorted(archive.namelist()) == ["BY-2104-BL_front.jpg", "BY-2104-BL_side.jpg", NAME]
        assert archive.read("BY-2104-BL_side.jpg") == (PHOTOS / "BRYD0106.JPG").read_bytes()
        assert next(csv.reader(io.StringIO(archive.read(NAME).decode()))) == ["old", "new", "sha256"]
        dates = [archive.getinfo(f"BY-2104-BL_{view}.jpg").date_time for view in ("front", "side")]
        assert dates == [(2024, 2, 29, 12, 30, 44), (1980, 1, 1, 0, 0, 0)]  # the format knows no earlier one
    again = zero_easel("rename", photos, "--out", out)
    assert again.returncode == 2 and "exists already" in again.stderr


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--pattern", "{cod}"], "did you mean 'code'"),
        (["--pattern", "{code}"], "BY-2104-BL.jpg would come from BRYD0105.JPG and BRYD0106.JPG"),
        (["--count", "week"], "must be 'product', 'folder' or 'run'"),
    ],
)
def test_what_cannot_be_named_is_told_and_nothing_is_written(photos: Path, arguments: list[str], said: str) -> None:
    out = photos.parent / "out"
    done = zero_easel("rename", photos, "--out", out, "--catalog", CATALOG, *arguments)
    assert done.returncode == 2 and said in done.stderr and not out.exists()


def test_names_are_shown_before_anything_happens(photos: Path) -> None:
    shown = zero_easel("rename", photos, "--catalog", CATALOG, "--show")
    assert "BRYD0105.JPG\tBY-2104-BL_front.jpg" in shown.stdout and len(list(photos.parent.iterdir())) == 1


def test_a_changed_or_missing_copy_stops_the_undoing(photos: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    zero_easel("rename", photos, "--out", out, "--catalog", CATALOG)
    before = contents(out)
    (out / "BY-2104-BL_2.jpg").write_bytes(b"edited")
    refused = zero_easel("rename", "--undo", out / NAME)
    assert refused.returncode == 2 and "BY-2104-BL_2.jpg was changed since" in refused.stderr
    assert contents(out) == {**before, "BY-2104-BL_2.jpg": b"edited"}
    (out / NAME).write_text("old,new,sha256\n../../x,BY-2104-BL_2.jpg,0\n")
    assert "which is not a file beside it" in zero_easel("rename", "--undo", out / NAME).stderr


names = st.text("ab/.ö A1", min_size=1, max_size=6).map(portable)


@settings(max_examples=40, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.lists(
        st.tuples(names, names), min_size=1, max_size=8, unique_by=(lambda p: one_file(p[0]), lambda p: one_file(p[1]))
    )
)
def test_rename_and_undo_give_back_the_same_bytes_and_names(
    tmp_path_factory: pytest.TempPathFactory, pairs: list[tuple[str, str]]
) -> None:
    folder, out = tmp_path_factory.mktemp("old"), tmp_path_factory.mktemp("new")
    for at, (old, _) in enumerate(pairs):
        (folder / old).write_bytes(bytes([at]) * 3)
    before = contents(folder)
    sources = [Copy(old, folder / old, Planned(old, "", "", new)) for old, new in pairs]
    copied = copy_under_new_names(sources, out)
    assert {copy.new for copy in copied} == {new for _, new in pairs} == set(contents(out)) - {NAME}
    assert undo(out / NAME) == len(pairs)
    assert contents(out) == before == contents(folder)


def test_two_copies_with_one_name_are_refused(tmp_path: Path) -> None:
    (tmp_path / "a").write_bytes(b"1")
    sources = [Copy(n, tmp_path / "a", Planned(n, "", "", "X.jpg")) for n in ("a", "b")]
    with pytest.raises(RenameError, match=r"X\.jpg would come from a and b"):
        copy_under_new_names(sources, tmp_path / "out")
