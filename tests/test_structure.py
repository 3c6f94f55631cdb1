"""The arrows between parts, and what ships with them."""

import ast
import re
import shutil
import subprocess
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
PACKAGE = ROOT / "src/zero_easel"
# What each part may import of the others; arrows point one way.
ALLOWED = {
    "core": {"core"},
    "pipeline": {"core"},
    "files": set(),
    "settings": set(),
    "library": {"core", "pipeline", "files", "library"},
    "runs": {"core", "pipeline", "files", "library", "runs"},
    "workbench": {"library", "runs", "settings"},
    "demo": {"core", "library", "runs", "workbench", "demo"},
    "web": {"core", "pipeline", "library", "runs", "workbench", "settings", "demo", "web"},
    "cli": {"core", "pipeline", "files", "runs", "settings", "web"},
}
NOT_IN_CORE = {"fastapi", "starlette", "sqlalchemy", "alembic", "typer", "rich", "uvicorn", "pydantic_settings", "time"}


def imports(file: Path) -> set[str]:
    found = set()
    for node in ast.walk(ast.parse(file.read_text())):
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {f"{node.module}.{alias.name}" for alias in node.names}
    return found


@pytest.mark.parametrize("part", sorted(ALLOWED))
def test_imports_point_one_way(part: str) -> None:
    files = [PACKAGE / f"{part}.py"] if (PACKAGE / f"{part}.py").exists() else sorted((PACKAGE / part).rglob("*.py"))
    assert files
    for file in files:
        own = {name.split(".")[1] for name in imports(file) if name.startswith("zero_easel.")} - {"__version__"}
        assert own <= ALLOWED[part], f"{file} imports {own - ALLOWED[part]}"


def test_core_knows_no_interface_and_no_database() -> None:
    for file in [*(PACKAGE / "core").rglob("*.py"), PACKAGE / "pipeline.py"]:
        assert not {name.split(".")[0] for name in imports(file)} & NOT_IN_CORE, file


def test_every_part_has_its_rule() -> None:
    parts = {
        p.stem
        for p in PACKAGE.iterdir()
        if p.name not in ("__init__.py", "__pycache__") and not p.name.endswith(".egg-info")
    }
    assert parts == set(ALLOWED)


def test_pages_bring_no_script_or_style_inline() -> None:
    for file in (PACKAGE / "web/templates").glob("*.html"):
        text = file.read_text()
        assert not re.search(r"<style|\sstyle=|\son[a-z]+=|<script(?![^>]*\ssrc=)|https?://", text), file


def test_the_style_sheet_is_current(tmp_path: Path) -> None:
    if shutil.which("node") is None or not (ROOT / "frontend/node_modules").exists():
        pytest.fail("the front end's packages are missing; make test installs them")
    subprocess.run(["node", "build.mjs", str(tmp_path)], cwd=ROOT / "frontend", check=True, capture_output=True)
    static = PACKAGE / "web/static"
    for built in [p for p in tmp_path.rglob("*") if p.is_file()]:
        shipped = static / built.relative_to(tmp_path)
        assert shipped.read_bytes() == built.read_bytes(), f"{shipped} is not current; run make css"


def test_lock_files_name_no_address() -> None:
    for name in ("requirements.lock", "requirements-dev.lock", "frontend/package-lock.json", "frontend/.npmrc"):
        text = (ROOT / name).read_text()
        assert "resolved" not in re.sub("omit-lockfile-registry-resolved", "", text), name
        assert not re.search(r"--(extra-)?index-url|registry *=", text), name


def test_the_demo_is_small_enough_to_ship() -> None:
    assert sum(p.stat().st_size for p in (PACKAGE / "demo").rglob("*") if p.is_file()) < 12_000_000
