"""Watched folders: real files, a real library, and the thread that looks."""

import shutil
from collections.abc import Iterator
from pathlib import Path

import pytest
from sqlalchemy import select
from support import CATALOG, PHOTOS, new_library, until

from zero_easel.doors.folders import WatchError, folder_of, rest, watch_folder
from zero_easel.doors.watching import Watcher
from zero_easel.library.lists.lines import PhotoLine, lines_of
from zero_easel.library.products import count_products
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.doors import Arrival, WatchedFolder
from zero_easel.library.store.models import Shoot
from zero_easel.library.store.vault import Vault


class Place:
    """A library with one shoot, a folder, and a watcher that may be started again."""

    def __init__(self, base: Path) -> None:
        self.data, self.folder = base / "data", base / "shots"
        self.folder.mkdir()
        self.database, self.vault = new_library(self.data / "zero-easel.sqlite"), Vault(self.data)
        self.vault.prepare()
        with self.database.session() as session:
            create_shoot(session, "Shelf")
        self.watcher = self._new()
        self.going = False

    def _new(self) -> Watcher:
        return Watcher(self.database, self.vault, lambda: None, lambda _: None)

    def start(self) -> None:
        self.watcher = self._new()
        self.watcher.start()
        self.going = True

    def stop(self) -> None:
        if self.going:
            self.watcher.stop()
            self.going = False

    def watch(self, *, moves: bool = False, finishes: bool = False) -> None:
        with self.database.session() as session:
            watch_folder(session, session.get_one(Shoot, 1), self.folder, self.data, moves=moves, finishes=finishes)

    def copy(self, photo: str, name: str = "") -> Path:
        return Path(shutil.copy(PHOTOS / photo, self.folder / (name or photo)))

    def lines(self) -> list[PhotoLine]:
        with self.database.session() as session:
            return list(lines_of(session, 1))

    def names(self) -> set[str]:
        return {line.name for line in self.lines()}

    def arrivals(self) -> dict[str, tuple[bool, str]]:
        with self.database.session() as session:
            return {row.path: (row.ok, row.said) for row in session.scalars(select(Arrival))}

    def folder_row(self) -> WatchedFolder:
        with self.database.session() as session:
            found = folder_of(session, 1)
            assert found is not None
            return found


@pytest.fixture
def place(tmp_path: Path) -> Iterator[Place]:
    place = Place(tmp_path)
    yield place
    place.stop()
    place.database.close()


def test_photos_and_tables_come_in_and_stay_where_they_are(place: Place) -> None:
    place.watch()
    place.start()
    shutil.copy(CATALOG, place.folder)
    place.copy("BRYD0105.JPG")
    (place.folder / "inner").mkdir()
    place.copy("BRYD0106.JPG", "inner/BRYD0106.JPG")
    until(lambda: len(place.arrivals()) == 3)
    assert place.names() == {"BRYD0105.JPG", "BRYD0106.JPG"}
    assert {line.folder for line in place.lines()} == {"", "inner"}
    with place.database.session() as session:
        assert count_products(session) == 15
    assert len(list(place.folder.rglob("*.*"))) == 3


def test_what_is_refused_goes_aside_with_its_reason_and_all_else_to_what_is_done(place: Place) -> None:
    place.watch(moves=True)
    place.start()
    place.copy("BRYD0105.JPG")
    (place.folder / "bad.png").write_bytes(b"no picture at all")
    until(lambda: (place.folder / "refused/bad.png").exists() and (place.folder / "done/BRYD0105.JPG").exists())
    assert "bad.png" in (place.folder / "refused/bad.png.txt").read_text()
    assert place.arrivals()["bad.png"][0] is False
    # The same name once more: neither of the two is written over.
    place.copy("BRYD0106.JPG", "BRYD0105.JPG")
    until(lambda: (place.folder / "done/BRYD0105 (2).JPG").exists())
    assert (place.folder / "done/BRYD0105.JPG").read_bytes() == (PHOTOS / "BRYD0105.JPG").read_bytes()
    assert len(place.lines()) == 3


