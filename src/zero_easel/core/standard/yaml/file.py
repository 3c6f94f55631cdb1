"""A standard as a YAML file with a comment beside each rule, and the schema of such files."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import yaml

from zero_easel.core.standard.checks import KINDS
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import PARTS, Standard, StandardError, faults_of, validated, write_views
from zero_easel.core.standard.overlays import Overlay
from zero_easel.core.standard.rule import Part, Rule, rules_in
from zero_easel.core.standard.yaml.reading import Refused, read_yaml

SCHEMA_NAME = "standard.schema.json"


def read_standard(text: str, name: str = "the standard", on_note: Callable[[str], object] | None = None) -> Standard:
    """A standard from its YAML text; whatever it leaves out keeps the built-in value.

    on_note: is told, in a sentence, of each rule that has another name now and was read all the same. Raises
    StandardError, which names the line of each value that is unknown or not possible.
    """
    try:
        node, data = read_yaml(text)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        where = f", line {mark.line + 1}" if mark else ""
        reason = str(error) if isinstance(error, Refused) else "this is not valid YAML"
        raise StandardError(f"{name}{where}: {reason}") from error
    if not isinstance(data, dict):
        raise StandardError(f"{name} holds no rules")
    twice = _repeated(node)
    if twice is not None:
        raise StandardError(f"{name}, line {twice.start_mark.line + 1}: {twice.value} is written twice")
    for old, new in renamed(data):
        if on_note is not None:
            on_note(f"{name}: {old} is called {new} now; it was read, and is written so.")
    faults = faults_of(data)
    if faults:
        raise StandardError("; ".join(f"{name}{_line_of(node, path)}: {reason}" for path, reason in faults[:5]))
    return validated(data)


def renamed(data: dict[str, Any]) -> list[tuple[str, str]]:
    """Rules that data calls by an earlier name are called by their present one, in place; returns both names of
    each."""
    found = []
    for part, kind in PARTS.items():
        rows = data.get(part)
        for row in rows if isinstance(rows, list) else [rows]:
            for key, rule in rules_in(kind).items():
                if isinstance(row, dict) and rule.before in row and key not in row:
                    row[key] = row.pop(rule.before)
                    found.append((f"{part}.{rule.before}", f"{part}.{key}"))
    return list(dict.fromkeys(found))


def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of the files that read_standard reads."""
    found = Standard.model_json_schema()
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A standard of Zero Easel",
        **{key: value for key, value in found.items() if key != "title"},
    }


def _line_of(node: yaml.Node | None, path: Sequence[str | int]) -> str:
    """ ", line 12": of the value at a path, or of the nearest part around it."""
    line = None
    for step in path:
        found = _child(node, step)
        if found is None:
            break
        line, node = found
    return f", line {line + 1}" if line is not None else ""


def _child(node: yaml.Node | None, step: str | int) -> tuple[int, yaml.Node] | None:
    if isinstance(node, yaml.MappingNode):
        for key, value in node.value:
            if key.value == step:
                return key.start_mark.line, value
    if isinstance(node, yaml.SequenceNode) and isinstance(step, int) and step < len(node.value):
        return node.value[step].start_mark.line, node.value[step]
    return None


def _repeated(node: yaml.Node | None) -> Any:
    """The first key that stands twice in one mapping: YAML would silently take the last."""
    if isinstance(node, yaml.MappingNode):
        seen = set()
        for key, value in node.value:
            # A key that is a list or a mapping is no rule, and is refused as one.
            if not isinstance(key, yaml.ScalarNode):
                continue
            if key.value in seen:
                return key
            seen.add(key.value)
            if (found := _repeated(value)) is not None:
                return found
    if isinstance(node, yaml.SequenceNode):
        return next((found for part in node.value if (found := _repeated(part)) is not None), None)
    return None


def write_standard(standard: Standard) -> str:
    """The standard as commented YAML; read_standard gives the same standard back."""
    return "\n".join(
        [
            "# A standard of Zero Easel: the rules that every finished picture follows.",
            "# Whatever is left out keeps the built-in value. Lengths are in %, px, mm, cm or in; one to four of them",
            "# for the sides, as top, right, bottom, left. What the fields mean in full: docs/formats.md.",
            f"name: {_q(standard.name)}",
            "",
            "canvas:",
            *_rows(standard.canvas),
            "",
            "item:",
            *_rows(standard.item),
            "",
            "# Where items follow other rules: - {category: kitchen, view: top, item: {place: centre}}",
            *_listed("exceptions", standard.exceptions),
            "",
            "# What is made of each photo, all of it in one run.",
            *_commented("deliverables", standard.deliverables, Deliverable()),
            "",
            "names:",
            *_rows(standard.names),
            "",
            "# Written into the files. Patterns with fields of the catalog, as in names; empty writes nothing.",
            "information:",
            *_rows(standard.information),
            "",
            "# Texts and pictures that deliverables may ask for by name.",
            *_commented("overlays", standard.overlays, Overlay(text="-")),
            "",
            "# What finished pictures must meet: - {rule: longest, value: at least 1000, only: zoom}. Rules are",
            f"# {', '.join(KINDS)}.",
            *_listed("checks", standard.checks),
            "",
            *_written({"hand_over": standard.hand_over}, rules_in(Standard), ""),
            "",
            '# What the first, second, ... photo of a product shows; "front; kitchen: front, top" rules a category by',
            "# itself.",
            f"views: {_q(write_views(standard.views))}",
            "",
        ]
    )


def _rows(part: Part) -> list[str]:
    return _written(part.model_dump(), rules_in(type(part)), "  ")


def _written(values: Mapping[str, Any], rules: Mapping[str, Rule], indent: str) -> list[str]:
    """Lines of a part, each with the comment of its rule."""
    rows = []
    for key, value in values.items():
        written = f"{indent}{key}: {_value(value)}"
        about = rules[key].about if key in rules else ""
        rows.append(f"{written:<34}# {about}" if about else written)
    return rows


def _listed(key: str, rows: Sequence[Part]) -> list[str]:
    """A list of parts, a line each."""
    return [f"{key}:", *(f"  - {_value(row.model_dump())}" for row in rows)] if rows else [f"{key}: []"]


def _commented(key: str, rows: Sequence[Part], usual: Part) -> list[str]:
    """A list of parts: the first with all its rules and what they mean, the others where they differ from the built-in
    values."""
    if not rows:
        return [f"{key}: []"]
    lines, rules, common = [f"{key}:"], rules_in(type(usual)), usual.model_dump()
    for at, row in enumerate(rows):
        values = row.model_dump()
        kept = values if at == 0 else {k: v for k, v in values.items() if k == "name" or common[k] != v}
        first, *others = _written(kept, rules if at == 0 else {}, "    ")
        lines += [f"  - {first.lstrip()}", *others]
    return lines


def _value(value: object) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Mapping):
        return "{" + ", ".join(f"{key}: {_value(one)}" for key, one in value.items()) + "}"
    if isinstance(value, (list, tuple)):
        return "[" + ", ".join(_value(one) for one in value) + "]"
    if isinstance(value, (int, float)):
        short = f"{value:.10g}"
        return short if float(short) == value else repr(value)
    return _q(str(value))


def _q(text: str) -> str:
    """Text as YAML, in quotes only where it needs them: here ("0e0") or with readers of YAML 1.1 ("no")."""
    bare = text.replace("-", "").isalnum() and text.isascii() and text.islower()
    if bare and yaml.safe_load(text) == read_yaml(text)[1] == text:
        return text
    return str(yaml.safe_dump(text, allow_unicode=True, default_style='"', width=float("inf"))).strip()
