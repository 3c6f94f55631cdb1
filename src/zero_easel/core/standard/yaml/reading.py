"""YAML of strangers -> plain values: texts, numbers, lists and mappings, of a size that a person would write."""

import re
from typing import Any

import yaml

CHARACTERS, VALUES, DEPTH, DIGITS = 200_000, 20_000, 20, 30
"""Most characters of a file, values in it (repeated ones as often), levels of nesting, and digits of a number."""


class Refused(yaml.YAMLError):
    """YAML that is not read; the message follows the name of its file. problem_mark: where, or None."""

    def __init__(self, reason: str, mark: Any) -> None:
        super().__init__(reason)
        self.problem_mark = mark


class _Loader(yaml.SafeLoader):
    """Values by the core schema of YAML 1.2.2 (10.3): 1:30 is a text and no number of seconds, 010 is ten, no is a
    text; what looks like a date is a text, too. No other kinds of value."""


_Loader.yaml_implicit_resolvers = {}
_Loader.yaml_constructors = {
    tag: made
    for tag, made in yaml.SafeLoader.yaml_constructors.items()
    if tag is None or tag.rpartition(":")[2] in ("null", "bool", "float", "str", "seq", "map")
}


def _whole_number(loader: yaml.SafeLoader, node: yaml.ScalarNode) -> int:
    return int(str(loader.construct_scalar(node)), 10)


_Loader.add_constructor("tag:yaml.org,2002:int", _whole_number)
for _kind, _form, _first in (
    ("null", r"~|null|Null|NULL|", ["~", "n", "N", ""]),
    ("bool", r"true|True|TRUE|false|False|FALSE", list("tTfF")),
    ("int", r"[-+]?[0-9]+", list("-+0123456789")),
    ("float", r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?|[-+]?\.(inf|Inf|INF)|\.(nan|NaN|NAN)",
     list("-+0123456789.")),
    ("merge", r"<<", ["<"]),
):  # fmt: skip
    _Loader.add_implicit_resolver(f"tag:yaml.org,2002:{_kind}", re.compile(rf"^(?:{_form})$"), _first)


def read_yaml(text: str) -> tuple[yaml.Node | None, Any]:
    """The nodes, with their lines, and the values of a text. Raises yaml.YAMLError with problem_mark."""
    if len(text) > CHARACTERS:
        raise Refused(f"it is longer than {CHARACTERS:,} characters", None)
    _measure(text)
    try:
        node = yaml.compose(text, Loader=_Loader)
        if node is None:
            return None, None
        _check_numbers(node)
        return node, _Loader("").construct_document(node)
    except (ValueError, TypeError, OverflowError, RecursionError) as error:
        raise Refused("it holds a value that cannot be read", None) from error


def _measure(text: str) -> None:
    """Count values before any is made, those that a name repeats as often as they are repeated."""
    sizes: dict[str, int] = {}
    open_parts: list[tuple[str | None, int]] = []
    total = 0
    for event in yaml.parse(text, Loader=yaml.SafeLoader):
        if isinstance(event, yaml.AliasEvent):
            if event.anchor not in sizes:
                raise Refused("a part of it holds itself", event.start_mark)
            total += sizes[event.anchor]
        elif isinstance(event, yaml.CollectionEndEvent):
            anchor, before = open_parts.pop()
            if anchor is not None:
                sizes[anchor] = total - before + 1
            continue
        elif isinstance(event, yaml.CollectionStartEvent):
            open_parts.append((event.anchor, total))
            sizes.pop(event.anchor or "", None)
            total += 1
        elif isinstance(event, yaml.ScalarEvent):
            total += 1
            if event.anchor is not None:
                sizes[event.anchor] = 1
        if total > VALUES or len(open_parts) > DEPTH:
            raise Refused("it holds more than a standard can", event.start_mark)


def _check_numbers(node: yaml.Node) -> None:
    """No number longer than a person writes: some take the square of their length to be read."""
    waiting, seen = [node], set()
    while waiting:
        one = waiting.pop()
        if id(one) in seen:
            continue
        seen.add(id(one))
        if isinstance(one, yaml.ScalarNode):
            if one.tag.endswith((":int", ":float")) and len(one.value) > DIGITS:
                raise Refused(f"this number has more than {DIGITS} digits", one.start_mark)
        elif isinstance(one, yaml.MappingNode):
            waiting += [part for pair in one.value for part in pair]
        else:
            waiting += one.value
