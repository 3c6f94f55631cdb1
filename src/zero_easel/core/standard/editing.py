"""Changing a standard value by value, as a person types it, and adding and removing its parts."""

from typing import Any

from pydantic import ValidationError

from zero_easel.core.standard.deliverable import FORMATS, SIDES, words_of
from zero_easel.core.standard.lengths import read_length
from zero_easel.core.standard.model import (
    ALL,
    LISTS,
    PARTS,
    Scope,
    Standard,
    StandardError,
    is_for,
    rule_at,
    validated,
    write_views,
)
from zero_easel.core.standard.rule import Part, Rule, explained, rules_in
from zero_easel.core.standard.rules import Item, Special


def changed(standard: Standard, field: str, value: str, scope: Scope = ALL) -> Standard:
    """The standard with one value replaced; field is dotted ("canvas.width", "deliverables.zoom.quality",
    "checks.0.value"), value as a person types it.

    scope: the items for which a rule of Item is meant. Raises StandardError with the reason if the field is unknown or
    the value is not possible.
    """
    data = standard.model_dump()
    *path, last = field.split(".")
    target: Any = data
    for step in path:
        target = _within(target, step)
    rule = rule_at(field)
    if not isinstance(target, dict) or last not in target:
        raise StandardError(f"there is no rule named {field}")
    density = target.get("density") or standard.canvas.density
    typed = _typed(field, rule, value, target[last], density, as_length=rule.as_length and _is_length(target, last))
    if scope == ALL:
        before, target[last] = target[last], typed
        if path and path[0] in LISTS and last == "name":
            _renamed(data, path[0], str(before), " ".join(value.split()))
        return validated(data)
    if path != ["item"]:
        raise StandardError(f"{field} is the same for all items")
    return _with_own(standard, scope, standard.own_rules(scope) | {last: typed})


def added(standard: Standard, part: str, *given: Part) -> Standard:
    """The standard with more deliverables, overlays or checks; a name that is taken gets a number.

    Overlays are drawn on all deliverables that can show them, until one lets go of it. Raises StandardError if they
    cannot be.
    """
    data = standard.model_dump()
    if part not in LISTS:
        raise StandardError(f"there are no {part} to add to")
    rows = list(data[part])
    taken = {str(row.get("name", "")).casefold() for row in rows}
    renamed = {}
    for one in given:
        row = one.model_dump()
        name = row.get("name", "")
        number = 1
        while name and row["name"].casefold() in taken:
            number += 1
            row["name"] = f"{name} {number}"
        renamed[name] = row.get("name", "")
        if row.get("base") in renamed:
            row["base"] = renamed[row["base"]]
        taken.add(row.get("name", "").casefold())
        rows.append(row)
    if part == "overlays":
        for row in data["deliverables"]:
            if FORMATS[row["format"]].pixels:
                row["overlays"] = [*row["overlays"], *renamed.values()]
    return validated(data | {part: rows})


def removed(standard: Standard, part: str, key: str) -> Standard:
    """The standard without one deliverable, overlay or check; what named it lets go of it. Raises StandardError."""
    data = standard.model_dump()
    gone = _within(data.get(part) if part in LISTS else None, key)
    if gone is None:
        raise StandardError(f"there is no {part} {key}")
    data[part] = [row for row in data[part] if row is not gone]
    if part == "overlays":
        for row in data["deliverables"]:
            row["overlays"] = [name for name in row["overlays"] if name != key]
    if part == "deliverables":
        orphans = [row["name"] for row in data[part] if row["size"] == "multiple" and row["base"] == key]
        if orphans:
            raise StandardError(f"{orphans[0]} is a multiple of {key}; give it a size of its own first")
        kept = []
        for row in data["checks"]:
            only = words_of(row["only"])
            if only != [key]:
                kept.append(row | {"only": ", ".join(name for name in only if name != key)})
        data["checks"] = kept
    return validated(data)


