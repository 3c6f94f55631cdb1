"""Rules that are declared on their fields, and the sentences made of them."""

from collections import Counter
from typing import Annotated

import pytest
from pydantic import BaseModel, Field

from zero_easel.core.standard.deliverable import ABLE
from zero_easel.core.standard.model import PARTS, Standard
from zero_easel.core.standard.rule import Blank, Part, Rule, Sentence, blanks_in, limits_of, pieces_of, rules_in
from zero_easel.core.standard.yaml.file import write_standard

KINDS = [pytest.param(kind, id=name or "standard") for name, kind in {"": Standard, **PARTS}.items()]


@pytest.mark.parametrize("kind", KINDS)
def test_every_rule_stands_in_its_sentences_once(kind: type[Part]) -> None:
    blanks = Counter(blank for one in kind.sentences for blank in blanks_in(pieces_of(one.text, ABLE)))
    assert {blank.field for blank in blanks} <= set(rules_in(kind))
    assert not [blank for blank, count in blanks.items() if count > 1]


def test_a_rule_needs_no_more_than_its_field() -> None:
    class Rope(Part):
        """Rules of a made-up part."""

        length: Annotated[
            float, Field(ge=0, le=90), Rule("length", "how long the rope is", unit="mm", ask="Length of the rope in mm")
        ] = 12
        sentences = (Sentence("The rope is {length} mm long."),)

    assert rules_in(Rope)["length"].unit == "mm"
    assert limits_of(Rope.model_fields["length"]) == "0 to 90"
    assert list(blanks_in(pieces_of(Rope.sentences[0].text, ABLE))) == [Blank("length")]


@pytest.mark.parametrize("kind", KINDS)
def test_every_rule_says_what_it_is(kind: type[BaseModel]) -> None:
    for name, rule in rules_in(kind).items():
        assert rule.label, name
    assert "# " in write_standard(Standard())
