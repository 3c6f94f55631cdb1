"""Fonts for drawing into pictures and printing on sheets, from the web fonts that the pages use.

For developers, when those change: needs fonttools and brotli, and the front end's packages installed.
"""

import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).parent.parent
OUT = ROOT / "src/zero_easel/core/fonts"
FONTS = {"text": ("hanken-grotesk", 500), "mono": ("spline-sans-mono", 400)}


def main() -> None:
    """One TrueType file for each, of one weight, with Latin and extended Latin letters."""
    for name, (family, weight) in FONTS.items():
        parts = []
        with tempfile.TemporaryDirectory() as folder:
            for part in ("latin", "latin-ext"):
                font = TTFont(ROOT / f"src/zero_easel/web/static/fonts/{family}-{part}-wght-normal.woff2")
                font = instantiateVariableFont(font, {"wght": weight})
                font.flavor = None
                for table in ("GSUB", "GPOS", "GDEF", "STAT"):
                    if table in font:
                        del font[table]
                parts.append(f"{folder}/{part}.ttf")
                font.save(parts[-1])
            merged = Merger().merge(parts)
        merged["head"].created = merged["head"].modified = 3_800_000_000
        merged.save(OUT / f"{name}.ttf", reorderTables=False)
        licence = ROOT / f"src/zero_easel/web/static/fonts/{family}-LICENSE.txt"
        (OUT / f"{name}-LICENSE.txt").write_text(licence.read_text())


if __name__ == "__main__":
    main()
