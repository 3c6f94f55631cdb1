"""What was changed between two versions of a standard: field by field, in words, and so that it can be taken back.

A standard is laid flat for that: one value for each dotted field, "item.share" or "deliverables.zoom.quality", one for
each rule of a scope, and the order of what there may be any number of.
"""

from collections.abc import Mapping
from typing import Any, NamedTuple

from zero_easel.core.standard.checks import KINDS, Check
from zero_easel.core.standard.model import LISTS, PARTS, Scope, Standard, rule_at, validated, write_views

NAMED = ("deliverables", "overlays")
"""Lists whose parts are found by name."""
_BETWEEN = "\t"
"""Between a category and a view; neither can hold it."""
_ONE = {"deliverables": "deliverable", "overlays": "overlay"}


class FieldChange(NamedTuple):
    """One field that differs: its value before and after, None where there was or is none."""

    before: Any = None
    after: Any = None


class Difference(NamedTuple):
    """One thing that was changed. field: dotted; a part that came or went is a field of its own. text: in words, like
    "share 80 % -> 85 %"."""

    field: str
    text: str


def flat(standard: Standard) -> dict[str, Any]:
    """All values of a standard by their fields."""
    data = standard.model_dump(mode="json")
    found: dict[str, Any] = {}
    for key, value in data.items():
        if key in NAMED:
            found[key] = [row["name"] for row in value]
            found |= {
                f"{key}.{row['name']}.{name}": one for row in value for name, one in row.items() if name != "name"
            }
        elif key == "exceptions":
            found[key] = list(dict.fromkeys(_scope(row) for row in value))
            found |= {f"{key}.{_scope(row)}.{name}": one for row in value for name, one in row["item"].items()}
        elif key in PARTS and key not in LISTS:
            found |= {f"{key}.{name}": one for name, one in value.items()}
        else:
            found[key] = value
    return found


def _scope(row: Mapping[str, Any]) -> str:
    return f"{row['category']}{_BETWEEN}{row['view']}"


def changes_between(before: Standard, after: Standard) -> dict[str, FieldChange]:
    """The fields that differ."""
    old, new = flat(before), flat(after)
    return {
        field: FieldChange(old.get(field), new.get(field))
        for field in dict.fromkeys([*old, *new])
        if old.get(field) != new.get(field) or (field in old) != (field in new)
    }


def applied(standard: Standard, changes: Mapping[str, FieldChange], *, back: bool) -> Standard:
    """The standard with just these changes taken back, or done again; whatever was changed since stays, be it another
    field or the same one. Raises StandardError if the two do not go together.
    """
    values = flat(standard)
    for field, change in changes.items():
        wanted, left = (change.before, change.after) if back else (change.after, change.before)
        if field not in (*NAMED, "exceptions") and values.get(field) != left:
            continue
        if field in (*NAMED, "exceptions"):
            values[field] = _merged(values.get(field, []), left or [], wanted or [])
        elif wanted is None:
            values.pop(field, None)
        else:
            values[field] = wanted
    return validated(_raised(values))


def _merged(now: list[str], left: list[str], wanted: list[str]) -> list[str]:
    """The names that there should be: those wanted, and those that came meanwhile."""
    gone = [name for name in left if name not in wanted]
    return [*wanted, *(name for name in now if name not in wanted and name not in gone)]


def _raised(values: Mapping[str, Any]) -> dict[str, Any]:
    """The data of a standard from its values."""
    data: dict[str, Any] = {}
    for part in NAMED:
        data[part] = [{"name": name} | _under(values, f"{part}.{name}.") for name in values.get(part, [])]
    scopes = ((key, *key.split(_BETWEEN)) for key in values.get("exceptions", []))
    rows = [{"category": c, "view": v, "item": _under(values, f"exceptions.{key}.")} for key, c, v in scopes]
    data["exceptions"] = rows
    for part in PARTS:
        if part not in LISTS:
            data[part] = _under(values, f"{part}.")
    return data | {key: values[key] for key in ("name", "checks", "hand_over", "views") if key in values}


