"""Which column holds the codes, on the command line: by its heading, by the photos, or as it is said."""

from pathlib import Path

import pytest
from support import zero_easel


@pytest.fixture
def photos(tmp_path: Path) -> Path:
    """Photos that are only named: nothing of this looks inside."""
    folder = tmp_path / "photos"
    folder.mkdir()
    for name in ("VA-101 front.jpg", "va_102.jpg", "TR-200_top.jpg"):
        (folder / name).write_bytes(b"not looked at")
    return folder


def shown(photos: Path, table: str, *more: str) -> tuple[int, str, str]:
    """Status, new names and messages of `rename --show`."""
    catalog = photos.parent / "list.csv"
    catalog.write_text(table)
    done = zero_easel("rename", photos, "--show", "--pattern", "{code}", "--catalog", catalog, *more)
    return done.returncode, done.stdout, done.stderr


def test_a_heading_in_another_language_is_enough(photos: Path) -> None:
    status, names, messages = shown(photos, "Artikelnummer;Bezeichnung\nVA-101;Vase\nVA-102;Vase\nTR-200;Tablett\n")
    assert status == 0 and "VA-101.jpg" in names and "VA-102.jpg" in names and not messages


def test_codes_are_known_by_the_photos_and_that_is_said(photos: Path) -> None:
    status, names, messages = shown(photos, "Ident;Preis\nVA-101;3,50\nVA-102;4,50\nTR-200;9,00\n")
    assert status == 0 and "TR-200.jpg" in names
    assert 'list.csv: "Ident" is taken for the product code' in messages


def test_a_column_is_named_by_hand(photos: Path) -> None:
    table = "code;Ident\nX1;VA-101\nX2;VA-102\nX3;TR-200\n"
    status, names, messages = shown(photos, table, "--column", "code=Ident")
    assert status == 0 and "VA-102.jpg" in names and not messages
    assert "VA-102" not in shown(photos, table)[1].replace("va_102", "")


@pytest.mark.parametrize(
    ("column", "message"),
    [
        ("code", "--column code should read FIELD=HEADING"),
        ("price=Ident", "--column price=Ident should read FIELD=HEADING"),
        ("code=Nummer", 'list.csv has no heading "nummer"; its headings are "Ident", "Preis"'),
    ],
)
def test_what_names_no_column_is_refused(photos: Path, column: str, message: str) -> None:
    status, _, messages = shown(photos, "Ident;Preis\nVA-101;3,50\n", "--column", column)
    assert status == 2 and message in messages


def test_without_any_sign_of_codes_the_way_to_say_it_is_told(photos: Path) -> None:
    status, _, messages = shown(photos, "Farbe;Preis\nrot;3,50\nblau;4,50\n")
    assert status == 2 and "has no column for the product code" in messages
    assert "--column code=HEADING" in messages
