"""A few items of a shoot as the rules place them, beside the sentences of a standard."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy.orm import Session

from zero_easel.core.finishing.overlay_places import PlacedOverlay, placed_overlays
from zero_easel.core.photos.assets import Assets
from zero_easel.core.placing.layout import is_by_row, lay_out, rules_of
from zero_easel.core.placing.placement import Placement
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.patterns import Value
from zero_easel.library.lists.lineup import RowEntry
from zero_easel.library.products import products_by_code

_SAMPLES = 6


@dataclass(frozen=True)
class Sample:
    """An item on its canvas. share: of the canvas's height, in per cent. overlays: where they will lie."""

    entry: RowEntry
    placement: Placement
    share: int
    overlays: list[PlacedOverlay]


def samples_of(session: Session, row: Sequence[RowEntry], rules: Standard, on: str, assets: Assets) -> list[Sample]:
    """A few items of different products as the rules place them. on: the deliverable on whose canvas they are, "" for
    the standard's own, which carries all overlays."""
    chosen: dict[str, RowEntry] = {}
    for entry in row:
        if entry.subject.measures is not None or rules_of(entry.subject, rules).backdrop == "kept":
            chosen.setdefault(entry.line.code or entry.line.name, entry)
    few = list(chosen.values())[:_SAMPLES]
    together = row if is_by_row(rules) else few
    placed = dict(
        zip((one.line.id for one in together), lay_out([one.subject for one in together], rules), strict=True)
    )
    made = [(entry, placement) for entry in few if (placement := placed[entry.line.id]) is not None]
    wanted = [o for o in rules.overlays if not on or o.name in rules.deliverable(on).overlays]
    values = _values(session, [entry for entry, _ in made]) if wanted else {}
    return [
        Sample(
            entry,
            placement,
            _share(placement),
            placed_overlays(wanted, values.get(entry.line.code, {}), assets, placement.canvas),
        )
        for entry, placement in made
    ]


def _values(session: Session, row: Sequence[RowEntry]) -> dict[str, Mapping[str, Value]]:
    """Fields of the catalog, by product code."""
    products = products_by_code(session, {entry.line.code for entry in row})
    return {
        code: {**p.extra, "code": p.code, "name": p.name, "category": p.category, "colour": p.colour, "ean": p.ean}
        for code, p in products.items()
    }


def _share(placement: Placement) -> int:
    return round(100 * placement.box.height / placement.canvas[1]) if placement.box else 100
