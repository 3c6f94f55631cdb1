"""A person's regular expressions end, whatever they are and whatever they are run on."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zero_easel.core.standard.checks import Check
from zero_easel.core.standard.expression import Expression, ExpressionError
from zero_easel.core.standard.model import Standard, StandardError
from zero_easel.core.standard.yaml.file import read_standard

ENDLESS, LONG = r"(a|aa|a?)+$", "a" * 60 + "!"


def test_one_that_never_ends_is_told() -> None:
    with pytest.raises(ExpressionError, match="takes too long"):
        Expression(ENDLESS).holds(LONG)
    with pytest.raises(ExpressionError, match="takes too long"):
        Expression(r"^(a|aa|a?)+$").replaced(LONG, "b")
    assert Expression(r"BY-\d+_front").holds("BY-2104_front") and not Expression("BY").holds("BY-1")
    assert Expression(r"(\w)-(\w)").replaced("a-b", r"\2-\1") == "b-a"


@given(st.text(max_size=30), st.text(max_size=30), st.text(max_size=8))
def test_any_text_is_an_expression_or_is_explained(expression: str, text: str, by: str) -> None:
    try:
        made = Expression(expression)
        made.holds(text)
        made.replaced(text, by)
    except ExpressionError as error:
        assert str(error).startswith("this ")


def test_standards_refuse_what_is_none() -> None:
    with pytest.raises(StandardError, match="not a regular expression"):
        read_standard("checks: [{rule: name, value: '('}]")
    assert read_standard("checks: [{rule: name, value: 'BY.*'}]") == Standard(
        checks=(Check(rule="name", value="BY.*"),)
    )
