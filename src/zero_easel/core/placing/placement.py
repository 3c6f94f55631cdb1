"""What is placed, what a person decided about it, and where it came to stand."""

from typing import Literal, NamedTuple

from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.placing.pose import Dimensions
from zero_easel.core.standard.rules import Item


class Adjustment(NamedTuple):
    """What a person decided for one photo.

    turn: degrees, clockwise, instead of the rule's; None leaves it to the rule. scale: factor on the rule's scale.
    right, down: shift in % of the canvas's shorter side, so that it means the same at every size. keep: middle of what
    an uncut picture shows, in px of the upright photo. backdrop: "cleared" or "kept" instead of the rule's, or "".
    """

    turn: float | None = None
    scale: float = 1.0
    right: float = 0.0
    down: float = 0.0
    keep: tuple[float, float] | None = None
    backdrop: Literal["", "cleared", "kept"] = ""

    @property
    def moves(self) -> bool:
        """Whether the item sits otherwise than the rule says."""
        return self[:4] != Adjustment()[:4]


class Subject(NamedTuple):
    """A photo that is to be placed. measures: of its item, None if it has none (or is not cleared yet). frame: of the
    upright photo, px."""

    measures: Measures | None
    frame: Size
    category: str = ""
    view: str = ""
    size: Dimensions = Dimensions()
    hand: Adjustment = Adjustment()


class Note(NamedTuple):
    """Something a person should know. kind: "cut", "size", "tilt", "margin", "position", "alone", "enlarged", "limit",
    "guess" or "frame"; the first six are reasons to look."""

    kind: str
    text: str

    @property
    def calls(self) -> bool:
        """Whether it is a reason to look."""
        return self.kind in ("cut", "size", "tilt", "margin", "position", "alone")


class Placement(NamedTuple):
    """One picture, laid out. way: from px of the upright photo to px of the canvas. canvas: width, height, px. box:
    of the item on the canvas by its outline, None for an uncut picture without one. by_rule: the same without what a
    person changed. turn: degrees, clockwise. share: of the frame. px_per_mm: of the photo, None if unknown. held:
    what the drawn item itself must meet. origin: where the standard's own canvas begins on this one, px."""

    way: Map
    canvas: Size
    box: Box | None
    by_rule: Map
    rules: Item
    turn: float
    share: float
    px_per_mm: float | None
    notes: tuple[Note, ...]
    held: "Alignment"
    origin: tuple[float, float] = (0.0, 0.0)

    @property
    def scale(self) -> float:
        """px of the canvas to a px of the photo."""
        return self.way.scale


class Alignment(NamedTuple):
    """What of a rule the drawn item itself is held to. scale: the side whose length follows the rule, or "". across:
    whether its box is centred. down: the side that lies on a line, "middle", or ""."""

    scale: Literal["width", "height", ""] = ""
    across: bool = False
    down: Literal["bottom", "middle", ""] = ""
