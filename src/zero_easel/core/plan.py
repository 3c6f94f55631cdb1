"""Old name -> new name for a whole batch, before anything happens."""

from collections.abc import Mapping, Sequence
from typing import NamedTuple

from zero_easel.core.catalog import Product
from zero_easel.core.matching import Match, number_views
from zero_easel.core.naming import collisions, needs_product, render_name, stem
from zero_easel.core.standard import Deliverable

KEEPS_NAME = "no product; keeps the photo's own name"


class Planned(NamedTuple):
    """One output before the run. original: the photo's file name. output: the new one, suffix included."""

    original: str
    code: str
    view: str
    output: str
    note: str


class Clash(NamedTuple):
    """Two or more photos that would give one output."""

    output: str
    originals: list[str]

    def __str__(self) -> str:
        return f"{self.output} would come from {' and '.join(self.originals)}"


def plan_outputs(
    photos: Sequence[tuple[str, Match]], products: Mapping[str, Product], deliverable: Deliverable
) -> list[Planned]:
    """Name the output of each (file name, match), given in shooting order.

    {n} counts the photos of a product from 1; photos without any product are counted together. A photo without a
    product keeps its own name where the pattern asks for what only a product has.
    """
    matches = number_views([match for _, match in photos])
    counts: dict[str, int] = {}
    planned = []
    for (original, _), match in zip(photos, matches, strict=True):
        counts[match.code] = counts.get(match.code, 0) + 1
        lost = not match.code and needs_product(deliverable.name)
        pattern = "{original}" if lost else deliverable.name
        product = products.get(match.code) or Product(code=match.code)
        fields: dict[str, str | int] = {
            "code": match.code,
            "view": match.view,
            "n": counts[match.code],
            "original": stem(original),
            "name": product.name,
            "category": product.category,
            "ean": product.ean,
        }
        name = render_name(pattern, fields) + deliverable.suffix
        planned.append(Planned(original, match.code, match.view, name, KEEPS_NAME if lost else ""))
    return planned


def find_clashes(planned: Sequence[Planned]) -> list[Clash]:
    """Outputs that share a name; a run must not start while there are any."""
    return [Clash(output, sources) for output, sources in collisions((p.original, p.output) for p in planned)]
