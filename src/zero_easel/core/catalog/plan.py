"""Old name -> new name for a whole batch, before anything happens."""

from collections import Counter
from collections.abc import Mapping, Sequence
from datetime import datetime
from functools import lru_cache
from types import MappingProxyType
from typing import NamedTuple

from zero_easel.core.catalog.matching import Match, Turn, views_in_turn
from zero_easel.core.catalog.products import Product
from zero_easel.core.light.geometry import Size
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.information import TEXTS
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.naming import (
    Named,
    NameProblem,
    Replacement,
    collisions,
    counted_apart,
    folder_named,
    named,
    portable,
    stem,
)
from zero_easel.core.standard.overlays import read_condition
from zero_easel.core.standard.patterns import FIELDS, NamePattern, Pattern, PatternError, Value, folders_within
from zero_easel.core.standard.sizes import size_of

KEEPS_NAME = NameProblem("product", "no product; keeps the photo's own name")
GS1 = "{gtin}_A{facing}N0"
"""Pattern after the GS1 Product Image Specification, 4.2: GTIN of 14 digits, then A for a picture of the product, its
facing, N for no plunge angle, and 0 for out of its packaging."""
_ORIGINAL = Pattern("{original}")
_NOWHERE = Named("", ())
_FACINGS = {"front": "1", "left": "2", "side": "2", "top": "3", "back": "7", "right": "8", "bottom": "9"}


class NamedPhoto(NamedTuple):
    """A photo that is to be named, and how it was matched. folder: where it lies among the others, "" beside them.
    sizes: of its pictures, by deliverable, where they are not the canvas's."""

    original: str
    match: Match
    taken: datetime | None = None
    folder: str = ""
    sizes: Mapping[str, Size] = MappingProxyType({})


class Planned(NamedTuple):
    """One output before the run. original: the photo's file name. output: the new one with folders and suffix.
    deliverable: its name, "" for a copy of the photo itself. at: place of the photo among those that were named.
    values: what the information and overlays of the standard ask for. folder: of the photo."""

    original: str
    code: str
    view: str
    output: str
    problems: tuple[NameProblem, ...] = ()
    deliverable: str = ""
    at: int = 0
    values: Mapping[str, Value] = MappingProxyType({})
    folder: str = ""

    @property
    def path(self) -> str:
        """The photo's file name with its folders."""
        return f"{self.folder}/{self.original}" if self.folder else self.original

    @property
    def note(self) -> str:
        """What a person should know about the name, in words."""
        return "; ".join(problem.text for problem in self.problems)


class Clash(NamedTuple):
    """Two or more pictures that would be one output. originals: their photos, with folders where photos of one name lie
    in several. deliverables: of each, beside originals."""

    output: str
    originals: list[str]
    deliverables: list[str]

    @property
    def sources(self) -> list[str]:
        """What it would come from: photos, or deliverables of one photo."""
        if len(set(self.originals)) == len(self.originals):
            return self.originals
        return [f"{original} for {name}" for original, name in zip(self.originals, self.deliverables, strict=True)]

    def __str__(self) -> str:
        return f"{self.output} would come from {' and '.join(self.sources)}"


def plan_all(
    standard: Standard,
    subjects: Sequence[NamedPhoto],
    products: Mapping[str, Product],
    columns: Sequence[str] = (),
    shoot: str = "",
) -> list[Planned]:
    """The outputs of all deliverables, photo by photo in the given order. Raises PatternError."""
    rows: list[list[Planned]] = [[] for _ in subjects]
    for wanted in standard.deliverables:
        for planned in Namer(standard, columns, shoot, wanted).plan(subjects, products):
            rows[planned.at].append(planned)
    flat = [planned for row in rows for planned in row]
    if standard.names.on_duplicate == "count" and len(standard.deliverables) > 1:
        apart = counted_apart([planned.output for planned in flat])
        flat = [planned._replace(output=output) for planned, output in zip(flat, apart, strict=True)]
    return flat


