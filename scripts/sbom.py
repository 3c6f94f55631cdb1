"""Writes sbom.json: what the application is made of, as CycloneDX 1.6, from its lock files and what it ships."""

import json
import re
import sys
from pathlib import Path
from typing import Any

from third_party import ROOT, licence_of

PAGE = ROOT / "sbom.json"
_LOCKED = re.compile(
    r"^([a-z0-9._-]+)==([^ ;\\]+)(?: ; ([^\\]+))? ?\\?\n((?:    --hash=sha256:[0-9a-f]{64}(?: \\)?\n)+)", re.MULTILINE
)
_VERSION = re.compile(r'^version = "([^"]+)"', re.MULTILINE)


def page() -> str:
    """The text of sbom.json."""
    version = _VERSION.search((ROOT / "pyproject.toml").read_text())
    assert version
    application = {"type": "application", "bom-ref": "zero-easel", "name": "zero-easel", "version": version[1]}
    components = [*_packages(), *_scripts()]
    found = {
        "$schema": "http://cyclonedx.org/schema/bom-1.6.schema.json",
        "bomFormat": "CycloneDX",
        "specVersion": "1.6",
        "version": 1,
        "metadata": {"component": application | {"licenses": [{"license": {"id": "Apache-2.0"}}]}},
        "components": components,
        "dependencies": [{"ref": "zero-easel", "dependsOn": [one["bom-ref"] for one in components]}],
    }
    return json.dumps(found, indent=1) + "\n"


def _packages() -> list[dict[str, Any]]:
    """Packages of requirements.lock, with the digests that pip insists on."""
    found = []
    for name, version, where, hashes in _LOCKED.findall((ROOT / "requirements.lock").read_text()):
        digests = re.findall(r"sha256:([0-9a-f]{64})", hashes)
        one = _component(name, version, f"pkg:pypi/{name}@{version}", licence_of(name))
        one["hashes"] = [{"alg": "SHA-256", "content": digest} for digest in digests]
        if where:
            one["properties"] = [{"name": "zero-easel:only-where", "value": where.strip()}]
        found.append(one)
    return found


def _scripts() -> list[dict[str, Any]]:
    """Scripts and fonts of the npm registry that are shipped with the pages."""
    packages = json.loads((ROOT / "frontend/package-lock.json").read_text())["packages"]
    shipped = ("htmx.org", "@fontsource-variable/hanken-grotesk", "@fontsource-variable/spline-sans-mono")
    return [
        _component(name, one["version"], f"pkg:npm/{name.replace('@', '%40')}@{one['version']}", one.get("license", ""))
        for name in shipped
        for one in [packages[f"node_modules/{name}"]]
    ]


def _component(name: str, version: str, address: str, licence: str) -> dict[str, Any]:
    told = [{"license": {"name": licence}}] if licence else []
    return {"type": "library", "bom-ref": address, "name": name, "version": version, "purl": address, "licenses": told}


if __name__ == "__main__":
    Path(PAGE).write_text(page())
    sys.stdout.write(f"{PAGE.name}: {len(json.loads(page())['components'])} components\n")
