"""The information that pictures carry: what it says, by patterns, and what of the camera's own stays."""

from typing import Annotated, ClassVar, Literal

from pydantic import field_validator

from zero_easel.core.standard.patterns import Pattern
from zero_easel.core.standard.rule import Part, Rule, Sentence

TEXTS = (
    "title",
    "description",
    "creator",
    "copyright",
    "licence",
    "keywords",
    "place",
    "gtin",
    "product_name",
    "product_description",
)
"""Fields of Information that are patterns."""
_NOTHING = "not said"


class Information(Part):
    """Patterns with fields of the catalog, as in names: "Photo of {name}"; "" writes nothing."""

    title: Annotated[str, Rule("title", empty=_NOTHING, ask="Title, a pattern", width=6)] = "{name}"
    description: Annotated[str, Rule("description", empty=_NOTHING, ask="Description, a pattern", width=10)] = ""
    creator: Annotated[str, Rule("creator", "who made the picture", empty=_NOTHING, ask="Creator", width=8)] = ""
    copyright: Annotated[str, Rule("copyright", empty=_NOTHING, ask="Copyright notice", width=8)] = ""
    licence: Annotated[
        str, Rule("licence", "URL of the licence", empty=_NOTHING, ask="URL of the licence", width=8)
    ] = ""
    keywords: Annotated[
        str, Rule("keywords", "separated by commas", empty=_NOTHING, ask="Keywords, separated by commas", width=8)
    ] = ""
    place: Annotated[
        str,
        Rule(
            "place shown",
            "where it was made, in words",
            empty=_NOTHING,
            ask="Where the picture was made, in words",
            width=6,
        ),
    ] = ""
    gtin: Annotated[
        str, Rule("GTIN", "of the product that is shown", empty=_NOTHING, ask="GTIN of the product shown", width=6)
    ] = "{gtin}"
    product_name: Annotated[str, Rule("product's name", empty=_NOTHING, ask="Name of the product shown", width=6)] = (
        "{name}"
    )
    product_description: Annotated[
        str, Rule("product's description", empty=_NOTHING, ask="Description of the product shown", width=8)
    ] = ""
    camera: Annotated[
        Literal["keep", "reduce", "remove"],
        Rule(
            "what the camera wrote",
            "what the camera wrote: keep, reduce to when and with what, or remove",
            "Reduced to make, model, lens, exposure and time",
            ask="What becomes of what the camera wrote",
            choices={"reduce": "is reduced to when and with what", "keep": "is kept", "remove": "goes"},
        ),
    ] = "reduce"
    private: Annotated[
        Literal["drop", "keep"],
        Rule(
            "place data and serial numbers",
            "place by satellite, serial numbers, owner: drop or keep",
            "And the maker's notes, which hold such too",
            ask="What becomes of place data and serial numbers",
            choices={"drop": "are dropped", "keep": "are kept"},
        ),
    ] = "drop"

    sentences: ClassVar[tuple[Sentence, ...]] = (
        Sentence("Files carry the title {title}, the creator {creator}, the copyright {copyright}."),
        Sentence(
            "Description {description}, keywords {keywords}, licence {licence}, place {place}. The product shown is "
            "{product_name} with GTIN {gtin}: {product_description}. What the camera wrote {camera}; the place by "
            "satellite, serial numbers and the owner's name {private}. All of these are patterns, with `{code}` "
            "`{name}` `{ean}` and every column of the catalog.",
            "Rarely changed: description, keywords, licence, product, what the camera wrote",
        ),
    )

    @field_validator(*TEXTS)
    @classmethod
    def _good_pattern(cls, value: str) -> str:
        value = value.strip()
        if len(value) > 1000:
            raise ValueError("is longer than 1000 characters")
        if value:
            Pattern(value)
        return value


class Metadata(Part):
    """Information filled in for one picture, as it is written. Lists and texts may be empty."""

    title: str = ""
    description: str = ""
    creator: str = ""
    copyright: str = ""
    licence: str = ""
    keywords: tuple[str, ...] = ()
    place: str = ""
    gtin: str = ""
    product_name: str = ""
    product_description: str = ""
    code: str = ""
