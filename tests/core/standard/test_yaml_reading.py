"""YAML that nobody would write for a shop: refused in a moment, with the line, and nothing else happens."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.standard.model import Standard, StandardError
from zero_easel.core.standard.yaml.file import read_standard, write_standard
from zero_easel.core.standard.yaml.reading import read_yaml

LAUGHS = "a: &b0 [x, x]\n" + "".join(f"b{n}: &b{n} [*b{n - 1}, *b{n - 1}, *b{n - 1}]\n" for n in range(1, 40))


@pytest.mark.parametrize(
    ("text", "said"),
    [
        (LAUGHS, "holds more than a standard can"),
        ("a: &a [*a]", "line 1: a part of it holds itself"),
        ("x: " + "[" * 3000, "holds more than a standard can"),
        ("name: x\ncanvas: {width: " + "9" * 5000 + "}", "line 2: this number has more than 30 digits"),
        ("# " + "x" * 300_000, "longer than 200,000 characters"),
        ("? [a, b]\n: c", "not valid YAML"),
        ("canvas: {width: !!python/object/apply:os.system [ls]}", "not valid YAML"),
        ("canvas: {width: !!timestamp 2026-11-27}", "not valid YAML"),
        ("canvas: {width: 2026-11-27}", "line 1: canvas.width must be a whole number"),
        ("canvas: {width: 1:30}", "line 1: canvas.width must be a whole number"),
        ("canvas: {width: .nan}", "canvas.width"),
        ("[a, b]", "holds no rules"),
        ("\x00", "not valid YAML"),
    ],
)
def test_what_is_no_standard_is_refused_with_its_place(text: str, said: str) -> None:
    with pytest.raises(StandardError, match=said) as caught:
        read_standard(text, "shop.yaml")
    assert str(caught.value).startswith("shop.yaml")


def test_values_are_those_of_yaml_1_2() -> None:
    text = "a: 1:30\nb: 010\nc: no\nd: true\ne: 1e3\nf: 2026-01-01\ng: ~\nh: -3.5\ni: &x 4\nj: *x\n"
    assert read_yaml(text)[1] == {
        "a": "1:30", "b": 10, "c": "no", "d": True, "e": 1000.0, "f": "2026-01-01", "g": None, "h": -3.5, "i": 4,
        "j": 4,
    }  # fmt: skip


@given(st.lists(st.tuples(st.integers(0, 5000), st.text(max_size=12)), min_size=1, max_size=5))
def test_whatever_is_changed_in_a_standard_it_is_one_or_is_refused(changes: list[tuple[int, str]]) -> None:
    text = write_standard(Standard())
    for at, new in changes:
        at %= len(text)
        text = text[:at] + new + text[at + len(new) :]
    try:
        assert isinstance(read_standard(text), Standard)
    except StandardError as error:
        assert "Error" not in str(error)
