"""Old name -> new name for a whole batch, before anything happens."""

from collections import Counter
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from zero_easel.core.catalog import Product
from zero_easel.core.matching import Match, Turn, views_in_turn
from zero_easel.core.naming import (
    Named,
    NameProblem,
    Replacement,
    collisions,
    counted_apart,
    folder_named,
    named,
    stem,
)
from zero_easel.core.patterns import Pattern, Value
from zero_easel.core.standard import Standard

KEEPS_NAME = NameProblem("product", "no product; keeps the photo's own name")
GS1 = "{gtin}_A{facing}N0"
"""Pattern after the GS1 Product Image Specification, 4.2: GTIN of 14 digits, then A for a picture of the product, its
facing, N for no plunge angle, and 0 for out of its packaging."""
_ORIGINAL = Pattern("{original}")
_NOWHERE = Named("", ())
_FACINGS = {"front": "1", "left": "2", "side": "2", "top": "3", "back": "7", "right": "8", "bottom": "9"}


class Subject(NamedTuple):
    """A photo that is to be named, and how it was matched."""

    original: str
    match: Match
    taken: datetime | None = None


class Planned(NamedTuple):
    """One output before the run. original: the photo's file name. output: the new one with folders and suffix."""

    original: str
    code: str
    view: str
    output: str
    problems: tuple[NameProblem, ...] = ()

    @property
    def note(self) -> str:
        """What a person should know about the name, in words."""
        return "; ".join(problem.text for problem in self.problems)


class Clash(NamedTuple):
    """Two or more photos that would give one output."""

    output: str
    originals: list[str]

    def __str__(self) -> str:
        return f"{self.output} would come from {' and '.join(self.originals)}"


class Namer:
    """The names of a deliverable. columns: free columns of the catalog. shoot: what {shoot} stands for. suffix: ending
    of every name; None keeps each original's own.

    Raises PatternError, which points at the place, if a pattern names a field that there is not.
    """

    def __init__(self, standard: Standard, columns: Sequence[str] = (), shoot: str = "", *, own_suffix: bool = False):
        self._standard, self._shoot, self._own_suffix = standard, shoot, own_suffix
        d = standard.deliverable
        self._name = Pattern(d.name, columns)
        self._folder = Pattern(d.folder, columns) if d.folder else None
        self._replacement = Replacement(d.find, d.put, d.find_as == "regex")
        self._needs_product = self._name.needs_product()
        self._folder_needs_product = self._folder is not None and self._folder.needs_product()
        self._folder_fields = sorted(self._folder.fields) if self._folder else []
        self._suffix = d.suffix
        self._counts: Counter[str] = Counter()
        self._of_products: dict[str, dict[str, Value]] = {}
        self._folders: dict[tuple[Value, ...], Named] = {}

    def plan(self, subjects: Sequence[Subject], products: Mapping[str, Product]) -> list[Planned]:
        """Name the output of each subject, given in shooting order.

        A photo without a product keeps its own name where the pattern asks for what only a product has. Raises
        PatternError if the replacement cannot be applied to one of the names.
        """
        self._counts.clear()
        self._of_products.clear()
        nobody = Product(code="")
        turns = [Turn(s.original, s.match.code, s.match.view, products.get(s.match.code, nobody).category)
                 for s in subjects]  # fmt: skip
        views = views_in_turn(turns, self._standard.views)
        planned = [self._one(s, v, products) for s, v in zip(subjects, views, strict=True)]
        if self._standard.deliverable.twice == "count":
            apart = counted_apart([p.output for p in planned])
            planned = [p._replace(output=output) for p, output in zip(planned, apart, strict=True)]
        return planned

    def _one(self, subject: Subject, view: str, products: Mapping[str, Product]) -> Planned:
        original, code = subject.original, subject.match.code
        lost = not code and self._needs_product
        values = self._of_products.get(code)
        if values is None:
            values = self._of_products[code] = self._of_product(products.get(code) or Product(code=code))
        # Thousands are named while a pattern is typed: the values of a product are made once and completed in place.
        values["view"], values["facing"] = view, _FACINGS.get(view, "")
        values["date"] = values["time"] = subject.taken
        values["original"] = stem(original)
        folder = _NOWHERE if lost and self._folder_needs_product else self._folder_of(values)
        path = f"{folder.name}/" if folder.name else ""
        values["n"] = self._count(code, path)
        name = named(_ORIGINAL if lost else self._name, values, self._replacement)
        suffix = _suffix_of(original) if self._own_suffix else self._suffix
        problems = folder.problems + name.problems + ((KEEPS_NAME,) if lost else ())
        if subject.match.doubt:
            problems += (NameProblem("doubt", f"to make sure of: {subject.match.doubt}"),)
        return Planned(original, code, view, path + name.name + suffix, tuple(dict.fromkeys(problems)))

    def _folder_of(self, values: Mapping[str, Value]) -> Named:
        """The subfolders of one output; few are made for many."""
        if self._folder is None:
            return _NOWHERE
        key = tuple(values.get(field) for field in self._folder_fields)
        if key not in self._folders:
            self._folders[key] = folder_named(self._folder, values)
        return self._folders[key]

    def _count(self, code: str, folder: str) -> int:
        key = {"product": code, "folder": folder, "run": ""}[self._standard.deliverable.count]
        self._counts[key] += 1
        return self._counts[key] - 1 + self._standard.deliverable.start

    def _of_product(self, product: Product) -> dict[str, Value]:
        canvas, deliverable = self._standard.canvas, self._standard.deliverable
        return {
            **product.extra, "code": product.code, "name": product.name, "category": product.category,
            "colour": product.colour, "ean": product.ean, "gtin": product.ean.zfill(14) if product.ean else "",
            "width": canvas.width, "height": canvas.height, "deliverable": deliverable.format, "shoot": self._shoot,
        }  # fmt: skip


def find_clashes(planned: Sequence[Planned]) -> list[Clash]:
    """Outputs that share a name; a run must not start while there are any."""
    return [Clash(output, sources) for output, sources in collisions((p.original, p.output) for p in planned)]


def _suffix_of(filename: str) -> str:
    at = filename.rfind(".")
    return filename[at:].lower() if at > 0 else ""
