"""The information that pictures carry: what it says, by patterns, and what of the camera's own stays."""

from typing import Literal

from pydantic import Field, field_validator

from zero_easel.core.standard.patterns import Pattern
from zero_easel.core.standard.rule import Part

TEXTS = ("title", "description", "creator", "copyright", "licence", "keywords", "place",
         "gtin", "product_name", "product_description")  # fmt: skip
"""Fields of Information that are patterns."""


class Information(Part):
    """Patterns with fields of the catalog, as in names: "Photo of {name}"; "" writes nothing. keywords: separated by
    commas. licence: URL of the licence. place: where the picture was made, in words. gtin, product_name,
    product_description: the product that is shown (IPTC Photo Metadata, Product in the Image).

    camera: what the camera wrote stays whole ("keep"), is reduced to when and with what ("reduce"), or goes
    ("remove"). private: the place by satellite, serial numbers and the owner's name in it: "drop" or "keep".
    """

    title: str = "{name}"
    description: str = ""
    creator: str = ""
    copyright: str = ""
    licence: str = ""
    keywords: str = ""
    place: str = ""
    gtin: str = "{gtin}"
    product_name: str = "{name}"
    product_description: str = ""
    camera: Literal["keep", "reduce", "remove"] = "reduce"
    private: Literal["drop", "keep"] = "drop"

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
    code: str = Field(default="")
