"""Whole pictures: photos that are delivered with their backdrop, and the standard that such a job begins with."""

from collections.abc import Sequence

from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import Names, Standard
from zero_easel.core.standard.rules import Canvas, Item

NAME = "Whole pictures"
_FRAMED = {"fit": "percent", "size": 100, "cover_around": "middle"}
"""Rules of items by which a photo's own framing is what is fitted."""
NAMES = Names(name="{original}", keep_folders=True, count="run")
"""How files are called where nobody said anything yet."""
USUAL = Deliverable(name="pictures", size="longest", number=1400)
"""What is made where nobody said anything yet."""


def whole_standard(
    deliverables: Sequence[Deliverable] = (USUAL,),
    *,
    canvas: Canvas | None = None,
    names: Names = NAMES,
    enlarge: bool = False,
    backdrop: str = "kept",
    shadow: str = "drop",
) -> Standard:
    """Rules by which photos keep their framing and take the sizes of their deliverables from their own proportions.
    backdrop: "in-place" clears it where the item stands.

    Raises pydantic's ValidationError for what is not possible.
    """
    return Standard(
        name=NAME,
        canvas=canvas or Canvas(ground="#FFFFFF", padding="0px", density=72),
        item=Item.model_validate(_FRAMED | {"backdrop": backdrop, "shadow": shadow, "reduce_only": not enlarge}),
        names=names,
        deliverables=tuple(deliverables),
    )
