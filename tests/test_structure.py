"""The order of the house, and what ships with it; arrows between its parts are held by import contracts."""

import ast
import json
import re
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
PACKAGE = ROOT / "src/zero_easel"
MOST_MODULES = 16


@pytest.mark.parametrize("room", sorted(p.name for p in (PACKAGE / "core").iterdir() if (p / "__init__.py").exists()))
def test_a_room_of_the_core_is_small_and_says_what_it_holds(room: str) -> None:
    folder = PACKAGE / "core" / room
    assert len([p for p in folder.glob("*.py") if p.name != "__init__.py"]) <= MOST_MODULES
    said = (folder / "__init__.py").read_text()
    assert "Begin with" in said or room == "light"


def test_items_and_rules_load_without_inference_and_web() -> None:
    loads = "import sys, zero_easel.core.items.item, zero_easel.core.standard.model; print('\\n'.join(sys.modules))"
    loaded = set(
        subprocess.run([sys.executable, "-c", loads], capture_output=True, text=True, check=True).stdout.split()
    )
    assert not loaded & {"onnxruntime", "scipy", "fastapi", "starlette", "sqlalchemy", "pyvips"}


def test_no_class_name_stands_in_two_modules() -> None:
    names: dict[str, list[str]] = {}
    for file in PACKAGE.rglob("*.py"):
        for node in ast.parse(file.read_text()).body:
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                names.setdefault(node.name, []).append(str(file.relative_to(PACKAGE)))
    assert {name: files for name, files in names.items() if len(files) > 1} == {}


def test_pages_bring_no_script_or_style_inline() -> None:
    for file in (PACKAGE / "web/templates").glob("*.html"):
        text = file.read_text()
        assert max(map(len, text.splitlines())) <= 200, file
        assert not re.search(r"<style|\sstyle=|\son[a-z]+=|<script(?![^>]*\ssrc=)|https?://", text), file


def test_the_style_sheet_is_current(tmp_path: Path) -> None:
    if shutil.which("node") is None or not (ROOT / "frontend/node_modules").exists():
        pytest.fail("the front end's packages are missing; make test installs them")
    subprocess.run(["node", "build.mjs", str(tmp_path)], cwd=ROOT / "frontend", check=True, capture_output=True)
    static = PACKAGE / "web/static"
    for built in [p for p in tmp_path.rglob("*") if p.is_file()]:
        shipped = static / built.relative_to(tmp_path)
        assert shipped.read_bytes() == built.read_bytes(), f"{shipped} is not current; run make css"


def page_of(script: str) -> str:
    """A page of docs as a script would write it now."""
    loads = f"import {script}; print({script}.page(), end='')"
    run = subprocess.run(
        [sys.executable, "-c", loads], cwd=ROOT / "scripts", capture_output=True, text=True, check=True
    )
    return run.stdout


def test_the_tables_of_rules_are_current() -> None:
    text = (ROOT / "docs/formats.md").read_text()
    assert text == page_of("rule_tables"), "run make docs"
    assert "| `straighten_limit` | 0 to 45 ° | `12` |" in text


def test_the_table_of_addresses_is_current() -> None:
    text = (ROOT / "docs/api.md").read_text()
    assert text == page_of("api_table"), "run make docs"
    assert "| GET | `/shoots/{shoot_id}/photos` |" in text


def test_the_table_of_rights_is_current() -> None:
    assert (ROOT / "docs/rights.md").read_text() == page_of("rights_table"), "run make docs"


def test_the_page_of_licences_is_current() -> None:
    made = page_of("third_party")
    assert (ROOT / "THIRD-PARTY.md").read_text() == made, "run make docs"
    locked = set(re.findall(r"^([a-z0-9._-]+)==", (ROOT / "requirements.lock").read_text(), re.MULTILINE))
    rows = {row.split(" | ")[0].strip("| "): row for row in made.splitlines() if row.startswith("| ")}
    assert locked <= set(rows) and not [row for row in rows.values() if "not installed" in row]
    assert not [name for name in locked if re.search(r"(?<!L)GPL", rows[name])]
    assert "Apache License" in (ROOT / "LICENSE").read_text()


def test_the_bill_of_materials_is_current() -> None:
    made = page_of("sbom")
    assert (ROOT / "sbom.json").read_text() == made, "run make docs"
    told = json.loads(made)
    assert told["bomFormat"] == "CycloneDX" and told["specVersion"] == "1.6"
    locked = set(re.findall(r"^([a-z0-9._-]+)==", (ROOT / "requirements.lock").read_text(), re.MULTILINE))
    assert locked < {one["name"] for one in told["components"]}
    assert all(one["hashes"] for one in told["components"] if one["purl"].startswith("pkg:pypi/"))


def test_lock_files_name_no_address() -> None:
    for name in ("requirements.lock", "requirements-dev.lock", "frontend/package-lock.json", "frontend/.npmrc"):
        text = (ROOT / name).read_text()
        assert "resolved" not in re.sub("omit-lockfile-registry-resolved", "", text), name
        assert not re.search(r"--(extra-)?index-url|registry *=", text), name


def test_the_demo_is_small_enough_to_ship() -> None:
    assert sum(p.stat().st_size for p in (PACKAGE / "demo").rglob("*") if p.is_file()) < 12_000_000