def test_nothing_comes_twice_after_a_restart_and_what_came_meanwhile_does(place: Place) -> None:
    place.watch(moves=True)
    place.copy("BRYD0105.JPG")
    place.start()
    until(lambda: (place.folder / "done/BRYD0105.JPG").exists())
    place.stop()
    # Ended between taking a file and putting it away: it lies there still, and is known.
    shutil.move(place.folder / "done/BRYD0105.JPG", place.folder / "BRYD0105.JPG")
    place.copy("BRYD0106.JPG")
    place.start()
    until(lambda: {path.name for path in (place.folder / "done").iterdir()} == {"BRYD0105.JPG", "BRYD0106.JPG"})
    assert sorted(line.name for line in place.lines()) == ["BRYD0105.JPG", "BRYD0106.JPG"]


def test_a_file_that_is_renamed_is_the_same_photo(place: Place) -> None:
    place.watch()
    place.start()
    file = place.copy("BRYD0105.JPG", "BRYD0105.JPG")
    until(lambda: place.names() == {"BRYD0105.JPG"})
    file.rename(place.folder / "BY-2104_front.jpg")
    until(lambda: place.names() == {"BY-2104_front.jpg"})
    assert place.arrivals() == {"BY-2104_front.jpg": (True, "BY-2104_front.jpg was called BRYD0105.JPG.")}


def test_a_damaged_file_that_comes_whole_later_takes_its_own_place(place: Place) -> None:
    place.watch()
    place.start()
    whole = (PHOTOS / "BRYD0105.JPG").read_bytes()
    file = place.folder / "A.JPG"
    file.write_bytes(whole[: len(whole) // 2])
    until(lambda: place.arrivals().get("A.JPG", (True, ""))[0] is False)
    assert place.lines()[0].error
    file.write_bytes(whole)
    until(lambda: place.arrivals()["A.JPG"][0])
    assert [(line.name, line.error) for line in place.lines()] == [("A.JPG", "")]


def test_a_folder_that_goes_is_told_and_looked_for_again(place: Place) -> None:
    place.watch()
    place.start()
    place.folder.rename(place.folder.with_name("gone"))
    until(lambda: "is not there at the moment" in place.folder_row().trouble)
    place.folder.with_name("gone").rename(place.folder)
    place.copy("BRYD0105.JPG")
    until(lambda: place.names() == {"BRYD0105.JPG"} and place.folder_row().trouble == "")


def test_a_folder_at_rest_takes_nothing(place: Place) -> None:
    place.watch()
    with place.database.session() as session:
        rest(session, 1)
    place.copy("BRYD0105.JPG")
    place.start()
    place.stop()
    assert place.lines() == [] and place.arrivals() == {}


def test_which_folders_may_be_watched(place: Place, tmp_path: Path) -> None:
    def refusal(path: Path, **more: object) -> str:
        with place.database.session() as session, pytest.raises(WatchError) as caught:
            shoot = session.get_one(Shoot, 1)
            watch_folder(session, shoot, path, place.data, moves=False, finishes=False, **more)  # type: ignore[arg-type]
        return str(caught.value)

    assert "whole path" in refusal(Path("shots"))
    assert "no folder" in refusal(tmp_path / "nowhere")
    assert "must not hold each other" in refusal(place.data / "originals")
    assert "must not hold each other" in refusal(tmp_path)
    assert "is not within" in refusal(place.folder, within=[tmp_path / "other"])
    (place.folder / "out").symlink_to(tmp_path / "data")
    assert "is not within" in refusal(place.folder / "out", within=[place.folder])
    place.watch()
    with place.database.session() as session:
        other = create_shoot(session, "Wall")
        with pytest.raises(WatchError, match="another shoot"):
            watch_folder(session, other, place.folder, place.data, moves=False, finishes=False)
        made = watch_folder(session, other, place.data / "in" / "Wall", place.data, moves=True, finishes=True)
        assert Path(made.path).is_dir()
