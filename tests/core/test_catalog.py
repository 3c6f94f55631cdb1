"""Product tables and shot lists."""

import pytest
from support import CATALOG, SHOTLIST

from zero_easel.core.catalog import TableError, kind_of_table, read_catalog, read_shotlist, valid_gtin


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
    with pytest.raises(TableError, match=r"t\.csv has no column for the code"):
        read_catalog(b"colour,size\nred,1\n", "t.csv")
    with pytest.raises(TableError, match="not a text table"):
        read_catalog(b"PK\x03\x04\x00\x00", "t.xlsx")


def test_kinds_of_tables_are_told_apart() -> None:
    assert kind_of_table(CATALOG.read_bytes()) == "catalog"
    assert kind_of_table(SHOTLIST.read_bytes()) == "shotlist"
    assert kind_of_table(b"a,b\n1,2\n") == ""
    assert kind_of_table(b"") == ""


def test_a_shot_list_keeps_order_and_names_what_is_wrong() -> None:
    shots, problems = read_shotlist(b"filename,code,view\n1.jpg,A,front\n,A,\n1.JPG,B,\n2.jpg,,\n", "s.csv")
    assert [(s.filename, s.code, s.view) for s in shots] == [("1.jpg", "A", "front")]
    assert [p.row for p in problems] == [3, 4, 5]


def test_check_digits() -> None:
    assert valid_gtin("2900000412071") and valid_gtin("96385074")
    assert not valid_gtin("2900000412070") and not valid_gtin("12345") and not valid_gtin("29000004120a1")
