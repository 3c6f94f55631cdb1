"""Whatever is brought in under whatever name: a report for each file, and nothing raised."""

import io
import zipfile
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from support import new_library

from zero_easel.library.incoming import take
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.database import Database
from zero_easel.library.store.vault import Vault


@pytest.fixture(scope="module")
def library() -> Iterator[tuple[Database, Vault]]:
    with TemporaryDirectory() as folder:
        database, vault = new_library(Path(folder) / "easel.sqlite"), Vault(Path(folder))
        vault.prepare()
        with database.session() as session:
            create_shoot(session, "Shelf")
        yield database, vault
        database.close()


def archive() -> bytes:
    kept, picture = io.BytesIO(), io.BytesIO()
    Image.new("RGB", (32, 24), (90, 120, 60)).save(picture, "png")
    with zipfile.ZipFile(kept, "w", zipfile.ZIP_DEFLATED) as target:
        target.writestr("a/front.png", picture.getvalue())
        target.writestr("products.csv", "code,name\nA-1,Cup\n")
        target.writestr("notes.txt", "filename,code,view\nfront.png,A-1,front\n")
    return kept.getvalue()


WHOLE = archive()


@given(st.lists(st.tuples(st.integers(0, 5000), st.binary(min_size=1, max_size=30)), max_size=5), st.integers(0, 100))
def test_whatever_bytes_change_in_an_archive_each_file_is_reported(
    library: tuple[Database, Vault], changes: list[tuple[int, bytes]], kept: int
) -> None:
    data = bytearray(WHOLE)
    for at, new in changes:
        at %= len(data)
        data[at : at + len(new)] = new
    reports = list(take(*library, 1, "all.zip", io.BytesIO(bytes(data[: len(data) * kept // 100]))))
    assert reports and all(report.message or report.ok for report in reports)
    assert not any("Error" in report.message or "b'" in report.message for report in reports)


@given(st.text(max_size=60), st.sampled_from(["", ".jpg", ".csv", ".xlsx", ".zip", ".dng"]), st.binary(max_size=200))
def test_whatever_a_file_is_called_it_is_reported(
    library: tuple[Database, Vault], name: str, ending: str, data: bytes
) -> None:
    (report,) = take(*library, 1, name + ending, io.BytesIO(data))
    assert report.message or report.ok
