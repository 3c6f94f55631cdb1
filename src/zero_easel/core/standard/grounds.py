"""Grounds: what lies behind an item on its canvas. A colour, nothing, a gradient, or a picture."""

from functools import lru_cache
from typing import NamedTuple

from zero_easel.core.light.hex_colour import write_hex

TRANSPARENT = "transparent"
WHITE = "#FFFFFF"
GRADIENTS = ("vertical", "radial")


class Ground(NamedTuple):
    """kind: "colour", "transparent", "vertical", "radial" or "picture". colours: CSS hex; of a gradient from top to
    bottom, or from the middle to the corners. picture: name of an asset."""

    kind: str
    colours: tuple[str, ...] = ()
    picture: str = ""

    def __str__(self) -> str:
        return " ".join(part for part in (*self._leading(), *self.colours, self.picture) if part)

    def _leading(self) -> tuple[str, ...]:
        return () if self.kind == "colour" else (self.kind,)

    @property
    def plain(self) -> str:
        """One colour to stand for it: where it is cut into text or drawn small. White for a picture or none."""
        return self.colours[0] if self.colours else WHITE


@lru_cache(200)
def read_ground(text: str) -> Ground:
    """ "#FFFFFF", "transparent", "vertical #FFFFFF #E8E8E8", "radial #FFFFFF #DDDDDD", "picture oak.jpg".

    Raises ValueError.
    """
    words = text.split()
    if [word.lower() for word in words] == [TRANSPARENT]:
        return Ground(TRANSPARENT)
    kind = words[0].lower() if words else ""
    if kind in GRADIENTS:
        if len(words) != 3:
            raise ValueError(f"a {kind} gradient needs two colours, like: {kind} #FFFFFF #E8E8E8 (given: {text})")
        return Ground(kind, (write_hex(words[1]), write_hex(words[2])))
    if kind == "picture":
        name = text.strip()[len("picture") :].strip()
        if not name:
            raise ValueError("a ground of a picture needs the picture's name")
        return Ground("picture", (), name)
    if len(words) != 1:
        raise ValueError(f"{text!r} is not a colour like #FFFFFF")
    return Ground("colour", (write_hex(words[0]),))
