"""Columns that hold more than a number or a text: typed values as JSON, and states.

What is read is a value of the core, checked once; the same text is not read twice. Values are never changed in place.
"""

from collections.abc import Callable
from enum import StrEnum
from functools import cache, lru_cache
from typing import Any

from pydantic import TypeAdapter
from sqlalchemy import Enum, Text
from sqlalchemy.types import TypeDecorator

_KEPT = 20_000
"""Texts whose values are kept: a row of measures is laid out again at each change of a rule."""


class Typed(TypeDecorator[Any]):
    """A value as JSON text. load, dump: from the text and back; the value of "" or null is what load makes of it."""

    impl = Text
    cache_ok = True

    def __init__(self, load: Callable[[str], Any], dump: Callable[[Any], str]) -> None:
        super().__init__()
        self.load, self.dump = load, dump

    def process_bind_param(self, value: Any, dialect: Any) -> str | None:  # noqa: ARG002
        """The value as it is stored."""
        return None if value is None else self.dump(value)

    def process_result_value(self, value: str | None, dialect: Any) -> Any:  # noqa: ARG002
        """The value that was stored."""
        return None if value is None else self.load(value)

    def compare_values(self, x: Any, y: Any) -> bool:
        """Whether two values are stored alike."""
        return x is y or (type(x) is type(y) and self.dump(x) == self.dump(y))


@cache
def json_of(kind: Any) -> Typed:
    """A column of a type that Pydantic knows."""
    adapter: TypeAdapter[Any] = TypeAdapter(kind)
    return Typed(lru_cache(_KEPT)(adapter.validate_json), lambda value: adapter.dump_json(value).decode())


def state_of(kind: type[StrEnum]) -> Enum:
    """A column of one of a few states, stored as their words."""
    words = [one.value for one in kind]
    return Enum(kind, native_enum=False, create_constraint=False, length=12, values_callable=lambda _: words)
