"""Name patterns: filled, refused with the place, and never a crash."""

from datetime import datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.standard.patterns import FIELDS, NamePattern, Pattern, PatternError, Value

TAKEN = datetime(2026, 11, 12, 9, 30, 5)
VALUES: dict[str, Value] = {"code": "BY-1", "view": "front", "n": 3, "original": "IMG_7", "name": "Große Tasse",
                            "date": TAKEN, "time": TAKEN, "width": 1200, "material": "tin"}  # fmt: skip


@pytest.mark.parametrize(
    ("pattern", "text"),
    [
        ("{code}_{view}", "BY-1_front"),
        ("{original}-{n:03}", "IMG_7-003"),
        ("{n:3}", "  3"),
        ("{date}", "2026-11-12"),
        ("{date:%Y-%m}", "2026-11"),
        ("{time:%H:%M}", "09:30"),
        ("{name:slug}", "grosse-tasse"),
        ("{name:ascii:upper}", "GROSSE TASSE"),
        ("{name:replace(' ', '-'):lower}", "große-tasse"),
        ("{name:replace(':', '}')}", "Große Tasse"),
        ("{{{code:lower}}}", "{by-1}"),
        ("{material}", "tin"),
        ("{width}", "1200"),
    ],
)
def test_patterns_are_filled(pattern: str, text: str) -> None:
    assert Pattern(pattern, ["material"]).fill(VALUES).text == text


def test_what_had_nothing_to_put_in_is_told() -> None:
    filled = Pattern("{code}_{view}_{date}").fill({"code": "A", "view": "", "date": None})
    assert filled.text == "A__" and filled.empty == ("view", "date")


@pytest.mark.parametrize(
    ("pattern", "said", "place"),
    [
        ("{cod}", "no column 'cod' - did you mean 'code'?", "cod"),
        ("x_{colur}", "no column 'colur' - did you mean 'colour'?", "colur"),
        ("{matrial}", "did you mean 'material'?", "matrial"),
        ("{zzzz}", "there are code, view", "zzzz"),
        ("a{code", "this brace is not closed", "{code"),
        ("a}b", "stands alone", "}"),
        ("{code!r}", "no column 'code!r'", "code!r"),
        ("{view:03}", "view is no number", "03"),
        ("{n:x}", "no change 'x'", "x"),
        ("{n:012}", "is no width", "012"),
        ("{name:sluk}", "did you mean 'slug'?", "sluk"),
        ("{date:%Q}", "no way to write a date", "%Q"),
        ("{code.__class__}", "no column", "code.__class__"),
        ("{}", "holds no field", None),
        ("  ", "the name is empty", ""),
    ],
)
def test_a_bad_pattern_is_explained_at_its_place(pattern: str, said: str, place: str | None) -> None:
    with pytest.raises(PatternError) as caught:
        NamePattern(pattern, ["material"])
    error = caught.value
    assert said in str(error)
    assert place is None or pattern[error.at : error.at + error.length] == place


def test_which_patterns_need_a_product() -> None:
    assert Pattern("{code}_{view}").needs_product() and Pattern("{material}").needs_product()
    assert not Pattern("{original}_{n}_{date}").needs_product()


_PIECES = [*"{}:'\"(), %", *FIELDS, "slug", "%Y", "03", "replace(", "{n:03}", "{{", "x"]


@given(st.text(max_size=60) | st.lists(st.sampled_from(_PIECES), max_size=14).map("".join))
def test_any_text_is_a_pattern_or_is_refused_at_a_place_in_it(text: str) -> None:
    try:
        pattern = NamePattern(text)
    except PatternError as error:
        assert str(error) and 0 <= error.at <= error.at + error.length <= len(text)
        return
    filled = pattern.fill(VALUES)
    assert set(filled.empty) <= pattern.fields
    assert "".join(part.text for part in pattern.fill_parts(VALUES)) == filled.text.replace("/", "")
