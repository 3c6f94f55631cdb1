"""Writes the table of addresses into docs/api.md, from what the API says of itself."""

import re
import sys
import tempfile
from pathlib import Path

from zero_easel.api.app import create_api
from zero_easel.settings import Settings
from zero_easel.workbench import build_workbench

PAGE = Path(__file__).resolve().parent.parent / "docs/api.md"
_TABLE = re.compile(r"(<!-- addresses -->\n).*?(<!-- end of addresses -->\n)", re.DOTALL)
_HEAD = "| | address | what it does |\n| --- | --- | --- |\n"


def page() -> str:
    """The text of docs/api.md with its table made anew."""
    with tempfile.TemporaryDirectory() as folder:
        paths = create_api(build_workbench(Settings(data=Path(folder)))).openapi()["paths"]
    rows = [
        f"| {method.upper()} | `{path}` | {operation['description'].split('. ')[0].rstrip('.')} |\n"
        for path, operations in paths.items()
        for method, operation in operations.items()
    ]
    table = _HEAD + "".join(row.replace("\n", " ", row.count("\n") - 1) for row in rows)
    return _TABLE.sub(lambda found: found[1] + table + found[2], PAGE.read_text())


if __name__ == "__main__":
    PAGE.write_text(page())
    sys.stdout.write(f"{PAGE.name}: {page().count('| `/')} addresses\n")
