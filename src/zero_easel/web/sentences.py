"""The sentences of a standard as templates draw them: words, and a field for each value, from what the rules
declare."""

from collections.abc import Sequence
from functools import cache
from typing import NamedTuple

from zero_easel.core.standard.deliverable import ABLE
from zero_easel.core.standard.model import LISTS, PARTS, Standard, rule_at
from zero_easel.core.standard.rule import Blank, Only, Piece, Slot, Words, pieces_of, values_of
from zero_easel.web.page import templates

_CLINGING = ("%", "°")
"""Units that stand right behind their number; others are words of the sentence."""
_WIDEST = 40


class Field(NamedTuple):
    """A value in a sentence. choices: (value, words) if it is one of a few, else it is typed, in a field `width`
    characters wide, with a unit behind it."""

    ask: str
    width: int
    unit: str
    choices: Sequence[tuple[str, str]]


class Drawn(NamedTuple):
    """A sentence taken apart. folded: the line under which it is folded, or ""."""

    pieces: Sequence[Piece]
    folded: str


@cache
def sentences_of(part: str) -> Sequence[Drawn]:
    """The sentences of a part of a standard; "" for the standard's own."""
    kind = PARTS[part] if part else Standard
    return tuple(Drawn(pieces_of(one.text, ABLE), one.folded) for one in kind.sentences)


def field_of(field: str, name: str, shown: str) -> Field:
    """How a dotted field is asked for. name: of the part that it belongs to. shown: its value."""
    rule, (part, dot, rest) = rule_at(field), field.partition(".")
    kind = PARTS[part] if dot else Standard
    last = rest.rpartition(".")[2] if dot else part
    values = values_of(kind.model_fields[last])
    choices = tuple((value, rule.choices.get(value, value)) for value in values)
    # In the order of the words: what is most usual comes first.
    ordered = sorted(choices, key=lambda one: list(rule.choices).index(one[0]) if one[0] in rule.choices else -1)
    width = min(max(rule.width, len(shown)), max(rule.width, _WIDEST))
    unit = rule.unit if rule.unit in _CLINGING else ""
    return Field(
        rule.ask.replace("{name}", name), width, unit, ordered if len(rule.choices) == len(choices) else choices
    )


templates.env.globals.update(sentences_of=sentences_of, field_of=field_of, lists=LISTS)
templates.env.tests.update(
    words=lambda piece: isinstance(piece, Words),
    blank=lambda piece: isinstance(piece, Blank),
    slot=lambda piece: isinstance(piece, Slot),
    only=lambda piece: isinstance(piece, Only),
)
