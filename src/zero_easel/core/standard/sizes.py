"""Deliverables' sizes: a standard as it holds on the canvas of one of its deliverables."""

from typing import Any

from zero_easel.core.light.geometry import Size
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.lengths import Length, read_length, read_sides, write_sides
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Canvas, Item, Special


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
            "canvas": 1.0, "longest": wanted.number / max(width, height), "width": wanted.number / width,
            "height": wanted.number / height, "percent": wanted.number / 100,
        }[wanted.size]  # fmt: skip
    return Size(max(8, round(width * factor)), max(8, round(height * factor)))


def rules_on(standard: Standard, wanted: Deliverable) -> Standard:
    """The standard as it holds for one of its deliverables: on its canvas, ground and density, with all lengths that
    are not in per cent scaled with the shorter side, so that items look alike at every size."""
    canvas = standard.canvas
    width, height = size_of(standard, wanted)
    density = wanted.density or canvas.density
    factor = min(width, height) / canvas.shorter
    ground = wanted.ground_on(canvas.ground)
    if (width, height) == (canvas.width, canvas.height):
        scaled: Any = canvas.model_copy(update={"ground": ground, "density": density})
        if density == canvas.density:
            return standard.model_copy(update={"canvas": scaled, "deliverables": (wanted,)})
    around = _scaled_sides(canvas.around, "px", canvas, factor)
    scaled = canvas.model_copy(
        update={"width": width, "height": height, "ground": ground, "density": density, "around": around}
    )
    item = standard.item.model_copy(update=_scaled_rules(standard.item.model_dump(), canvas, factor))
    exceptions = tuple(
        special.model_copy(update={"item": _scaled_own(standard.item, special, canvas, factor)})
        for special in standard.exceptions
    )
    return standard.model_copy(
        update={"canvas": scaled, "item": item, "exceptions": exceptions, "deliverables": (wanted,)}
    )


def _scaled_rules(rules: dict[str, Any], canvas: Canvas, factor: float) -> dict[str, Any]:
    """Of the rules of an item, those that hold a length or a size, scaled."""
    return {
        "margin": _scaled_sides(rules["margin"], "%", canvas, factor),
        "line": _scaled(read_length(rules["line"]), canvas, factor),
        "px_per_mm": rules["px_per_mm"] * factor,
        "size": rules["size"] * (factor**2 if rules["fit"] == "megapixels" else factor),
    }


def _scaled_own(item: Item, special: Special, canvas: Canvas, factor: float) -> dict[str, Any]:
    """The rules of a category or view; its way of fitting decides what a size means, whichever of them it names."""
    scaled = _scaled_rules(item.model_dump() | special.item, canvas, factor)
    own = {key for key in scaled if key in special.item or (key == "size" and "fit" in special.item)}
    return special.item | {key: scaled[key] for key in own}


def _scaled_sides(text: str, unit: str, canvas: Canvas, factor: float) -> str:
    return write_sides(" ".join(_scaled(side, canvas, factor) for side in read_sides(text, unit)), unit)


def _scaled(length: Length, canvas: Canvas, factor: float) -> str:
    if length.unit == "%":
        return str(length).replace(" ", "")
    return f"{length.px(0, canvas.density) * factor:.10g}px"
