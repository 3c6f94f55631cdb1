"""Bursts in a shoot: the best counts, a person may choose another, and all of it can be undone."""

from collections.abc import Iterator
from io import BytesIO
from pathlib import Path

import pytest
from PIL import ExifTags, Image, ImageFilter
from sqlalchemy.orm import Session
from support import PHOTOS, new_library

from zero_easel.core.photos.decoding import decode_photo
from zero_easel.core.photos.reading import read
from zero_easel.library.batches import plan_shoot
from zero_easel.library.changes.history import Where
from zero_easel.library.changes.matches import ensure_matched
from zero_easel.library.changes.repairs import MatchError, choose, set_bursts
from zero_easel.library.changes.undo import redo, undo
from zero_easel.library.latest import burst_of, doubts_about, latest
from zero_easel.library.lists.lines import lines_of
from zero_easel.library.shoots import bring_in, create_shoot, store_reading
from zero_easel.library.store.models import Shoot, Stage
from zero_easel.library.store.vault import Vault


def shot(blurred: float, second: int) -> bytes:
    file = BytesIO()
    with Image.open(PHOTOS / "BRYD0105.JPG") as photo:
        exif = photo.getexif()
        exif.get_ifd(ExifTags.IFD.Exif)[ExifTags.Base.DateTimeOriginal] = f"2026:11:02 10:00:{second:02}"
        photo.reduce(2).filter(ImageFilter.GaussianBlur(blurred)).save(file, "JPEG", exif=exif)
    return file.getvalue()


@pytest.fixture
def session(tmp_path: Path) -> Iterator[Session]:
    """A shoot of a burst of three and a photo a minute later."""
    database, vault = new_library(tmp_path / "zero-easel.sqlite"), Vault(tmp_path)
    vault.prepare()
    with database.session() as session:
        shoot = create_shoot(session, "Shelf")
        for name, blurred, second in (("A1", 2, 0), ("A2", 0, 0), ("A3", 1.5, 1), ("A4", 0, 59)):
            data = shot(blurred, second)
            bring_in(session, vault, shoot, data, f"{name}.JPG")
            photo = decode_photo(data, name)
            store_reading(session, lines_of(session, shoot.id)[-1].digest, read(photo.pixels))
        ensure_matched(session, shoot)
        yield session
    database.close()


def counting(session: Session) -> list[str]:
    shoot = session.get_one(Shoot, 1)
    return [line.name for line, _ in plan_shoot(session, shoot).pictures]


def named(session: Session, name: str) -> int:
    return next(line.id for line in lines_of(session, 1) if line.name == name)


def test_the_sharp_one_counts_and_the_others_say_which(session: Session) -> None:
    assert counting(session) == ["A2.JPG", "A4.JPG"]
    lines = {line.name: line for line in lines_of(session, 1)}
    assert lines["A1.JPG"].doubt == "A2.JPG of the same burst is sharper"
    assert {one.name for one in burst_of(session, lines["A3.JPG"], 1)} == {"A1.JPG", "A2.JPG", "A3.JPG"}
    assert burst_of(session, lines["A4.JPG"], 1) == []
    assert [line.name for line in latest(session, 1)] == ["A2.JPG", "A4.JPG"]
    assert doubts_about(session, lines["A1.JPG"]) == ["It is not sharp"]


def test_another_one_is_chosen_undone_and_chosen_again(session: Session) -> None:
    shoot, here = session.get_one(Shoot, 1), Where(Stage.MATCH, 1)
    choose(session, shoot, [named(session, "A3.JPG")])
    assert counting(session) == ["A3.JPG", "A4.JPG"]
    choose(session, shoot, [named(session, "A1.JPG")])
    assert counting(session) == ["A1.JPG", "A4.JPG"]
    undo(session, here)
    assert counting(session) == ["A3.JPG", "A4.JPG"]
    undo(session, here)
    assert counting(session) == ["A2.JPG", "A4.JPG"]
    redo(session, here)
    assert counting(session) == ["A3.JPG", "A4.JPG"]
    with pytest.raises(MatchError, match="of no burst"):
        choose(session, shoot, [named(session, "A4.JPG")])


def test_all_of_them_count_if_a_person_says_so(session: Session) -> None:
    shoot = session.get_one(Shoot, 1)
    set_bursts(session, shoot, False)
    assert len(counting(session)) == 4
    undo(session, Where(Stage.MATCH, 1))
    assert shoot.bursts and len(counting(session)) == 2
