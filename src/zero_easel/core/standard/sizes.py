"""Deliverables' sizes: a standard as it holds on the canvas of one of its deliverables."""

import math
from collections.abc import Mapping
from typing import Any

from zero_easel.core.light.geometry import Size
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.lengths import Length, read_sides, write_sides
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rule import Part, rules_in
from zero_easel.core.standard.rules import BOXES, Canvas, Item, Special


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
