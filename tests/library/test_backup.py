"""Backups: of a real library, brought back, and what is found to be wrong with one."""

import shutil
import sqlite3
from pathlib import Path

import pytest
from handing import House, picture_bytes
from sqlalchemy import select
from support import zero_easel

from zero_easel.library.backup import BackupError, back_up, restore, verify
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Original, PictureRow
from zero_easel.library.store.vault import Vault


@pytest.fixture
def house(tmp_path: Path) -> House:
    return House(tmp_path / "data", 5)


def faults(data: Path) -> list[str]:
    return [fault.why for fault in verify(data, Vault(data))]


def rows(data: Path) -> list[tuple[str, str]]:
    database = Database(data / "zero-easel.sqlite")
    with database.session() as session:
        query = select(PictureRow.output, PictureRow.sha256).order_by(PictureRow.id)
        found = [(output, sha256) for output, sha256 in session.execute(query)]
    database.close()
    return found


def test_a_backup_comes_back_as_it_was_and_only_what_is_new_is_copied(house: House, tmp_path: Path) -> None:
    kept, back = tmp_path / "kept", tmp_path / "back"
    first = back_up(house.data, house.vault, kept)
    assert first.files == 8 and first.kept == 0  # five pictures, an original and its two small ones
    assert back_up(house.data, house.vault, kept)[::2] == (0, 8)
    house.run([("new.jpg", picture_bytes(50), "BY-2101")])
    assert back_up(house.data, house.vault, kept)[::2] == (1, 8)
    assert restore(kept, back, Vault(back)).files == 9
    assert rows(back) == rows(house.data) and faults(back) == []
    original = next((back / "originals").rglob("*/*"))
    assert not original.stat().st_mode & 0o222
    with pytest.raises(BackupError, match="holds a library already"):
        restore(kept, back, Vault(back))


def test_it_is_taken_while_the_library_is_written_to(house: House, tmp_path: Path) -> None:
    with house.database.session() as session:
        session.add(Original(digest="f" * 64, bytes=1, error="half written"))
        session.flush()
        back_up(house.data, house.vault, tmp_path / "kept")
    back = tmp_path / "back"
    restore(tmp_path / "kept", back, Vault(back))
    assert rows(back) == rows(house.data) and faults(back) == []
    assert "half written" not in str(
        sqlite3.connect(back / "zero-easel.sqlite").execute("SELECT error FROM original").fetchall()
    )


def test_what_is_damaged_is_found(house: House) -> None:
    assert faults(house.data) == []
    original = next((house.data / "originals").rglob("*/*"))
    content = bytearray(original.read_bytes())
    content[len(content) // 2] ^= 1
    original.chmod(0o644)
    original.write_bytes(content)
    house.vault.picture(1, "BY-2000_front.jpg").path().write_bytes(b"another")
    house.vault.picture(1, "BY-2001_front.jpg").path().unlink()
    assert faults(house.data) == [
        "the original of A.JPG is damaged: its content is not what its name says",
        "BY-2000_front.jpg of run 1 is not the file that was made",
        "BY-2001_front.jpg of run 1 is not there",
    ]
    told = zero_easel("verify", "--data", house.data)
    assert told.returncode == 1 and "3 faults." in told.stdout
    assert len(zero_easel("verify", "--json", "--data", house.data).stdout.splitlines()) == 3
    original.unlink()
    assert "the original of A.JPG is not there" in faults(house.data)
    house.database.close()
    with sqlite3.connect(house.data / "zero-easel.sqlite") as connection:
        connection.execute("DELETE FROM original")
    assert faults(house.data) == ["the tables are damaged (a row of photo names one of original that is not there)"]


def test_a_backup_that_is_damaged_is_not_brought_back_in_silence(house: House, tmp_path: Path) -> None:
    kept, back = tmp_path / "kept", tmp_path / "back"
    back_up(house.data, house.vault, kept)
    shutil.copytree(kept, tmp_path / "sound")
    picture = kept / "files/runs/1/BY-2000_front.jpg"
    picture.write_bytes(picture.read_bytes()[:-1] + b"x")
    with pytest.raises(BackupError, match="is damaged: it is not what was backed up"):
        restore(kept, back, Vault(back))
    # What broke off is begun again, from a sound one.
    assert restore(tmp_path / "sound", back, Vault(back)).kept > 0
    assert faults(back) == []


def test_what_cannot_be_is_wrong_usage(house: House, tmp_path: Path) -> None:
    assert zero_easel("backup", house.data / "within", "--data", house.data).returncode == 2
    assert zero_easel("backup", tmp_path / "kept", "--data", tmp_path / "nowhere").returncode == 2
    assert zero_easel("restore", tmp_path / "nothing", "--data", tmp_path / "back").returncode == 2
    assert zero_easel("verify", "--data", tmp_path / "nowhere").returncode == 2
    (tmp_path / "kept").mkdir()
    (tmp_path / "kept/backup.json").write_text("{")
    told = zero_easel("restore", tmp_path / "kept", "--data", tmp_path / "back")
    assert told.returncode == 2 and "is damaged" in told.stderr
    good = zero_easel("backup", tmp_path / "good", "--data", house.data, "--json")
    assert good.returncode == 0 and '"files": 8' in good.stdout
    assert zero_easel("restore", tmp_path / "good", "--data", tmp_path / "other").returncode == 0
