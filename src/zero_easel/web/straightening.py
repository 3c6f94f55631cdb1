"""Straightening a photo: what its lens bent, and a rectangle that was seen at an angle, tried at screen size."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from zero_easel.core.items.rectangle import rectangle_of
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, Rectification, problem_of, rectified
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.photos.lenses import KnownLens, lens_in
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.photos.reducing import thumbnail
from zero_easel.engines.cutouts import kept_cutout
from zero_easel.library.changes.cutouts import empties_of
from zero_easel.library.shoots import LARGE, remake_small
from zero_easel.library.store.models import PhotoRow
from zero_easel.library.store.vault import Vault, cutout_key


def straight_large(
    session: Session, vault: Vault, digest: str, frame: Size, rectification: Rectification, longest: int = LARGE
) -> NDArray[np.uint8] | None:
    """A photo at screen size as it is drawn, (h, w, 3) sRGB; None where it is not there. frame: of the original, px.
    longest: px of the longer side, at most. Raises ValueError with a sentence if it cannot be rectified so."""
    if problem := problem_of(rectification, frame):
        raise ValueError(f"{problem}.")
    if not vault.large(digest).exists():
        remake_small(session, vault, digest)
    return _straight(vault, digest, frame, rectification, longest)


@lru_cache(8)
def _straight(
    vault: Vault, digest: str, frame: Size, rectification: Rectification, longest: int
) -> NDArray[np.uint8] | None:
    pixels = _at_screen_size(vault, digest, longest)
    if pixels is None or rectification == AS_PHOTOGRAPHED:
        return pixels
    known = rectification.reduced(frame.longest / max(pixels.shape))
    return np.asarray(rectified(pixels, known, Size.of(pixels)), np.uint8)


@lru_cache(4)
def _at_screen_size(vault: Vault, digest: str, longest: int) -> NDArray[np.uint8] | None:
    try:
        return np.asarray(thumbnail(read_photo(vault.large(digest).path()).pixels, longest), np.uint8)
    except PhotoError:
        return None


def rectangle_in(session: Session, vault: Vault, photo: PhotoRow) -> tuple[tuple[float, float], ...]:
    """Corners of the rectangle that a photo's item fills, px of the upright photo; empty if it fills none, or is not
    cut out."""
    item = kept_cutout(vault.cutout(cutout_key(photo.digest, empties_of(session, photo.shoot_id), photo.marks)))
    return rectangle_of(item) if item is not None else ()


@lru_cache(2_000)
def known_lens(vault: Vault, digest: str) -> KnownLens | None:
    """The lens of an original, if its file names one that is known."""
    return lens_in(vault.original(digest).path())
