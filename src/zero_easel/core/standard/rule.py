"""What a rule is, and how a value that a rule refuses is explained."""

from collections.abc import Sequence
from typing import Any

from pydantic import BaseModel, ConfigDict, ValidationError


class Part(BaseModel):
    """Rules that belong together; never changed in place, unknown ones refused."""

    model_config = ConfigDict(frozen=True, extra="forbid")


def explained(error: ValidationError, data: object = None) -> str:
    """The first thing that is wrong, in words. data: what was to be validated, for the names of its parts."""
    return fault_of(error.errors()[0], data)


def fault_of(first: Any, data: object = None) -> str:
    """One of a ValidationError's errors in words: which value, and why it is refused."""
    where = ".".join(_called(first["loc"], data))
    message = str(first["msg"]).removeprefix("Value error, ")
    if first["type"] == "extra_forbidden":
        return f"there is no rule named {where}"
    limits = first.get("ctx", {})
    for key, words in (("ge", "at least"), ("le", "at most"), ("gt", "more than")):
        if key in limits:
            message = f"must be {words} {limits[key]:g}"
    if first["type"] == "literal_error":
        message = f"must be {limits['expected']}"
    if first["type"] == "bool_parsing":
        message = "must be true or false"
    elif first["type"].endswith("_parsing") or first["type"] == "int_from_float":
        message = "must be a whole number" if "int" in first["type"] else "must be a number"
    given = first.get("input")
    shown = f" (given: {given})" if isinstance(given, (str, int, float)) and where and "given:" not in message else ""
    return f"{where} {message}{shown}" if where else message


def _called(path: Sequence[str | int], data: object) -> list[str]:
    """The path with names in the place of numbers, where there are some."""
    said: list[str] = []
    for step in path:
        if isinstance(step, int) and isinstance(data, (list, tuple)) and step < len(data):
            data = data[step]
            named = data.get("name") if isinstance(data, dict) else None
            said.append(str(named or step))
        else:
            data = data.get(step) if isinstance(data, dict) else None
            said.append(str(step))
    return said
