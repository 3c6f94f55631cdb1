"""Writes THIRD-PARTY.md: what the application is shipped with, at which version, under which licence.

Names and versions are those of requirements.lock, licences those that the installed packages state.
"""

import re
import sys
from importlib.metadata import PackageNotFoundError, metadata
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
PAGE = ROOT / "THIRD-PARTY.md"

_PINNED = re.compile(r"^([a-z0-9._-]+)==([^ ;\\]+)(?: ; ([^\\]+))?", re.MULTILINE)

_STATED = {
    "colorama": "BSD-3-Clause",
    "pi-heif": "BSD-3-Clause; its wheels carry libheif and libde265, LGPL-3.0",
    "pyvips-binary": "LGPL-3.0-or-later (libvips and what it is built with)",
    "lensfunpy": "MIT; its wheels carry lensfun, LGPL-3.0, and its measurements of lenses, CC BY-SA 3.0",
    "rawpy": "MIT; its wheels carry LibRaw, LGPL-2.1 or CDDL-1.0",
    "scipy": "BSD-3-Clause",
    "numpy": "BSD-3-Clause",
}
"""Where what a package states of itself is missing, is of its Python part only, or is a list of its parts."""

_SHIPPED = (
    ("htmx", "0BSD", "web/static/js/htmx.min.js"),
    ("Hanken Grotesk", "OFL-1.1", "web/static/fonts, core/finishing/fonts"),
    ("Spline Sans Mono", "OFL-1.1", "web/static/fonts"),
    ("EfficientNet-Lite2's weights, trained on", "Apache-2.0", "core/clearing/things.onnx"),
    ("a test's picture, of a 3D model of sweethome3d-furniture", "CC0 or CC-BY-3.0", "tests/views/one-stroke.jpg"),
)

_HEAD = """# Third-party software

Zero Easel is under the [Apache License 2.0](LICENSE). It is installed with the packages below, from
`requirements.lock`, and ships the scripts, fonts and weights named at the end. `scripts/third_party.py` writes this
page, a test holds it current.

**For who ships the application.** No package here is under the GPL. Three carry libraries under the LGPL, each
as a file of its own that Python loads at run time: libvips (pyvips-binary), libheif and libde265 (pi-heif),
LibRaw (rawpy). Using them, as a shop does that installs from the lock file, asks for nothing. Who passes the
application on in one piece (an installer, a container, a device) passes on these libraries, too, and owes their
licences' texts, word of where their source is to be had, and that the user may put another build of the same
library in their place: leave the wheels' files separate and replaceable. Linked into one program file that
nobody can take apart, they may not be shipped. HEIC photos are only read, never written: the encoder that would
be under the GPL is not part of it. Reading HEIC may touch patents of the video standard in some countries.
"""


def licence_of(name: str) -> str:
    """The licence a package states, as an SPDX expression where it gives one."""
    if name in _STATED:
        return _STATED[name]
    try:
        stated = metadata(name)
    except PackageNotFoundError:
        return "not installed on this machine"
    said = stated.get("License-Expression") or (stated.get("License") or "").partition("\n")[0]
    classes = [line.rpartition(" :: ")[2] for line in stated.get_all("Classifier") or [] if line.startswith("License")]
    return said if said and len(said) < 40 else ", ".join(classes) or said


def page() -> str:
    """The text of THIRD-PARTY.md."""
    pinned = _PINNED.findall((ROOT / "requirements.lock").read_text())
    rows = [f"| {name} | {version} | {licence_of(name)} | {marker.strip()} |" for name, version, marker in pinned]
    shipped = [f"| {name} | {licence} | `{place}` |" for name, licence, place in _SHIPPED]
    table = ["| package | version | licence | only where |", "|---|---|---|---|", *rows]
    scripts = ["| shipped | licence | where |", "|---|---|---|", *shipped]
    return "\n".join([_HEAD, *table, "", *scripts, ""])


if __name__ == "__main__":
    PAGE.write_text(page())
    sys.stdout.write(f"{PAGE.name}: {len(page().splitlines())} lines\n")
