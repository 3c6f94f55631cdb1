"""Fonts: the shipped ones, and those among the assets of a standard."""

from pathlib import Path

from PIL import ImageFont

from zero_easel.core.standard.assets import FONTS, AssetError, Assets


def font_file(name: str) -> Path:
    """Where a shipped font lies; name: one of FONTS."""
    return Path(__file__).parent / f"{name}.ttf"


def font_of(assets: Assets, name: str, px: float) -> ImageFont.FreeTypeFont:
    """A shipped font, or a TrueType or OpenType file among the assets, at a size. Raises AssetError."""
    path = font_file(name) if name in FONTS else assets.path(name)
    try:
        return ImageFont.truetype(str(path), px)
    except OSError as error:
        raise AssetError(f"{name} is no font that can be read") from error
