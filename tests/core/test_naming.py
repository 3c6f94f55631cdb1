"""Names that every disk takes, and never two alike."""

import re
from pathlib import PurePosixPath, PureWindowsPath

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.naming import (
    PatternError,
    base_name,
    check_pattern,
    collisions,
    natural_key,
    needs_product,
    portable,
    render_name,
)

FIELDS = {"code": "BY-1", "view": "front", "n": 3, "original": "IMG_7", "name": "Cup", "category": "x", "ean": "1"}


@given(st.text(max_size=300))
def test_a_portable_name_is_one_part_of_a_path_everywhere(text: str) -> None:
    name = portable(text)
    assert name and name not in (".", "..") and len(name.encode()) <= 181
    assert len(PurePosixPath(name).parts) == 1
    assert len(PureWindowsPath(name).parts) == 1 and not PureWindowsPath(name).drive
    assert not re.search(r'[<>:"/\\|?*\x00-\x1f]', name) and name[-1] not in ". "
    assert portable(name) == name


@given(st.text(max_size=80))
def test_an_uploaded_name_never_holds_a_folder(text: str) -> None:
    name = base_name(text)
    assert name and "/" not in name and "\\" not in name and name not in (".", "..")


@pytest.mark.parametrize("name", ["../../etc/passwd", "..\\..\\boot.ini", "C:\\x\\photo.jpg", "/photo.jpg"])
def test_paths_in_uploads_are_cut_to_their_last_part(name: str) -> None:
    assert base_name(name) in ("passwd", "boot.ini", "photo.jpg")


@pytest.mark.parametrize("name", ["CON", "nul.txt", "Com1"])
def test_reserved_device_names_are_changed(name: str) -> None:
    assert portable(name) == f"_{name}"


def test_patterns_are_filled() -> None:
    assert render_name("{code}_{view}", FIELDS) == "BY-1_front"
    assert render_name("{original}-{n:03}", FIELDS) == "IMG_7-003"
    assert render_name("{code}_{view}_{n}", FIELDS | {"view": ""}) == "BY-1_3"
    assert render_name("{code}", FIELDS | {"code": "a/b"}) == "a-b"


@pytest.mark.parametrize(
    ("pattern", "said"),
    [
        ("{cod}", "did you mean {code}"),
        ("{code", "not closed"),
        ("{code!r}", "takes no format"),
        ("{view:>9}", "takes no format"),
        ("{n:x}", "is not a width"),
        ("{code.__class__}", "there is no"),
        ("  ", "empty"),
    ],
)
def test_a_bad_pattern_is_explained(pattern: str, said: str) -> None:
    with pytest.raises(PatternError, match=re.escape(said)):
        check_pattern(pattern)


def test_which_patterns_need_a_product() -> None:
    assert needs_product("{code}_{view}") and not needs_product("{original}_{n}")


def test_collisions_ignore_case_and_composition() -> None:
    found = collisions([("1.jpg", "Größe.jpg"), ("2.jpg", "gro\u0308\u00dfe.JPG"), ("3.jpg", "other.jpg")])
    assert [sources for _, sources in found] == [["1.jpg", "2.jpg"]]


@given(st.lists(st.integers(0, 10**6), min_size=1, max_size=30))
def test_numbers_in_names_sort_as_numbers(numbers: list[int]) -> None:
    names = sorted((f"IMG_{n}.JPG" for n in numbers), key=natural_key)
    assert names == [f"IMG_{n}.JPG" for n in sorted(numbers)]
