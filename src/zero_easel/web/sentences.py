"""The sentences of a standard as templates draw them: words, and a field for each value, from what the rules
declare."""

from collections.abc import Sequence
from functools import cache
from typing import NamedTuple

from zero_easel.core.standard.deliverable import ABLE
from zero_easel.core.standard.model import LISTS, PARTS, Standard, rule_at
from zero_easel.core.standard.rule import Blank, Only, Piece, Sentence, Slot, Words, pieces_of, values_of
from zero_easel.core.standard.tone import Light
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


PLAIN: dict[str, tuple[Sentence, ...]] = {
    "deliverables": (
        Sentence(
            "Pictures have {size}[size=longest|shorter|width|height: {number:in px} px][size=percent: {number:in per "
            "cent} % of the photo's][size=megapixels: {number:in megapixels} million][size=exact: {width} by {height} "
            "px, {by}][size=multiple: {number:as a multiple} times that of {base}]{@pixels}."
        ),
        Sentence(
            "They are saved as {format}[format~quality: of quality {quality}, at most {max_kb} kB each]"
            "[folder!=none:, in the folder {folder}]."
        ),
        Sentence(
            "This size is called {name}. Its pictures lie in folder {folder} and are called {file}[file=the "
            "standard's: name], on ground {ground}, at {density}[density!=the canvas's: px/in], or such that their "
            "longer side is {printed} on paper. Colours are in {profile}.[format~chroma: Colour is kept at {chroma}.]"
            "[format~passes: It comes {progressive}.]"
            "[format~lossless: It is kept {lossless}.][format~deep: It has {depth} bits per channel.][format~quality: "
            "A limit on bytes may lower its quality to {min_quality}.] Overlays on it: {overlays}.",
            "{name}: more",
        ),
    ),
    "names": (
        Sentence(
            "Files are called {name}{@example}, `{n}` counting {count} from {start}; folders of the photos "
            "{keep_folders}."
        ),
        Sentence(
            "They lie in {folder}[folder=: as `{date:%Y-%m}`; empty for no subfolders]. In finished names {find_as} "
            "{find} becomes {replace_with}. A name wanted twice {on_duplicate}.",
            "Subfolders, replacing, same names",
        ),
    ),
    "canvas": (
        Sentence("They carry a density of {density} px/in."),
        Sentence("Around each picture the canvas grows by {padding}, on the ground {ground}."),
    ),
    "item": (
        Sentence("Smaller photos {reduce_only}. The backdrop is {backdrop}[backdrop=in-place:; shadows {shadow}]."),
        Sentence(
            "Where a size is filled, {cover_around} stays in the middle. Pixels are resampled by {kernel}.",
            "Canvas around, ground, filling, light",
        ),
        Sentence(" ".join(one.text for one in Light.sentences), "Canvas around, ground, filling, light"),
    ),
}
"""How the page of whole pictures says the rules that matter there, by part of a standard."""
_PLAIN_WORDS: dict[tuple[str, str], dict[str, str]] = {
    ("deliverables", "size"): {
        "longest": "a longest side of",
        "shorter": "a shorter side of",
        "width": "a width of",
        "height": "a height of",
        "exact": "a size of exactly",
        "percent": "a share of",
        "megapixels": "a number of pixels of",
        "multiple": "a size of",
    },
    ("deliverables", "by"): {
        "contain": "with the whole photo in it",
        "cover": "filled, what sticks out cut off",
        "stretch": "the photo stretched to it",
    },
    ("names", "count"): {"run": "through the whole run", "folder": "within each folder"},
    ("item", "reduce_only"): {"true": "keep their own size", "false": "are enlarged"},
    ("item", "cover_around"): {"middle": "the middle of the photo", "item": "the item"},
}


@cache
def sentences_of(part: str, plain: bool = False) -> Sequence[Drawn]:
    """The sentences of a part of a standard; "" for the standard's own. plain: as the page of whole pictures says
    it."""
    kind = PARTS[part] if part else Standard
    return tuple(Drawn(pieces_of(one.text, ABLE), one.folded) for one in (PLAIN[part] if plain else kind.sentences))


def field_of(field: str, name: str, shown: str, plain: bool = False) -> Field:
    """How a dotted field is asked for. name: of the part that it belongs to. shown: its value. plain: as for
    sentences_of; what has no words there is offered only if it is the value."""
    rule, (part, dot, rest) = rule_at(field), field.partition(".")
    kind = PARTS[part] if dot else Standard
    last = rest.rpartition(".")[2] if dot else part
    values = values_of(kind.model_fields[last])
    own = _PLAIN_WORDS.get((part, last), {}) if plain else {}
    choices = tuple((value, own.get(value, rule.choices.get(value, value))) for value in values)
    if own:
        order = list(own)
        offered = [one for one in choices if one[0] in own or one[0] == shown]
        offered.sort(key=lambda one: order.index(one[0]) if one[0] in own else len(order))
        return Field(rule.ask.replace("{name}", name), 0, "", offered)
    # In the order of the words: what is most usual comes first.
    ordered = sorted(choices, key=lambda one: list(rule.choices).index(one[0]) if one[0] in rule.choices else -1)
    width = min(max(rule.width, len(shown)), max(rule.width, _WIDEST))
    unit = rule.unit if rule.unit in _CLINGING else ""
    return Field(
        rule.ask.replace("{name}", name), width, unit, ordered if len(rule.choices) == len(choices) else choices
    )


templates.env.globals.update(
    light_sentences=[pieces_of(one.text, ABLE) for one in Light.sentences],
    sentences_of=sentences_of,
    field_of=field_of,
    lists=LISTS,
)
templates.env.tests.update(
    words=lambda piece: isinstance(piece, Words),
    blank=lambda piece: isinstance(piece, Blank),
    slot=lambda piece: isinstance(piece, Slot),
    only=lambda piece: isinstance(piece, Only),
)
