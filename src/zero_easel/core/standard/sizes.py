"""Deliverables' sizes: as people say them, in sets to start from, and a standard on the canvas of one of them."""

import math
import re
from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from zero_easel.core.light.geometry import Size
from zero_easel.core.standard.deliverable import FORMATS, Deliverable
from zero_easel.core.standard.grounds import TRANSPARENT
from zero_easel.core.standard.lengths import Length, read_length, read_sides, write_sides
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rule import Part, explained, rules_in
from zero_easel.core.standard.rules import BOXES, Canvas, Item, Special

_SIZE = re.compile(
    r"(?:(?P<side>longest|shorter|wide|width|high|height)\s+)?(?P<first>[\d.,]+\s*(?:px|mm|cm|in)?)"
    r"(?:\s*[x\u00d7]\s*(?P<second>[\d.,]+\s*(?:px|mm|cm|in)?)|\s*(?P<unit>%|percent|mpx|megapixels?))?"
    r"(?:\s+(?P<behind>longest|shorter|wide|high))?(?![\w%])",
    re.IGNORECASE,
)
_BETWEEN = re.compile(
    r";|(?<!\d),|,(?!\d+\s*(?:[x\u00d7]\s*[\d.,]+\s*)?(?:mm|cm|in\b|%|percent|mpx|megapixel))", re.IGNORECASE
)
"""Between two sizes. A comma in front of the last digits of a length is a decimal one; px have no such digits."""
_PRINTED = re.compile(r"\bprinted\s+([\d.,]+\s*(?:mm|cm|in))(?![\w%])", re.IGNORECASE)
_SIDES = {"wide": "width", "high": "height"}


def read_size(text: str, density: float) -> tuple[dict[str, Any], str]:
    """A size as people say it, as fields of a deliverable, and the words behind it: "1400", "1250 wide", "600 high",
    "shorter 600", "10 cm wide", "60 %", "4 Mpx", "1800x1125", "9 x 13 cm", "100 % printed 10 in". A length alone says
    nothing of the side.

    Raises ValueError.
    """
    if paper := _PRINTED.search(text):
        fields, rest = read_size(text[: paper.start()] + text[paper.end() :], density)
        return fields | {"printed": paper[1]}, rest
    match = _SIZE.match(text.strip())
    if match is None:
        raise ValueError(f"must be a size, like 1400, 1250 wide, 60 % or 1800x1125 (given: {text})")
    side, first, second, unit, behind = match.group("side", "first", "second", "unit", "behind")
    rest = text.strip()[match.end() :].strip()
    side = (side or behind or "").lower()
    if second:
        given = re.search(r"[a-z]+$", second)
        first += given[0] if given and not re.search(r"[a-z]+$", first) else ""  # 9 x 13 cm
        width, height = (round(read_length(one.strip(), "px").px(0, density)) for one in (first, second))
        return {"size": "exact", "width": width, "height": height}, rest
    if unit:
        number = float(first.replace(",", "."))
        return {"size": "percent" if unit[0] in "%pP" else "megapixels", "number": number}, rest
    number = round(read_length(first.strip(), "px").px(0, density))
    return ({"size": _SIDES.get(side, side)} if side else {}) | {"number": number}, rest


def read_deliverables(text: str, like: Deliverable, density: float) -> list[Deliverable]:
    """Sizes as people say them, one after the other with commas, each with the words of a format, of how it is filled,
    and of its ground: "400 webp, 24x24 png transparent, 1000x280 cover". What is not said is as in `like`.

    Raises ValueError.
    """
    return [_read_deliverable(one, like, density) for one in _BETWEEN.split(text) if one.strip()]


def _read_deliverable(text: str, like: Deliverable, density: float) -> Deliverable:
    fields, rest = read_size(text, density)
    fields = {"size": "longest"} | fields
    formats = {name: name for name in FORMATS} | {kind.suffix[1:]: name for name, kind in FORMATS.items()}
    for word in rest.lower().split():
        if word in formats or word in ("jpg", "tif"):
            fields["format"] = formats[word]
        elif word in ("contain", "cover", "stretch"):
            fields["by"] = word
        elif word == TRANSPARENT:
            fields["ground"] = TRANSPARENT
        else:
            raise ValueError(
                f"{word} is no format, and not contain, cover, stretch or transparent (in: {text.strip()})"
            )
    said = text.strip().removesuffix(rest).replace("%", " percent").replace("\u00d7", "x")
    said = re.sub(r"(\d)[.,](\d)", r"\1-\2", said)
    name = " ".join(re.sub(r"[^\w +-]+", "", said).split())[:40]
    kept = like.model_dump() | {"name": name, "folder": "{deliverable}", "file": "", "base": ""}
    try:
        return Deliverable.model_validate(kept | fields)
    except ValidationError as error:
        raise ValueError(explained(error)) from error


def size_of(standard: Standard, wanted: Deliverable) -> Size:
    """The canvas of a deliverable, px."""
    canvas = standard.canvas
    if wanted.size == "exact":
        return Size(wanted.width, wanted.height)
    if wanted.size == "multiple":
        width, height = size_of(standard, standard.deliverable(wanted.base))
        factor = wanted.number
    else:
        width, height = canvas.width, canvas.height
        factor = {
            "canvas": 1.0,
            "longest": wanted.number / max(width, height),
            "shorter": wanted.number / min(width, height),
            "width": wanted.number / width,
            "height": wanted.number / height,
            "percent": wanted.number / 100,
            "megapixels": math.sqrt(wanted.number * 1e6 / (width * height)),
        }[wanted.size]
    return Size(max(8, round(width * factor)), max(8, round(height * factor)))


