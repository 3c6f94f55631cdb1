"""Product tables and shot lists."""

import csv
import io
from contextlib import suppress

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from support import CATALOG, SHOTLIST

from zero_easel.core.catalog.gtin import valid_gtin
from zero_easel.core.catalog.products import FREE, columns_of, kind_of_table, read_catalog, read_shotlist
from zero_easel.core.catalog.tables import BYTE_LIMIT, TableError, read_table


def test_the_demo_catalog_comes_in_whole() -> None:
    catalog = read_catalog(CATALOG.read_bytes(), "products.csv")
    assert len(catalog.products) == 15 and not catalog.problems
    mug = catalog.products[0]
    assert (mug.code, mug.ean, mug.width_mm, mug.height_mm) == ("BY-2104", "2900000412071", 121, 80)


def test_rows_with_errors_are_listed_and_the_others_come_in() -> None:
    rows = ["code;name;ean;width", "A1;Cup;2900000412071;12,5", ";No code;;", "A2;Bad;2900000412072;", "a1;Twice;;",
            "A3;Size;;wide", "A4;Good;;"]  # fmt: skip
    table = "\n".join(rows)
    catalog = read_catalog(table.encode("utf-8-sig"), "t.csv")
    assert [p.code for p in catalog.products] == ["A1", "A4"]
    assert catalog.products[0].width_mm == 12.5
    assert [p.row for p in catalog.problems] == [3, 4, 5, 6]
    assert catalog.problems[2].reason.endswith("row 2 counts")
    assert "check digit" in catalog.problems[1].reason and "row 2" in catalog.problems[2].reason


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "cp1252", "utf-16"])
@pytest.mark.parametrize("delimiter", [",", ";", "\t"])
def test_usual_encodings_and_delimiters(encoding: str, delimiter: str) -> None:
    table = f"SKU{delimiter}Title\r\nB-1{delimiter}Krug für Größe 2\r\n"
    assert read_catalog(table.encode(encoding), "t.csv").products[0].name == "Krug für Größe 2"


def test_quoted_cells_may_hold_line_breaks() -> None:
    catalog = read_catalog(b'code,name\nA,"two\nlines"\n,\nB,\n', "t.csv")
    assert [p.code for p in catalog.products] == ["A", "B"]


def test_a_table_without_code_is_refused_by_name() -> None:
    with pytest.raises(TableError, match=r"t\.csv has no column for the product code"):
        read_catalog(b"colour,size\nred,1\n", "t.csv")
    with pytest.raises(TableError, match=r'its headings are "colour", "size"'):
        read_catalog(b"colour,size\nred,1\n", "t.csv")


def test_kinds_of_tables_are_told_apart() -> None:
    assert kind_of_table(CATALOG.read_bytes(), "c.csv") == "catalog"
    assert kind_of_table(SHOTLIST.read_bytes(), "s.csv") == "shotlist"
    assert kind_of_table(b"a,b\n1,2\n", "t.csv") == ""
    assert kind_of_table(b"number,b\n1,2\n", "t.csv", {"number": "code"}) == "catalog"


def test_a_shot_list_keeps_order_and_names_what_is_wrong() -> None:
    shots, problems, _ = read_shotlist(b"filename,code,view\n1.jpg,A,front\n,A,\n1.JPG,B,\n2.jpg,,\n", "s.csv")
    assert [(s.filename, s.code, s.view) for s in shots] == [("1.jpg", "A", "front")]
    assert [p.row for p in problems] == [3, 4, 5]


def test_check_digits() -> None:
    assert valid_gtin("2900000412071") and valid_gtin("96385074")
    assert not valid_gtin("2900000412070") and not valid_gtin("12345") and not valid_gtin("29000004120a1")


def xlsx(rows: list[list[object]]) -> bytes:
    book = openpyxl.Workbook()
    for row in rows:
        book.active.append(row)
    book.create_sheet("Notes")
    kept = io.BytesIO()
    book.save(kept)
    return kept.getvalue()


def test_a_spreadsheet_is_read_like_its_csv() -> None:
    rows = list(csv.reader(io.StringIO(CATALOG.read_text())))
    numbers = [[float(c) if c.replace(".", "").isdigit() and i else c for i, c in enumerate(row)] for row in rows]
    catalog = read_catalog(xlsx(numbers), "products.xlsx")
    assert catalog.products == read_catalog(CATALOG.read_bytes(), "products.csv").products
    assert catalog.notes and "Notes" in catalog.notes[0]


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "t.csv is empty"),
        (b"\xef\xbb\xbf\r\n \r\n", "t.csv is empty"),
        (b"code,name\n", "headings but no rows"),
        (b"PK\x03\x04 no spreadsheet", "a damaged spreadsheet, or none"),
        (bytes(range(256)) * 40, "not a table of text"),
        (b"code\n" + b"x" * BYTE_LIMIT, "tables up to 50 MB are read"),
        (b'code,name\n"' + b"x" * 200_000 + b'"\n', "row 2: field larger than field limit"),
    ],
)
def test_wrong_tables_get_a_sentence_that_helps(data: bytes, said: str) -> None:
    with pytest.raises(TableError, match=said):
        read_catalog(data, "t.csv")


