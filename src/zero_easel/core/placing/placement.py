"""What is placed, what a person decided about it, and where it came to stand."""

from enum import StrEnum
from typing import Any, Literal, NamedTuple, Self

from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, Rectification
from zero_easel.core.placing.pose import Dimensions
from zero_easel.core.standard.rules import Item
from zero_easel.core.tone.noise import Noise
from zero_easel.core.tone.toning import Nine, Tone


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
    of some proportions, which go before. backdrop: "cleared" or "kept" instead of the rule's, or "". neutral: linear
    sRGB of what ought to be neutral in the photo, instead of the measured backdrop. target: the matrix on linear sRGB
    that a colour target gave, row by row. rectified: what is undone of the photo's geometry before all else.
    """

    turn: float | None = None
    scale: float = 1.0
    right: float = 0.0
    down: float = 0.0
    keep: tuple[float, float] | None = None
    backdrop: Literal["", "cleared", "kept"] = ""
    zoom: float = 1.0
    parts: tuple[KeptPart, ...] = ()
    neutral: tuple[float, float, float] | None = None
    target: Nine | None = None
    rectified: Rectification = AS_PHOTOGRAPHED

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

    def placed_like(self, other: Self) -> Self:
        """Placed as another photo is; what is known of this photo's own light and geometry stays."""
        return other._replace(neutral=self.neutral, target=self.target, rectified=self.rectified)

    def changed(self) -> dict[str, Any]:
        """Only what differs from the rule."""
        usual = Adjustment()._asdict()
        return {key: value for key, value in self._asdict().items() if value != usual[key]}

    @classmethod
    def of(cls, changed: dict[str, Any]) -> Self:
        """The adjustment of which changed() gave this."""
        keep = changed.get("keep")
        parts = tuple(KeptPart(*part) for part in changed.get("parts", ()))
        light = {key: tuple(changed[key]) for key in ("neutral", "target") if changed.get(key)}
        geometry = {"rectified": Rectification.of(changed["rectified"])} if "rectified" in changed else {}
        return cls(**{**changed, "keep": tuple(keep) if keep else None, "parts": parts, **light, **geometry})


class Subject(NamedTuple):
    """A photo that is to be placed. measures: of its item, None if it has none (or is not cleared yet). frame: of the
    upright photo, px. listed: the colour that the catalog says."""

    measures: Measures | None
    frame: Size
    category: str = ""
    view: str = ""
    size: Dimensions = Dimensions()
    adjustment: Adjustment = Adjustment()
    listed: str = ""


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
    LIGHT = "light"
    TONED = "toned"


_CALLS = frozenset(
    {NoteKind.CUT, NoteKind.SIZE, NoteKind.TILT, NoteKind.MARGIN, NoteKind.POSITION, NoteKind.ALONE, NoteKind.LIGHT}
)


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


class Lens(NamedTuple):
    """What a lens did to a photo: log light of its corner against its middle, 0 for nothing. frame: of the photo, px.
    middle: of its item, px, where light stays as it is."""

    vignette: float = 0.0
    frame: Size = Size(0, 0)
    middle: tuple[float, float] = (0.0, 0.0)


class Seen(NamedTuple):
    """Colours of a finished picture, CIE L*a*b*. backdrop: of what lay behind the item, None if unknown. listed: what
    the catalog says, "" if nothing that is understood. off: how far the item's main colours are from that, None if it
    cannot be told. described: the item's largest colour in words."""

    backdrop: tuple[float, float, float] | None = None
    listed: str = ""
    off: float | None = None
    described: str = ""


class Placement(NamedTuple):
    """One picture, laid out. matrix: from px of the upright photo to px of the canvas. box: of the item on the canvas
    by its outline, None for an uncut picture without one. by_rule: the same map without what a person changed. turn:
    degrees, clockwise. share: of the frame. px_per_mm: of the photo, None if unknown. origin: where the standard's own
    canvas begins on this one, px. cut_sides: sides of the canvas at which the item is cut off. tone: what is done to
    its light. noise: what of it is to be taken away, measured at the photo's own scale. lens: what of it is to be
    evened out. seen: how its colours come out."""

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
    tone: Tone = Tone()
    noise: Noise | None = None
    lens: Lens = Lens()
    seen: Seen = Seen()

    @property
    def scale(self) -> float:
        """px of the canvas to a px of the photo."""
        return self.matrix.scale
