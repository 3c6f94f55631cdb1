"""Writes the tables of rules into docs/formats.md, from what the rules declare of themselves."""

import re
import sys
from pathlib import Path

from pydantic.fields import FieldInfo

from zero_easel.core.standard.model import PARTS, Standard
from zero_easel.core.standard.rule import Rule, limits_of, rules_in, values_of

PAGE = Path(__file__).resolve().parent.parent / "docs/formats.md"
_TABLE = re.compile(r"(<!-- rules of (\w+) -->\n).*?(<!-- end of rules -->\n)", re.DOTALL)
_HEAD = "| rule | values | built in | meaning |\n| --- | --- | --- | --- |\n"


def table_of(part: str) -> str:
    """The rules of a part of a standard, or of the standard itself, as a table."""
    kind = Standard if part == "standard" else PARTS[part]
    return _HEAD + "".join(_row(name, rule, kind.model_fields[name]) for name, rule in rules_in(kind).items())


def page() -> str:
    """The text of docs/formats.md with its tables made anew."""
    return _TABLE.sub(lambda found: found[1] + table_of(found[2]) + found[3], PAGE.read_text())


def _row(name: str, rule: Rule, info: FieldInfo) -> str:
    values = ", ".join(f"`{value}`" for value in values_of(info) if value not in ("true", "false"))
    values = values or " ".join(filter(None, (limits_of(info), rule.unit)))
    plain = isinstance(info.default, str | int | float) and not isinstance(info.default, bool)
    built_in = f"`{info.default}`" if plain and info.default != "" else rule.empty
    meaning = ". ".join(text[:1].upper() + text[1:] for text in (rule.about or rule.label, rule.more) if text)
    return "| " + " | ".join(_cell(text) for text in (f"`{name}`", values, built_in, meaning)) + " |\n"


def _cell(text: str) -> str:
    return text.replace("|", "\\|")


if __name__ == "__main__":
    PAGE.write_text(page())
    sys.stdout.write(f"{PAGE.name}: {len(_TABLE.findall(page()))} tables\n")