class Namer:
    """The names of one deliverable, or of copies of the photos themselves, which keep their suffixes, if it is None.
    columns: free columns of the catalog. shoot: what {shoot} stands for.

    Raises PatternError, which points at the place, if a pattern names a field that there is not.
    """

    def __init__(
        self, standard: Standard, columns: Sequence[str] = (), shoot: str = "", wanted: Deliverable | None = None
    ) -> None:
        self._standard, self._shoot, self._wanted = standard, shoot, wanted
        names = standard.names
        within, name = folders_within((wanted.file if wanted else "") or names.name)
        self._name = NamePattern(name, columns)
        folder = "/".join(part for part in (wanted.folder if wanted else "", names.folder, within) if part)
        self._folder = NamePattern(folder, columns) if folder else None
        self._replacement = Replacement(names.find, names.replace_with, names.find_as == "regex")
        self._needs_product = self._name.needs_product()
        self._folder_needs_product = self._folder is not None and self._folder.needs_product()
        self._folder_fields = sorted(self._folder.fields) if self._folder else []
        self._size = size_of(standard, wanted) if wanted else (standard.canvas.width, standard.canvas.height)
        self._asked = _asked_fields(standard, columns) if wanted else frozenset()
        self._counts: Counter[str] = Counter()
        self._of_products: dict[str, dict[str, Value]] = {}
        self._folders: dict[tuple[Value, ...], Named] = {}

    def plan(self, subjects: Sequence[NamedPhoto], products: Mapping[str, Product]) -> list[Planned]:
        """Name the output of each subject, given in shooting order, of whose view a picture is wanted.

        A photo without a product keeps its own name where the pattern asks for what only a product has. Raises
        PatternError if the replacement cannot be applied to one of the names.
        """
        self._counts.clear()
        self._of_products.clear()
        nobody = Product(code="")
        turns = [
            Turn(s.original, s.match.code, s.match.view, products.get(s.match.code, nobody).category) for s in subjects
        ]
        views = views_in_turn(turns, self._standard.views)
        planned = [
            self._one(at, subject, view, products)
            for at, (subject, view) in enumerate(zip(subjects, views, strict=True))
            if self._wanted is None or self._wanted.is_for(view)
        ]
        if self._standard.names.on_duplicate == "count":
            apart = counted_apart([p.output for p in planned])
            planned = [p._replace(output=output) for p, output in zip(planned, apart, strict=True)]
        return planned

    def _one(self, at: int, subject: NamedPhoto, view: str, products: Mapping[str, Product]) -> Planned:
        original, code = subject.original, subject.match.code
        lost = not code and self._needs_product
        values = self._of_products.get(code)
        if values is None:
            values = self._of_products[code] = self._of_product(products.get(code) or Product(code=code))
        # Thousands are named while a pattern is typed: the values of a product are made once and completed in place.
        values["view"], values["facing"] = view, _FACINGS.get(view, "")
        values["date"] = values["time"] = subject.taken
        values["original"], values["folder"] = stem(original), subject.folder.rpartition("/")[2]
        size = subject.sizes.get(self._wanted.name, self._size) if self._wanted else self._size
        values["width"], values["height"] = size
        folder = _NOWHERE if lost and self._folder_needs_product else self._folder_of(values)
        own = subject.folder if self._standard.names.keep_folders else ""
        path = "".join(f"{part}/" for part in (folder.name, _portable_folders(own)) if part)
        values["n"] = self._count(code, path)
        name = named(_ORIGINAL if lost else self._name, values, self._replacement)
        suffix = self._wanted.suffix if self._wanted else _suffix_of(original)
        problems = folder.problems + name.problems + ((KEEPS_NAME,) if lost else ())
        if subject.match.doubt:
            problems += (NameProblem("doubt", f"to make sure of: {subject.match.doubt}"),)
        asked = {field: values.get(field) for field in self._asked}
        called = self._wanted.name if self._wanted else ""
        output = path + name.name + suffix
        return Planned(original, code, view, output, tuple(dict.fromkeys(problems)), called, at, asked, subject.folder)

    def _folder_of(self, values: Mapping[str, Value]) -> Named:
        """The subfolders of one output; few are made for many."""
        if self._folder is None:
            return _NOWHERE
        key = tuple(values.get(field) for field in self._folder_fields)
        if key not in self._folders:
            self._folders[key] = folder_named(self._folder, values)
        return self._folders[key]

    def _count(self, code: str, folder: str) -> int:
        key = {"product": code, "folder": folder, "run": ""}[self._standard.names.count]
        self._counts[key] += 1
        return self._counts[key] - 1 + self._standard.names.start

    def _of_product(self, product: Product) -> dict[str, Value]:
        return {
            **product.extra,
            "code": product.code,
            "name": product.name,
            "category": product.category,
            "colour": product.colour,
            "ean": product.ean,
            "gtin": product.ean.zfill(14) if product.ean else "",
            "deliverable": self._wanted.name if self._wanted else "",
            "shoot": self._shoot,
        }


def _asked_fields(standard: Standard, columns: Sequence[str]) -> frozenset[str]:
    """Fields that information and overlays ask for. Raises PatternError if there is one that is not."""
    texts = [getattr(standard.information, key) for key in TEXTS] + [overlay.text for overlay in standard.overlays]
    fields = {"code"}.union(*(Pattern(text, columns).fields for text in texts if text))
    for overlay in standard.overlays:
        column = read_condition(overlay.when).column if overlay.when else ""
        if column and column not in (*FIELDS, *columns):
            raise PatternError(f"the overlay {overlay.name} asks for a column '{column}', and the catalog has none")
        fields |= {column} if column else set()
    return frozenset(fields)


def names_ask_for(standard: Standard, *fields: str) -> bool:
    """Whether the names of any deliverable, or their folders, ask for one of some fields."""
    names = standard.names
    texts = [names.name, names.folder, *(text for d in standard.deliverables for text in (d.file, d.folder))]
    return any(Pattern(text).fields & set(fields) for text in texts if text)


def find_clashes(planned: Sequence[Planned]) -> list[Clash]:
    """Outputs that share a name; a run must not start while there are any."""
    found = collisions((str(at), plan.output) for at, plan in enumerate(planned))
    return [_clash(output, [planned[int(at)] for at in places]) for output, places in found]


def _clash(output: str, wanted: Sequence[Planned]) -> Clash:
    alike = len({one.original for one in wanted}) < len({one.path for one in wanted})
    return Clash(output, [one.path if alike else one.original for one in wanted], [one.deliverable for one in wanted])


@lru_cache(1000)
def _portable_folders(folder: str) -> str:
    return "/".join(portable(part) for part in folder.split("/") if part)


def _suffix_of(filename: str) -> str:
    at = filename.rfind(".")
    return filename[at:].lower() if at > 0 else ""