def _under(values: Mapping[str, Any], prefix: str) -> dict[str, Any]:
    return {
        key.removeprefix(prefix): value
        for key, value in values.items()
        if key.startswith(prefix) and "." not in key.removeprefix(prefix)
    }


def differences(before: Standard, after: Standard) -> list[Difference]:
    """What was changed, in words, part by part; empty if nothing was."""
    return in_words(changes_between(before, after), before, after)


def in_words(changes: Mapping[str, FieldChange], before: Standard, after: Standard) -> list[Difference]:
    """Changes in words, in the order of the parts of a standard."""
    found: list[Difference] = []
    for part in Standard.model_fields:
        mine = {field: change for field, change in changes.items() if field == part or field.startswith(f"{part}.")}
        if part in NAMED:
            found += _named(part, mine, before, after)
        elif part == "exceptions":
            found += _exceptions(mine, before, after)
        elif part == "checks":
            found += _checks(mine, before, after)
        else:
            found += [Difference(field, _phrase(field, *change)) for field, change in mine.items()]
    return found


def _phrase(field: str, old: object, new: object) -> str:
    return f"{rule_at(field).label} {_value(field, old)} → {_value(field, new)}"


def _value(field: str, value: object) -> str:
    rule = rule_at(field)
    if isinstance(value, bool):
        return "yes" if value else "no"
    if rule.empty and not value:
        return rule.empty
    if isinstance(value, dict):
        return write_views(value)
    if isinstance(value, (list, tuple)):
        return ", ".join(str(one) for one in value)
    if isinstance(value, (int, float)):
        return f"{value:.10g} {rule.unit_in_words}".rstrip()
    return str(value) if value else "none"


def _named(part: str, changes: Mapping[str, FieldChange], before: Standard, after: Standard) -> list[Difference]:
    old, new = ([one.name for one in getattr(standard, part)] for standard in (before, after))
    found = [Difference(f"{part}.{name}", f"{_ONE[part]} {name} gone") for name in old if name not in new]
    found += [Difference(f"{part}.{name}", f"{_ONE[part]} {name} new") for name in new if name not in old]
    for field, change in changes.items():
        name = field.removeprefix(f"{part}.").rpartition(".")[0]
        if name in old and name in new:
            found.append(Difference(field, f"{name}: {_phrase(field, *change)}"))
    kept = [name for name in old if name in new]
    if kept != [name for name in new if name in old]:
        found.append(Difference(part, f"{part} in another order"))
    return found


def _exceptions(changes: Mapping[str, FieldChange], before: Standard, after: Standard) -> list[Difference]:
    found = []
    for field, change in changes.items():
        scope, _, name = field.removeprefix("exceptions").removeprefix(".").rpartition(".")
        if scope:
            category, view = scope.split(_BETWEEN)
            was, became = ("as for all" if one is None else _value(f"item.{name}", one) for one in change)
            label = rule_at(f"item.{name}").label
            found.append(Difference(field, f"for {Scope(category, view)}: {label} {was} → {became}"))
    if not found and before.exceptions != after.exceptions:
        found.append(Difference("exceptions", "exceptions in another order"))
    return found


def _checks(changes: Mapping[str, FieldChange], before: Standard, after: Standard) -> list[Difference]:
    if not changes:
        return []
    old, new = ([_check(check) for check in standard.checks] for standard in (before, after))
    words = [f"check of {check} gone" for check in old if old.count(check) > new.count(check)]
    words += [f"check of {check} new" for check in new if new.count(check) > old.count(check)]
    return [Difference("checks", text) for text in words or ["checks in another order"]]


def _check(check: Check) -> str:
    words = f"{KINDS[check.rule].label} {check.value}".strip()
    return f"{words} ({check.only})" if check.only else words
