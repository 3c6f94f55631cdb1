"""Fonts for drawing into pictures and printing on sheets, from the web fonts that the pages use.

For developers, when those change: needs fonttools and brotli, and the front end's packages installed.
"""

import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).parent.parent
WEB_FONTS = ROOT / "frontend/node_modules/@fontsource-variable"
OUT = ROOT / "src/zero_easel/core/finishing/fonts"
FAMILIES = {"text": ("hanken-grotesk", 500, 750), "mono": ("spline-sans-mono", 400, 650)}
"""Family, and the weights that are its regular and its bold face."""


def face(family: str, weight: int, style: str) -> TTFont:
    """One TrueType font of one weight, with Latin and extended Latin letters."""
    parts = []
    with tempfile.TemporaryDirectory() as folder:
        for part in ("latin", "latin-ext"):
            font = TTFont(WEB_FONTS / family / f"files/{family}-{part}-wght-{style}.woff2")
            font = instantiateVariableFont(font, {"wght": weight})
            font.flavor = None
            for table in ("GSUB", "GPOS", "GDEF", "STAT"):
                if table in font:
                    del font[table]
            parts.append(f"{folder}/{part}.ttf")
            font.save(parts[-1])
        merged = Merger().merge(parts)
    merged["head"].created = merged["head"].modified = 3_800_000_000
    return merged


def main() -> None:
    """Four faces of each family, and its licence."""
    for name, (family, regular, bold) in FAMILIES.items():
        for ending, weight, style in (
            ("", regular, "normal"),
            ("-bold", bold, "normal"),
            ("-italic", regular, "italic"),
            ("-bold-italic", bold, "italic"),
        ):
            face(family, weight, style).save(OUT / f"{name}{ending}.ttf", reorderTables=False)
        (OUT / f"{name}-LICENSE.txt").write_text((WEB_FONTS / family / "LICENSE").read_text())


if __name__ == "__main__":
    main()