@pytest.mark.parametrize(
    ("ean", "kept", "said"),
    [
        ("2.900000412071E+12", "2900000412071", ""),
        ("2900000412071.0", "2900000412071", ""),
        ("2 900000 412071", "2900000412071", ""),
        ("2.9E+12", "", "was shortened by a spreadsheet"),
        ("2,90000041E+12", "", "was shortened by a spreadsheet"),
        ("290000041207", "", "a wrong check digit"),
        ("29000004120", "", "a leading zero may be lost"),
        ("29000x0412071", "", "no digits"),
    ],
)
def test_eans_as_spreadsheets_spoil_them(ean: str, kept: str, said: str) -> None:
    catalog = read_catalog(f'code;ean\nA;"{ean}"\n'.encode(), "t.csv")
    assert [p.ean for p in catalog.products] == ([kept] if kept else [])
    assert [said in p.reason for p in catalog.problems] == ([] if kept else [True])


def test_rows_of_another_encoding_are_read_and_named() -> None:
    table = "code,name\nA,Größe\n".encode() + "B,Krüge\n".encode("cp1252")
    catalog = read_catalog(table, "t.csv")
    assert [p.name for p in catalog.products] == ["Größe", "Krüge"]
    assert "Row 3 is in another encoding" in catalog.notes[0]


def test_columns_are_guessed_mapped_and_kept_as_fields_of_their_own() -> None:
    data = b"Article no.;Title;Outer material;Width (cm);Height in;Code\nA-1;Cup;Tin;8,5;2;x\n"
    columns = columns_of(read_table(data, "t.csv"))
    assert [(c.heading, c.field) for c in columns][:3] == [
        ("Article no.", "code"),
        ("Title", "name"),
        ("Outer material", FREE),
    ]
    product = read_catalog(data, "t.csv").products[0]
    assert (product.code, product.width_mm, product.height_mm) == ("A-1", 85, 50.8)
    assert product.extra == {"outer_material": "Tin", "code": "x"}
    by_hand = read_catalog(data, "t.csv", {"code": "code", "article no": "free"}).products[0]
    assert by_hand.code == "x" and by_hand.extra["article_no"] == "A-1"


def test_headings_may_stand_below_a_title() -> None:
    catalog = read_catalog(b"Price list 2026,,\n,,\ncode,name,ean\nA,Cup,\n", "t.csv")
    assert [p.code for p in catalog.products] == ["A"]


@given(st.binary(max_size=400))
def test_no_bytes_make_it_crash(data: bytes) -> None:
    for read in (read_catalog, read_shotlist):
        try:
            read(data, "t.csv")
        except TableError as error:
            assert str(error).startswith("t.csv")


@given(st.text(max_size=200))
def test_no_text_makes_it_crash(text: str) -> None:
    with suppress(TableError):
        read_catalog(("code,ean,width\n" + text).encode("utf-8", "surrogatepass"), "t.csv")


CODES = ["VA-101", "VA-102", "TR-200"]


@pytest.mark.parametrize(
    "heading",
    ["Art. code", "Article code", "Item code", "Artikelnummer", "Art.-Nr.", "Référence", "Réf.", "N° d'article",
     "Codice", "Codice articolo", "Código", "Código del artículo", "Artikelcode", "Varenummer", "Kod towaru", "SKU"],
)  # fmt: skip
def test_codes_are_headed_in_many_languages(heading: str) -> None:
    rows = "".join(f"{code};Ding {at}\n" for at, code in enumerate(CODES))
    catalog = read_catalog(f"{heading};Bezeichnung\n{rows}".encode(), "c.csv")
    assert [product.code for product in catalog.products] == CODES
    assert catalog.products[1].name == "Ding 1" and not catalog.notes


@pytest.mark.parametrize("heading", ["Colour code", "Type code", "Zip code", "Code postal", "Preis", "Lot"])
def test_other_codes_are_not_taken_for_the_products(heading: str) -> None:
    with pytest.raises(TableError, match="no column for the product code") as caught:
        read_catalog(f"{heading};name\nA-1;x\nA-2;y\n".encode(), "c.csv")
    assert caught.value.missing_code


def test_a_heading_that_says_code_counts_before_one_that_may_be_a_name() -> None:
    catalog = read_catalog(b"Article,Article no.\nVase,VA-101\nTray,TR-200\n", "c.csv")
    assert [product.code for product in catalog.products] == ["VA-101", "TR-200"]
    assert catalog.products[0].extra == {"article": "Vase"}


def test_a_column_named_by_hand_counts_before_an_earlier_heading() -> None:
    data = b"code,Lieferant\nX1,VA-101\nX2,TR-200\n"
    assert [p.code for p in read_catalog(data, "c.csv", {"lieferant": "code"}).products] == ["VA-101", "TR-200"]


def test_without_a_heading_codes_are_known_by_the_photos() -> None:
    data = b"Nr,Kennung,Preis\n1,VA-101,12.50\n2,VA-102,9.00\n3,TR-200,8.10\n"
    catalog = read_catalog(data, "c.csv", texts=lambda: ["va101_front", "IMG_0002", "VA-102 side", "TR-200"])
    assert [product.code for product in catalog.products] == CODES
    assert catalog.notes == ['"Kennung" is taken for the product code: its values are in file names or on code cards.']


@given(st.lists(st.text(alphabet="abc0123456789 -_.", max_size=12), max_size=6))
def test_what_no_photo_shows_is_never_guessed(names: list[str]) -> None:
    data = b"Kennung,Farbe\nVA-101,rot\nVA-102,blau\n"
    with pytest.raises(TableError, match="no column for the product code"):
        read_catalog(data, "c.csv", texts=lambda: names)
