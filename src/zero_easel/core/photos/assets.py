"""Files that a standard names: pictures for grounds and overlays, fonts, colour profiles."""

import io
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path

import numpy as np
from PIL import ImageCms, ImageFont

from zero_easel.core.light.colour import Encoded, Float, to_linear
from zero_easel.core.photos.decoding import Photo, decode_photo, read_photo
from zero_easel.core.photos.opening import PhotoError

SUFFIXES = frozenset({".jpg", ".jpeg", ".png", ".webp", ".tif", ".tiff", ".avif", ".ttf", ".otf", ".icc", ".icm"})
"""Endings of files that may be assets."""


class AssetError(ValueError):
    """An asset that is missing or cannot be used; the message names it and says why."""


def check_asset(name: str, data: bytes) -> None:
    """Make sure that a file is what its ending says. Raises AssetError."""
    ending = Path(name).suffix.lower()
    try:
        if ending not in SUFFIXES:
            raise AssetError(f"{name} is no picture, font or colour profile: {', '.join(sorted(SUFFIXES))}")
        if ending in (".ttf", ".otf"):
            ImageFont.truetype(io.BytesIO(data), 20).getbbox("A")
        elif ending in (".icc", ".icm"):
            _check_profile(data)
        else:
            decode_photo(data, name)
    except PhotoError as error:
        raise AssetError(str(error).removesuffix(".")) from error
    except (OSError, ValueError, KeyError, ImageCms.PyCMSError) as error:
        if isinstance(error, AssetError):
            raise
        kind = "font" if ending in (".ttf", ".otf") else "colour profile"
        raise AssetError(f"{name} is called a {kind}, and is none that can be used") from error


def _check_profile(data: bytes) -> None:
    """Raises PyCMSError or ValueError unless colours can be converted to it."""
    profile = ImageCms.ImageCmsProfile(io.BytesIO(data))
    mode = {"RGB": "RGB", "CMYK": "CMYK", "GRAY": "L"}[str(profile.profile.xcolor_space).strip()]
    ImageCms.buildTransform(ImageCms.createProfile("sRGB"), profile, "RGB", mode)


class Assets:
    """The files of one folder, by name. Nothing is read before it is needed. read: how a picture among them is decoded;
    raises PhotoError."""

    def __init__(self, folder: Path | None = None, read: Callable[[Path], Photo] = read_photo) -> None:
        self.folder, self._read = folder, read

    def names(self) -> list[str]:
        """All that can be used, sorted."""
        if self.folder is None or not self.folder.is_dir():
            return []
        return sorted(path.name for path in self.folder.iterdir() if path.suffix.lower() in SUFFIXES)

    def bytes(self, name: str) -> bytes:
        """Contents of a file. Raises AssetError."""
        try:
            return self.path(name).read_bytes()
        except OSError as error:
            raise AssetError(f"{name} cannot be read: {error.strerror or error}") from error

    def picture(self, name: str) -> tuple[Encoded, Float | None]:
        """(H, W, 3) sRGB pixels and, if the picture has an alpha of its own, that as float32 in [0, 1].

        Raises AssetError.
        """
        return _picture(self.path(name), self._read)

    def light(self, name: str) -> Float:
        """(H, W, 3) linear light of a picture. Raises AssetError."""
        return to_linear(self.picture(name)[0])

    def path(self, name: str) -> Path:
        """Where a file lies. Raises AssetError if there is none of that name."""
        # A name is a name: nothing outside the folder can be meant.
        if self.folder is None or Path(name).name != name or not (self.folder / name).is_file():
            raise AssetError(f"there is no file {name} among the assets of the standard")
        return self.folder / name


@lru_cache(4)
def _picture(path: Path, read: Callable[[Path], Photo]) -> tuple[Encoded, Float | None]:
    try:
        photo = read(path)
    except PhotoError as error:
        raise AssetError(str(error)) from error
    alpha = None if photo.alpha is None else (photo.alpha.astype(np.float32) / 255).astype(np.float32)
    return photo.pixels, alpha
