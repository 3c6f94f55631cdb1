"""A batch planned: which photos give pictures, what each is called, and where its item goes.

A folder on the command line and a shoot of the library are two sources of the same shots; everything from there on is
one plan.
"""

from collections.abc import Hashable, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple, TypeVar

from zero_easel.core.catalog.matching import Match, Turn, views_in_turn
from zero_easel.core.catalog.plan import (
    KEEPS_NAME,
    Clash,
    NamedPhoto,
    Namer,
    Planned,
    find_clashes,
    names_ask_for,
    plan_all,
)
from zero_easel.core.catalog.products import Product
from zero_easel.core.items.measure import Measures
from zero_easel.core.light.geometry import Size
from zero_easel.core.placing.layout import lay_out, uncut_sizes
from zero_easel.core.placing.placement import Adjustment, Placement, Subject
from zero_easel.core.placing.pose import Dimensions
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.sizes import rules_on

EMPTY_BACKDROP = "shows the empty backdrop"
BY_HAND = "left out by hand"
NOT_ASKED = "no deliverable is for this view"

Key = TypeVar("Key", bound=Hashable)


class BatchPhoto(NamedTuple):
    """A photo as a batch begins with it, in shooting order. out: why no picture is made of it, "" if it takes part.
    frame, measures, adjustment: what its place depends on, as far as it is known yet. folder: where it lies among the
    others."""

    name: str
    match: Match
    taken: datetime | None = None
    out: str = ""
    frame: Size = Size(0, 0)
    measures: Measures | None = None
    adjustment: Adjustment = Adjustment()
    folder: str = ""


class Batch(NamedTuple):
    """A plan. pictures: each with the place of its shot. subjects: what the place of each picture depends on, of all
    shots that take part. left_out: why the others give no picture, and those whose view nobody asked for. clashes:
    outputs that would share a name; a run must not start while there are any."""

    pictures: list[Planned]
    subjects: dict[int, Subject]
    left_out: dict[int, str]
    clashes: list[Clash]


class Products(NamedTuple):
    """The products that shots may show, by code, and the free columns that patterns may ask for. wanted: whether shots
    should show any."""

    products: Mapping[str, Product]
    columns: Sequence[str] = ()
    wanted: bool = True


def plan(
    shots: Sequence[BatchPhoto], standard: Standard, catalog: Products, name: str, *, copies: bool = False
) -> Batch:
    """Plan all deliverables of a standard over shots. name: what {shoot} stands for. copies: of the photos themselves,
    which keep their suffixes, instead of deliverables.

    Raises PatternError if names ask for something that the catalog does not have.
    """
    part = [at for at, shot in enumerate(shots) if not shot.out]
    row = _subjects([shots[at] for at in part], standard, catalog.products)
    photos = [
        NamedPhoto(shots[at].name, shots[at].match, shots[at].taken, shots[at].folder, sizes)
        for at, sizes in zip(part, _own_sizes(row, standard), strict=True)
    ]
    if copies:
        planned = Namer(standard, catalog.columns, name).plan(photos, catalog.products)
    else:
        planned = plan_all(standard, photos, catalog.products, catalog.columns, name)
    subjects = dict(zip(part, row, strict=True))
    if not catalog.wanted:
        planned = [one._replace(problems=tuple(p for p in one.problems if p != KEEPS_NAME)) for one in planned]
    pictures = [one._replace(at=part[one.at]) for one in planned]
    asked = {one.at for one in pictures}
    left_out = {at: shot.out or NOT_ASKED for at, shot in enumerate(shots) if shot.out or at not in asked}
    return Batch(pictures, subjects, left_out, find_clashes(pictures))


def _subjects(shots: Sequence[BatchPhoto], standard: Standard, products: Mapping[str, Product]) -> list[Subject]:
    """What the place of each depends on: its product's category and listed size, its view in turn, and itself."""
    shown = [products.get(shot.match.code, Product(code="")) for shot in shots]
    turns = [
        Turn(shot.name, shot.match.code, shot.match.view, product.category)
        for shot, product in zip(shots, shown, strict=True)
    ]
    return [
        Subject(
            shot.measures,
            shot.frame,
            product.category,
            view,
            Dimensions(product.width_mm, product.height_mm, product.depth_mm),
            shot.adjustment,
            product.colour,
        )
        for shot, product, view in zip(shots, shown, views_in_turn(turns, standard.views), strict=True)
    ]


def _own_sizes(row: Sequence[Subject], standard: Standard) -> list[dict[str, Size]]:
    """Sizes of whole pictures by deliverable, for all whose frame is known, if names tell them."""
    found: list[dict[str, Size]] = [{} for _ in row]
    if not names_ask_for(standard, "width", "height"):
        return found
    for wanted in standard.deliverables:
        rules = rules_on(standard, wanted)
        for sizes, subject in zip(found, row, strict=True):
            own = uncut_sizes([subject], rules) if subject.frame.width else []
            sizes |= {wanted.name: own[0]} if own else {}
    return found


def why_left_out(match: Match, *, empty: bool = False, by_hand: bool = False) -> str:
    """Why a run makes no picture of a photo, "" if it makes one."""
    if match.card:
        return match.doubt or match.why
    if empty:
        return EMPTY_BACKDROP
    if by_hand:
        return BY_HAND
    return "" if match.listed else match.doubt or "not on the shot list"


def lay_all(subjects: Mapping[Key, Subject], standard: Standard) -> dict[str, dict[Key, Placement | None]]:
    """Where all pictures go, by deliverable, each laid out as one row of all photos."""
    row = list(subjects.values())
    return {
        wanted.name: dict(zip(subjects, lay_out(row, rules_on(standard, wanted)), strict=True))
        for wanted in standard.deliverables
    }
