"""What one item, placed by eye, says about the rule."""

from zero_easel.core.placing.placement import Adjustment, Placement
from zero_easel.core.standard.editing import changed
from zero_easel.core.standard.lengths import Length, Sides
from zero_easel.core.standard.model import Scope, Standard, StandardError
from zero_easel.core.standard.rules import Canvas, Item

_DIGITS = 2


def rules_from(standard: Standard, scope: Scope, placement: Placement, adjustment: Adjustment) -> Standard:
    """The standard by which an item comes to stand where a person placed it, without being moved by hand.

    placement: where it stands. scope: the items for which the rule is meant. Raises StandardError if no rule can say
    it."""
    if not adjustment.moves:
        raise StandardError("this photo stands by the rule already")
    canvas, item = standard.canvas, standard.rules_for(scope)
    if adjustment.scale != 1:
        standard = changed(standard, *_scaled(item, placement, adjustment), scope)
    if adjustment.down:
        standard = _lower(standard, item, canvas, adjustment.down / 100 * canvas.shorter, scope)
    if adjustment.right:
        margin = _beside(canvas, standard.rules_for(scope).margins, adjustment.right / 100 * canvas.shorter)
        standard = changed(standard, "item.margin", margin, scope)
    return standard


def _scaled(item: Item, placement: Placement, adjustment: Adjustment) -> tuple[str, str]:
    if item.scale == "true-size":
        if placement.px_per_mm is None:
            raise StandardError("its true size is not known")
        return "item.px_per_mm", f"{placement.scale * placement.px_per_mm:.4f}"
    if item.scale == "share" and item.share_of == "frame":
        # As it stands now: a margin may have kept it below the share that the rule asks for.
        return "item.share", f"{100 * placement.share:.{_DIGITS}f}"
    factor = adjustment.scale**2 if item.share_of == "area" and item.scale == "share" else adjustment.scale
    return "item.share", f"{item.share * factor:.{_DIGITS}f}"


def _lower(standard: Standard, item: Item, canvas: Canvas, down: float, scope: Scope) -> Standard:
    """The line, or the middle, moved by so many px."""
    if item.place == "line":
        line = item.base
        px = line.px(canvas.height, canvas.density) - down
        per_unit = Length(1, line.unit).px(canvas.height, canvas.density)
        return changed(standard, "item.line", f"{px / per_unit:.{_DIGITS}f}{line.unit}", scope)
    top, right, bottom, left = canvas.px(item.margins)
    return changed(standard, "item.margin", _written(top + 2 * down, right, bottom, left), scope)


def _beside(canvas: Canvas, margins: Sides, right: float) -> str:
    """Margins whose middle lies so many px further to the right; none of them smaller than it was."""
    top, old_right, bottom, left = canvas.px(margins)
    if right > 0:
        left += 2 * right
    else:
        old_right -= 2 * right
    return _written(top, old_right, bottom, left)


def _written(*sides: float) -> str:
    if min(sides) < 0:
        raise StandardError("no margin can say this: it would have to be negative")
    return " ".join(f"{side:.{_DIGITS}f}px" for side in sides)