def _within(target: Any, step: str) -> Any:
    """The part of a part: by name, or by place where parts have no names."""
    if isinstance(target, dict):
        return target.get(step)
    if isinstance(target, (tuple, list)):
        for at, row in enumerate(target):
            if isinstance(row, dict) and row.get("name", str(at)) == step:
                return row
    return None


def _renamed(data: dict[str, Any], part: str, old: str, new: str) -> None:
    """Whatever names a deliverable or overlay goes on naming it."""
    for row in data["deliverables"]:
        if part == "overlays":
            row["overlays"] = [new if name == old else name for name in row["overlays"]]
        elif row["base"] == old:
            row["base"] = new
    if part == "deliverables":
        for row in data["checks"]:
            row["only"] = ", ".join(new if name == old else name for name in words_of(row["only"]))


def dropped(standard: Standard, field: str, scope: Scope) -> Standard:
    """The standard without a scope's own rule for "item.x". Raises StandardError if what remains is not possible."""
    own = standard.own_rules(scope)
    own.pop(field.removeprefix("item."), None)
    return _with_own(standard, scope, own)


def _with_own(standard: Standard, scope: Scope, own: dict[str, Any]) -> Standard:
    try:
        # As the model keeps it: a number typed as text becomes a number.
        kept = Item.model_validate(standard.item.model_dump() | own)
    except ValidationError as error:
        raise StandardError(explained(error)) from error
    special = Special(category=scope.category, view=scope.view, item={key: getattr(kept, key) for key in own})
    others = [s for s in standard.exceptions if not is_for(s, scope)]
    # The closer a rule describes an item, the later it speaks: category, then view, then both.
    together = sorted([*others, *([special] if own else [])], key=lambda s: (bool(s.view), bool(s.category)))
    return validated(standard.model_dump() | {"exceptions": [s.model_dump() for s in together]})


def _is_length(part: dict[str, Any], field: str) -> bool:
    """Whether a field is a length now: the number of a deliverable is one only where it measures a side."""
    return field != "number" or part["size"] in SIDES


def _typed(field: str, rule: Rule, value: str, before: object, density: float, *, as_length: bool) -> object:
    text = value.strip()
    if as_length:
        try:
            return str(round(read_length(text, "px").px(0, density))) if "%" not in text else text
        except ValueError as error:
            reason = "must be a whole number of px, or a length in mm, cm or in"
            raise StandardError(f"{field} {reason} (given: {text})") from error
    if rule.empty and text.casefold() in ("", rule.empty):
        return type(before)()
    if isinstance(before, bool):
        return text.casefold() in ("true", "yes", "on")
    if isinstance(before, (int, float)):
        return text.removesuffix(rule.unit).strip().replace(",", ".")
    return text


def as_typed(field: str, value: object) -> str:
    """A value as a person would type it, and as its field on the page shows it."""
    rule = rule_at(field)
    if rule.empty and not value:
        return rule.empty
    if isinstance(value, bool):
        return "true" if value else "false"
    if field == "views":
        return write_views(value)  # type: ignore[arg-type]
    if isinstance(value, (list, tuple)):
        return ", ".join(str(one) for one in value)
    return f"{value:.6g}" if isinstance(value, float) else str(value)


def values_as_typed(standard: Standard, scope: Scope = ALL) -> dict[str, str]:
    """All values by dotted field, as they hold for a scope."""
    data = standard.model_dump() | {"item": standard.rules_for(scope).model_dump()}
    flat = {field: data[field] for field in rules_in(Standard)}
    for part in PARTS:
        rows = (
            {str(row.get("name", at)): row for at, row in enumerate(data[part])} if part in LISTS else {"": data[part]}
        )
        for name, row in rows.items():
            prefix = f"{part}.{name}." if name else f"{part}."
            flat |= {prefix + key: value for key, value in row.items()}
    return {field: as_typed(field, value) for field, value in flat.items()}
