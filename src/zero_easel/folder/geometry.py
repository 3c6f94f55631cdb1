"""What is undone of photos' geometry in a folder's run: what lenses bent, and the angle at which a box was seen."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from pathlib import Path

from zero_easel.core.items.item import CutItem
from zero_easel.core.items.rectangle import rectangle_of
from zero_easel.core.items.rectified import rectified_item
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, MOST_BEND, Rectification, bent, problem_of
from zero_easel.core.photos.decoding import Photo, read_photo
from zero_easel.core.photos.lenses import lens_in
from zero_easel.core.photos.opening import PhotoError
from zero_easel.folder.matching import name_of
from zero_easel.pipeline import PictureError, clear, empty_frame, rectified_photo

KNOWN = "known"


@dataclass(frozen=True)
class Geometry:
    """What is asked for. known: by each lens's own data. bend: % that the photos' corners were moved. upright: photos
    whose item is a rectangle, to be brought upright."""

    known: bool = False
    bend: float = 0.0
    upright: frozenset[Path] = frozenset()

    @classmethod
    def asked(cls, lens: str, rectangles: Sequence[Path]) -> "Geometry":
        """From what was typed. Raises ValueError with a sentence."""
        upright = frozenset(path.resolve() for path in rectangles)
        if not lens or lens.casefold() == KNOWN:
            return cls(bool(lens), 0.0, upright)
        try:
            bend = float(lens.removesuffix("%").replace(",", ".").replace("\N{MINUS SIGN}", "-"))
        except ValueError:
            bend = float("nan")
        if not abs(bend) <= MOST_BEND:
            raise ValueError(f'--lens takes "known" or a number of % from -{MOST_BEND:.0f} to {MOST_BEND:.0f}.')
        return cls(False, bend, upright)

    def of(self, path: Path) -> Rectification:
        """As far as it can be said without a cutout."""
        if self.known:
            lens = lens_in(path)
            return Rectification(lens.radial) if lens else AS_PHOTOGRAPHED
        return Rectification(bent(self.bend)) if self.bend else AS_PHOTOGRAPHED

    def is_upright(self, path: Path) -> bool:
        """Whether a photo's item is to be brought upright."""
        return path.resolve() in self.upright


@dataclass(frozen=True)
class PhotoFile:
    """One photo of a folder, read and cut out as far as it is asked for. rectified: what is undone of its geometry.
    upright: also the angle at which its item, a rectangle, was seen."""

    path: Path
    empties: Sequence[Path]
    rectified: Rectification
    upright: bool

    def photo(self, scale: float = 1.0) -> Photo:
        """As it is drawn. Raises PictureError."""
        return rectified_photo(self._read(scale), self.rectification)

    def item(self) -> CutItem:
        """Its cutout. Raises PictureError."""
        return rectified_item(self._cut, self.rectification)

    @cached_property
    def rectification(self) -> Rectification:
        """All that is undone. Raises PictureError if its item is no rectangle that can be brought upright."""
        if not self.upright:
            return self.rectified
        corners = rectangle_of(self._cut)
        if not corners:
            raise PictureError(f"{name_of(self.path)} shows no item with four straight sides to bring upright.")
        wanted = self.rectified._replace(corners=corners)
        if problem := problem_of(wanted, self._cut.frame):
            raise PictureError(f"{name_of(self.path)}: {problem}.")
        return wanted

    @property
    def frame(self) -> Size:
        """px. Raises PictureError."""
        facts = self._read().facts
        return Size(facts.width, facts.height)

    @cached_property
    def _cut(self) -> CutItem:
        return clear(self._read(), [empty_frame(empty) for empty in self.empties])

    def _read(self, scale: float = 1.0) -> Photo:
        try:
            return read_photo(self.path, name_of(self.path), scale, wide=True)
        except PhotoError as error:
            raise PictureError(str(error)) from error
