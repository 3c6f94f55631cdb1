"""What strangers made is read by a process that may take so much and no more."""

import io
import time

import openpyxl
import pytest
from PIL import Image, ImageCms
from support import DEMO

from zero_easel.core.catalog.tables import TableError
from zero_easel.core.finishing.fonts import font_file
from zero_easel.core.photos.assets import AssetError, check_asset
from zero_easel.core.standard.model import Standard, StandardError
from zero_easel.engines.limited import LimitError, limited, standard_from, table_from


def swell(megabytes: int) -> int:
    return len(bytearray(megabytes * 1_000_000))


def sleep() -> None:
    time.sleep(3600)


def test_memory_and_time_are_limited_and_what_is_raised_comes_through() -> None:
    assert limited(swell, 50, megabytes=400) == 50_000_000
    with pytest.raises(LimitError, match=r"more than 0\.2 GB"):
        limited(swell, 2000, megabytes=200)
    with pytest.raises(LimitError, match="more than 0 seconds"):
        limited(sleep, seconds=0.3)
    with pytest.raises(ValueError, match="invalid literal"):
        limited(int, "x")


def test_sheets_and_standards_are_read_there() -> None:
    book, kept = openpyxl.Workbook(), io.BytesIO()
    assert book.active is not None
    book.active.append(["code", "name"])
    book.active.append(["A-1", "Cup"])
    book.save(kept)
    assert [line.cells for line in table_from(kept.getvalue(), "p.xlsx").lines] == [["code", "name"], ["A-1", "Cup"]]
    assert table_from(b"code\nA\n", "p.csv").lines[1].cells == ["A"]
    with pytest.raises(TableError, match=r"p\.xlsx is a damaged spreadsheet") as caught:
        table_from(kept.getvalue()[:900], "p.xlsx")
    assert not caught.value.missing_code
    standard, notes = standard_from("names: {twice: count}\n", "s.yaml")
    assert standard == Standard.model_validate({"names": {"on_duplicate": "count"}}) and "called" in notes[0]
    with pytest.raises(StandardError, match=r"s\.yaml, line 1"):
        standard_from("canvas: {width: none}", "s.yaml")


def test_assets_are_what_they_are_called() -> None:
    font = font_file("text").read_bytes()
    profile = ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes()
    photo = next((DEMO / "photos").glob("*.JPG")).read_bytes()
    for name, data in (("a.ttf", font), ("a.icc", profile), ("a.jpg", photo)):
        check_asset(name, data)
    for name, data, said in (
        ("a.ttf", photo, "called a font"), ("a.otf", b"", "called a font"), ("a.icc", font, "called a colour profile"),
        ("a.icm", profile[:200], "called a colour profile"), ("a.png", font, "not a picture"),
        ("a.jpg", photo[:5000], "damaged"), ("a.exe", photo, "no picture, font or colour profile"),
    ):  # fmt: skip
        with pytest.raises(AssetError, match=said):
            check_asset(name, data)
    lab = ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes()
    with pytest.raises(AssetError, match="none that can be used"):
        check_asset("lab.icc", lab)
    assert Image.MAX_IMAGE_PIXELS is None
