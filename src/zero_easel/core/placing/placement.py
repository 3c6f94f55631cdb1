"""What is placed, what a person decided about it, and where it came to stand."""

from enum import StrEnum
from typing import Any, Literal, NamedTuple, Self

from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.placing.pose import Dimensions
from zero_easel.core.standard.rules import Item


class KeptPart(NamedTuple):
    """What of a whole picture is kept where "cover" cuts. ratio: width to height of the canvases that it is for. x, y:
    its middle, px of the upright photo. zoom: how much closer than need be, 1 or more."""

    ratio: float
    x: float
    y: float
    zoom: float = 1.0


_SAME_RATIO = 0.004
"""Canvases whose proportions differ by no more are of one ratio: sides are whole px."""


class Adjustment(NamedTuple):
    """What a person decided for one photo, as a difference from the rule.

    turn: degrees, clockwise, instead of the rule's; None leaves it to the rule. scale: factor on the rule's scale.
    right, down: shift in % of the canvas's shorter side, so that it means the same at every size. keep: middle of what
    an uncut picture shows, in px of the upright photo; zoom: how much closer than need be. parts: the same for canvases
    of some proportions, which go before. backdrop: "cleared" or "kept" instead of the rule's, or "".
    """

    turn: float | None = None
    scale: float = 1.0
    right: float = 0.0
    down: float = 0.0
    keep: tuple[float, float] | None = None
    backdrop: Literal["", "cleared", "kept"] = ""
    zoom: float = 1.0
    parts: tuple[KeptPart, ...] = ()

    def kept_on(self, canvas: Size) -> tuple[tuple[float, float] | None, float]:
        """Middle and zoom of what is kept on a canvas; None leaves the middle to the rule."""
        ratio = canvas.width / canvas.height
        for part in self.parts:
            if abs(part.ratio / ratio - 1) <= _SAME_RATIO:
                return (part.x, part.y), part.zoom
        return self.keep, self.zoom

    def with_part(self, part: KeptPart) -> Self:
        """The same with another part kept on canvases of its ratio."""
        others = tuple(one for one in self.parts if abs(one.ratio / part.ratio - 1) > _SAME_RATIO)
        return self._replace(parts=(*others, part))

    @property
    def moves(self) -> bool:
        """Whether the item sits otherwise than the rule says."""
        return self[:4] != Adjustment()[:4]

    def changed(self) -> dict[str, Any]:
        """Only what differs from the rule."""
        usual = Adjustment()._asdict()
        return {key: value for key, value in self._asdict().items() if value != usual[key]}

    @classmethod
    def of(cls, changed: dict[str, Any]) -> Self:
        """The adjustment of which changed() gave this."""
        keep = changed.get("keep")
        parts = tuple(KeptPart(*part) for part in changed.get("parts", ()))
        return cls(**{**changed, "keep": tuple(keep) if keep else None, "parts": parts})


class Subject(NamedTuple):
    """A photo that is to be placed. measures: of its item, None if it has none (or is not cleared yet). frame: of the
    upright photo, px."""

    measures: Measures | None
    frame: Size
    category: str = ""
    view: str = ""
    size: Dimensions = Dimensions()
    adjustment: Adjustment = Adjustment()


class NoteKind(StrEnum):
    """What a note is about."""

    CUT = "cut"
    SIZE = "size"
    TILT = "tilt"
    MARGIN = "margin"
    POSITION = "position"
    ALONE = "alone"
    ENLARGED = "enlarged"
    LIMIT = "limit"
    GUESS = "guess"
    FRAME = "frame"
    CLIPPED = "clipped"


_CALLS = frozenset({NoteKind.CUT, NoteKind.SIZE, NoteKind.TILT, NoteKind.MARGIN, NoteKind.POSITION, NoteKind.ALONE})


class Note(NamedTuple):
    """Something a person should know about a placement."""

    kind: NoteKind
    text: str

    @property
    def calls(self) -> bool:
        """Whether it is a reason to look."""
        return self.kind in _CALLS


class Alignment(NamedTuple):
    """What of a rule the drawn item itself must meet. scale: the side whose length follows the rule, or "". across:
    whether its box is centred. down: the side that lies on a line, "middle", or ""."""

    scale: Literal["width", "height", ""] = ""
    across: bool = False
    down: Literal["bottom", "middle", ""] = ""


class Placement(NamedTuple):
    """One picture, laid out. matrix: from px of the upright photo to px of the canvas. box: of the item on the canvas
    by its outline, None for an uncut picture without one. by_rule: the same map without what a person changed. turn:
    degrees, clockwise. share: of the frame. px_per_mm: of the photo, None if unknown. origin: where the standard's own
    canvas begins on this one, px. cut_sides: sides of the canvas at which the item is cut off."""

    matrix: Map
    canvas: Size
    box: Box | None
    by_rule: Map
    rules: Item
    turn: float
    share: float
    px_per_mm: float | None
    notes: tuple[Note, ...]
    alignment: Alignment
    origin: tuple[float, float] = (0.0, 0.0)
    cut_sides: tuple[str, ...] = ()

    @property
    def scale(self) -> float:
        """px of the canvas to a px of the photo."""
        return self.matrix.scale
