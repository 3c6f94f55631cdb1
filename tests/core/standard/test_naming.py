"""Names that every disk takes, and never two alike."""

import re
from pathlib import PurePosixPath, PureWindowsPath

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zero_easel.core.standard.naming import (
    Replacement,
    base_name,
    collisions,
    counted_apart,
    folder_name,
    folder_named,
    named,
    natural_key,
    one_file,
    portable,
)
from zero_easel.core.standard.patterns import Pattern, PatternError

NOTHING = Replacement("", "", False)


@given(st.text(max_size=300))
def test_a_portable_name_is_one_part_of_a_path_everywhere(text: str) -> None:
    name = portable(text)
    assert name and name not in (".", "..") and len(name.encode()) <= 181
    assert len(PurePosixPath(name).parts) == 1
    assert len(PureWindowsPath(name).parts) == 1 and not PureWindowsPath(name).drive
    assert not re.search(r'[<>:"/\\|?*\x00-\x1f]', name) and name[-1] not in ". "
    assert portable(name) == name


@given(st.text(max_size=80))
@example("\xa0")
def test_an_uploaded_name_never_holds_a_folder(text: str) -> None:
    name = base_name(text)
    assert name and "/" not in name and "\\" not in name and name not in (".", "..")
    assert ".." not in PurePosixPath(folder_name(text)).parts and not PurePosixPath(folder_name(text)).is_absolute()


@pytest.mark.parametrize("name", ["../../etc/passwd", "..\\..\\boot.ini", "C:\\x\\photo.jpg", "/photo.jpg"])
def test_paths_in_uploads_are_cut_to_their_last_part(name: str) -> None:
    assert base_name(name) in ("passwd", "boot.ini", "photo.jpg")


def test_folders_of_uploads_are_kept_within() -> None:
    assert folder_name("Day 1/RAW/a.jpg") == "Day 1/RAW"
    assert folder_name("../../x/./a.jpg") == "x" and folder_name("C:\\x\\a.jpg") == "x" and folder_name("a.jpg") == ""


@pytest.mark.parametrize("name", ["CON", "nul.txt", "Com1"])
def test_reserved_device_names_are_changed(name: str) -> None:
    assert portable(name) == f"_{name}"


@pytest.mark.parametrize(
    ("value", "name", "kind", "said"),
    [
        ("a/b: c", "a-b- c", "characters", "/ : cannot stand"),
        ("zero\u200bwidth", "zerowidth", "characters", "unseen"),
        ("nul", "_nul", "reserved", "Windows keeps nul"),
        ("x" * 200, "x" * 180, "long", "200 bytes"),
        ("", "_", "empty", "{name}"),
        ("fine", "fine", "", ""),
    ],
)
def test_what_a_name_took_is_told(value: str, name: str, kind: str, said: str) -> None:
    made = named(Pattern("{name}"), {"name": value}, NOTHING)
    assert made.name == name
    assert [p.kind for p in made.problems][:1] == ([kind] if kind else [])
    assert not kind or said in made.problems[0].text


def test_an_empty_field_leaves_no_double_separator() -> None:
    made = named(Pattern("{code}_{view}_{n}"), {"code": "A", "view": "", "n": 3}, NOTHING)
    assert made.name == "A_3" and made.problems[0].text == "nothing to put in for {view}"


def test_folders_are_divided_by_the_pattern_alone() -> None:
    made = folder_named(Pattern("{category}/{code}/{view}"), {"category": "pots/pans", "code": "A.", "view": ""})
    assert made.name == "pots-pans/A" and [p.kind for p in made.problems] == ["characters", "empty"]


def test_find_and_replace() -> None:
    assert Replacement("_", "-", False)("a_b_c") == "a-b-c"
    assert Replacement(r"(\w+)-(\d+)", r"\2-\1", True)("BY-2104 x") == "2104-BY x"
    with pytest.raises(PatternError, match="not a regular expression"):
        Replacement("(", "", True)
    with pytest.raises(PatternError, match="not a replacement"):
        Replacement("a", r"\3", True)("a")


def test_an_expression_that_never_ends_is_stopped() -> None:
    with pytest.raises(PatternError, match="takes too long"):
        Replacement(r"(.*?,){24}x", "", True)("a," * 100)


def test_collisions_ignore_case_and_composition() -> None:
    found = collisions([("1.jpg", "Größe.jpg"), ("2.jpg", "gro\u0308\u00dfe.JPG"), ("3.jpg", "other.jpg")])
    assert [sources for _, sources in found] == [["1.jpg", "2.jpg"]]


@given(
    st.lists(
        st.sampled_from(["a.jpg", "A.jpg", "a-2.jpg", "b/a.jpg", "ö.jpg", "o\u0308.jpg", "plain", "a-2-2.jpg"]),
        max_size=40,
    )
)
def test_counting_apart_makes_every_name_one_of_its_own(paths: list[str]) -> None:
    apart = counted_apart(paths)
    assert len({one_file(path) for path in apart}) == len(paths)
    assert counted_apart(apart) == apart
    first = {}
    for path, made in zip(paths, apart, strict=True):
        first.setdefault(one_file(path), (path, made))
    assert all(path == made for path, made in first.values())


@given(st.lists(st.integers(0, 10**6), min_size=1, max_size=30))
def test_numbers_in_names_sort_as_numbers(numbers: list[int]) -> None:
    names = sorted((f"IMG_{n}.JPG" for n in numbers), key=natural_key)
    assert names == [f"IMG_{n}.JPG" for n in sorted(numbers)]