def rules_on(standard: Standard, wanted: Deliverable) -> Standard:
    """The standard as it holds for one of its deliverables: on its canvas, ground and density, with all lengths that
    are not in per cent scaled with the shorter side, so that items look alike at every size."""
    canvas = standard.canvas
    size = size_of(standard, wanted)
    density = wanted.density or canvas.density
    factor = min(size) / canvas.shorter
    ground = wanted.ground_on(canvas.ground)
    if size == (canvas.width, canvas.height):
        same = canvas.model_copy(update={"ground": ground, "density": density})
        if density == canvas.density:
            return standard.model_copy(update={"canvas": same, "deliverables": (wanted,)})
    changed = {"width": size.width, "height": size.height, "ground": ground, "density": density}
    scaled = canvas.model_copy(update=changed | _scaled(Canvas, canvas.model_dump(), canvas, factor))
    values = standard.item.model_dump()
    item = standard.item.model_copy(
        update=_scaled(Item, values, canvas, factor) | _own_size(standard, wanted, values["fit"], values["size"])
    )
    exceptions = tuple(
        special.model_copy(update={"item": _scaled_own(standard, wanted, special, factor)})
        for special in standard.exceptions
    )
    return standard.model_copy(
        update={"canvas": scaled, "item": item, "exceptions": exceptions, "deliverables": (wanted,)}
    )


def _scaled(part: type[Part], values: Mapping[str, Any], canvas: Canvas, factor: float) -> dict[str, Any]:
    """Those rules of a part that follow the canvas, scaled."""
    found: dict[str, Any] = {}
    for name, rule in rules_in(part).items():
        if rule.scales == "length":
            lengths = read_sides(values[name], rule.bare)
            found[name] = write_sides(" ".join(_scaled_length(side, canvas, factor) for side in lengths), rule.bare)
        elif rule.scales == "number":
            field, value = rule.squared_by
            found[name] = values[name] * (factor**2 if field and values[field] == value else factor)
    return found


def _own_size(standard: Standard, wanted: Deliverable, fit: str, size: float) -> dict[str, Any]:
    """The rules fit and size of uncut pictures that have a size of their own, as a deliverable wants them: its side is
    theirs, and not the canvas's. Nothing for those that are fitted into the canvas."""
    if fit in BOXES or wanted.size == "canvas":
        return {}
    if wanted.size == "exact":
        return {"fit": wanted.by}
    if wanted.size in ("longest", "shorter", "width", "height", "megapixels"):
        return {"fit": wanted.size, "size": wanted.number}
    factor = wanted.number
    if wanted.size == "percent":
        factor /= 100
    else:
        base = _own_size(standard, standard.deliverable(wanted.base), fit, size)
        fit, size = base.get("fit", fit), base.get("size", size)
        if fit in BOXES:
            return base
    return {"fit": fit, "size": size * (factor**2 if fit == "megapixels" else factor)}


def _scaled_own(standard: Standard, wanted: Deliverable, special: Special, factor: float) -> dict[str, Any]:
    """The rules of a category or view. What a number means may depend on another rule, whichever of them it names."""
    values = standard.item.model_dump() | special.item
    scaled = _scaled(Item, values, standard.canvas, factor)
    rules = rules_in(Item)
    own = {key for key in scaled if key in special.item or rules[key].squared_by[0] in special.item}
    found = special.item | {key: scaled[key] for key in own}
    if {"fit", "size"} & set(special.item):
        found |= _own_size(standard, wanted, values["fit"], values["size"])
    return found


def _scaled_length(length: Length, canvas: Canvas, factor: float) -> str:
    if length.unit == "%":
        return str(length).replace(" ", "")
    return f"{length.px(0, canvas.density) * factor:.10g}px"


def _made(name: str, **values: Any) -> Deliverable:
    return Deliverable(name=name, folder="{deliverable}", **values)


SETS: dict[str, tuple[str, tuple[Deliverable, ...]]] = {
    "shop": ("Shop main picture, 2000 px", (_made("main", size="exact", width=2000, height=2000),)),
    "zoom": ("Zoom picture, 3000 px", (_made("zoom", size="longest", number=3000, quality=85, progressive=True),)),
    "thumbnail": (
        "Thumbnail of 240 px, once, twice and three times",
        (
            _made("thumbnail", size="longest", number=240, format="webp", quality=82),
            _made("thumbnail 2x", size="multiple", base="thumbnail", number=2, format="webp", quality=76),
            _made("thumbnail 3x", size="multiple", base="thumbnail", number=3, format="webp", quality=70),
        ),
    ),
    "icons": (
        "Square icons of 24, 48, 96 and 192 px",
        tuple(
            _made(f"icon {px}", size="exact", width=px, height=px, format="png", ground=TRANSPARENT, views="front")
            for px in (24, 48, 96, 192)
        ),
    ),
    "banner": ("Wide banner, 1600 x 500 px", (_made("banner", size="exact", width=1600, height=500, views="front"),)),
    "print": (
        "Print, 12 x 12 cm at 300 px/in",
        (_made("print", size="exact", width=1417, height=1417, density=300, format="tiff"),),
    ),
    "handover": (
        "For retouching: item, shadow and ground apart; and the outline",
        (_made("parts", format="openraster"), _made("outline", format="svg")),
    ),
}
"""Ready-made deliverables to start from: key -> (what they are, the deliverables)."""
