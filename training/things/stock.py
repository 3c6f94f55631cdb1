"""What composites are made of, and the split into what is trained on and what is only measured on.

A folder `build/stock` holds casts/SOURCE/NAME.K.npz (casting.py), cutouts/SOURCE/NAME.png (RGBA) and
textures/SOURCE/NAME.jpg. A name's files all fall on one side of the split; whole sources are held out as well.
materials.txt names the textures that are stuff, such as wood, stone and cloth; the others are pictures of things.
"""

import zlib
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import Literal

import cv2
import numpy as np
from cast import Cast, load
from flats import flat

HELD_OUT = ("KatorLegaz", "Reallusion")
"""Sources that are only measured on."""
_SHARE = 6
"""Of every so many names of the other sources one is held out."""
_LARGEST = 640
Side = Literal["training", "fitting", "measuring"]
UNSEEN: tuple[Side, ...] = ("fitting", "measuring")


def side_of(source: str, name: str) -> Side:
    """What a thing or texture is for: training the network; fitting the constants that use its opinion; or only
    measuring both."""
    if source in HELD_OUT:
        return "measuring"
    kept, rest = divmod(zlib.crc32(name.lower().encode()), _SHARE)
    if rest:
        return "training"
    return "fitting" if kept % 2 else "measuring"


@dataclass(frozen=True)
class Stock:
    """Files of one side of the split. things: name -> its casts; thin: those of thin or holed things; cutouts: RGBA
    pictures; textures: stuff, prints: pictures of things, (h, w, 3) uint8 sRGB both."""

    things: dict[str, list[Path]]
    thin: dict[str, list[Path]]
    cutouts: list[Path]
    textures: list[np.ndarray]
    prints: list[np.ndarray]

    def pick(self, rng: np.random.Generator, kind: str | None) -> "Cast | np.ndarray":
        """A thing's cast or a cutout, (h, w, 4) uint8. kind: "cutout", "cast", "thin", "flat" or None for any."""
        dice = rng.uniform()
        if kind == "flat" or (kind is None and rng.uniform() < 0.18):
            return flat(rng, [*self.textures, *self.prints])
        if self.cutouts and (kind == "cutout" or (kind is None and dice < 0.4)):
            return _cutout(self.cutouts[rng.integers(len(self.cutouts))])
        among = self.thin if kind == "thin" or (kind is None and dice > 0.8) else self.things
        among = among or self.things
        name = list(among)[rng.integers(len(among))]
        return load(among[name][rng.integers(len(among[name]))])


def stock_of(folder: Path, *sides: Side) -> Stock:
    """All that is there on some sides of the split."""
    things: dict[str, list[Path]] = {}
    thin: dict[str, list[Path]] = {}
    for path in sorted((folder / "casts").glob("*/*.npz")):
        source, name = path.parent.name, path.name.split(".")[0]
        if ".part." in path.name or side_of(source, name) not in sides:
            continue
        things.setdefault(f"{source}/{name}", []).append(path)
        if ".thin." in path.name:
            thin.setdefault(f"{source}/{name}", []).append(path)
    cutouts = [p for p in sorted((folder / "cutouts").glob("*/*.png")) if side_of(p.parent.name, p.stem) in sides]
    pictures = [p for p in sorted((folder / "textures").glob("*/*.jpg")) if side_of(p.parent.name, p.stem) in sides]
    textures = [_texture(p) for p in pictures if f"{p.parent.name}/{p.stem}" in _materials()]
    prints = [_texture(p) for p in pictures if f"{p.parent.name}/{p.stem}" not in _materials()]
    return Stock(things, thin, cutouts, textures, prints)


@lru_cache(1)
def _materials() -> frozenset[str]:
    return frozenset(Path(__file__).with_name("materials.txt").read_text().split("\n"))


def _texture(path: Path) -> np.ndarray:
    picture = cv2.imread(str(path), cv2.IMREAD_COLOR)
    return np.ascontiguousarray(picture[..., ::-1])


@lru_cache(600)
def _cutout(path: Path) -> np.ndarray:
    picture = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    scale = _LARGEST / max(picture.shape[:2])
    if scale < 1:
        picture = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    return np.ascontiguousarray(picture[..., [2, 1, 0, 3]])
