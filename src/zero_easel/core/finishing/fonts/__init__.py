"""Fonts: the shipped ones, and those among the assets of a standard."""

from pathlib import Path

from PIL import ImageFont

from zero_easel.core.photos.assets import AssetError, Assets
from zero_easel.core.standard.overlays import FONTS


def font_file(name: str, face: str = "regular") -> Path:
    """Where a face of a shipped family lies; name: one of FONTS. face: regular, bold, italic or bold-italic."""
    return Path(__file__).parent / (f"{name}.ttf" if face == "regular" else f"{name}-{face}.ttf")


def font_of(assets: Assets, name: str, px: float, face: str = "regular") -> ImageFont.FreeTypeFont:
    """A face of a shipped family, or a TrueType or OpenType file among the assets, at a size. Raises AssetError."""
    path = font_file(name, face) if name in FONTS else assets.path(name)
    try:
        return ImageFont.truetype(str(path), px)
    except OSError as error:
        raise AssetError(f"{name} is no font that can be read") from error
