"""The unit of work: one photo and a standard -> its finished pictures. Deterministic, without database or clock."""

import hashlib
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache, lru_cache
from pathlib import Path, PurePosixPath

import numpy as np

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.clearing.sight import MODERATE
from zero_easel.core.finishing.checking import Checked, Facts, checked
from zero_easel.core.finishing.corners import darkened
from zero_easel.core.finishing.embed import Camera, Embedded, exif_of, iptc_of, metadata_of, xmp_of
from zero_easel.core.finishing.encode import EncodedFile, encode
from zero_easel.core.finishing.grounds import light_of
from zero_easel.core.finishing.layers import Layer, openraster, outline_svg, shadow_layer
from zero_easel.core.finishing.render import DrawnItem, draw, flat, item_alone, render_uncut
from zero_easel.core.finishing.stamp import stamped
from zero_easel.core.items.flag import Flag
from zero_easel.core.items.item import CutItem
from zero_easel.core.light.colour import Encoded, Float
from zero_easel.core.light.geometry import Box, Map, Size
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, Rectification, rectified
from zero_easel.core.light.space import Space, as_srgb, light_in
from zero_easel.core.photos.assets import AssetError, Assets
from zero_easel.core.photos.decoding import Photo, read_photo
from zero_easel.core.photos.profiles import ProfileError, Tagged, converted, in_srgb, srgb_profile
from zero_easel.core.photos.reading import Reading, read
from zero_easel.core.photos.reducing import reduced
from zero_easel.core.placing.layout import asks_for_cutout, lay_out, rules_of
from zero_easel.core.placing.placement import NoteKind, Placement, Subject
from zero_easel.core.standard.deliverable import KEPT, SRGB, Deliverable
from zero_easel.core.standard.grounds import TRANSPARENT, read_ground
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.naming import printable
from zero_easel.core.standard.overlays import Overlay
from zero_easel.core.standard.patterns import Value
from zero_easel.core.standard.sizes import rules_on
from zero_easel.core.tone.grey_card import find_grey_card
from zero_easel.core.tone.target import Calibration, calibrated
from zero_easel.core.tone.target_finding import find_target

_IF_DAMAGED = 0.1
"""Confidence in the cutout of a photo that may be damaged: it is among the first that a person looks at."""


@dataclass(frozen=True)
class Picture:
    """A finished picture. data: the file's bytes. width, height: px. quality: that it was encoded with, 0 for none.
    notes: what a person may want to know. checks: how it met the checks of the standard. matrix: from px of the upright
    photo to px of the canvas, as it was drawn. cut_sides: of the canvas, at which its item is cut off."""

    data: bytes
    width: int
    height: int
    quality: int
    notes: list[str]
    checks: list[Checked]
    matrix: Map
    cut_sides: tuple[str, ...] = ()

    @property
    def sha256(self) -> str:
        """Digest of the file's bytes, hexadecimal."""
        return hashlib.sha256(self.data).hexdigest()


class PictureError(Exception):
    """A photo that gives no picture, with the reason in plain words."""


class Source:
    """One photo, as far as it is asked for: what is costly is done once, and only if something needs it.

    name: the photo's file name. original, item, camera: how to come by the photo as it is drawn at a scale, its cutout,
    and what the camera wrote.
    """

    def __init__(
        self, name: str, original: Callable[[float], Photo], item: Callable[[], CutItem], camera: Callable[[], Camera]
    ) -> None:
        self.name = name
        self.item, self.camera = cache(item), cache(camera)
        self._decode = original
        self._original: Photo | None = None

    def original(self, scale: float = 1.0) -> Photo:
        """The photo, with at least as many px as are needed to draw it at a scale."""
        kept = self._original
        if kept is None or (kept.shrink > 1 and kept.shrink * scale > 1 / kept.shrink):
            kept = self._original = self._decode(scale)
        return kept


@dataclass(frozen=True)
class Task:
    """One picture to be made. deliverable: its name in the standard. output: its file, with folders. values: fields of
    the catalog that information and overlays ask for. laid: where it goes if its whole row was laid out; else it is
    laid out by itself."""

    deliverable: str
    output: str
    values: Mapping[str, Value] = field(default_factory=dict)
    placement: Placement | None = None


def reading_of(photo: Photo) -> Reading:
    """All that is read off a photo before it is cleared."""
    target = find_target(photo.pixels)
    grey = None if target else find_grey_card(photo.pixels)
    return read(photo.pixels)._replace(target=target, grey=grey)


def calibration_of(photo: Photo) -> Calibration | None:
    """What brings the colour target that a photo shows to its colours; None if it shows none that can be used."""
    patches = find_target(photo.pixels)
    return calibrated(patches) if patches else None


def clear(photo: Photo, empties: Sequence[Encoded] = (), marks: Sequence[Mark] = ()) -> CutItem:
    """Cut out the item of a photo, in the form that is kept; empties: photos of its bare backdrop. A photo that may be
    damaged is doubtful, however sure its cutout is."""
    item = cutout(photo, empties, marks)
    if not photo.doubt:
        return item
    flags = [Flag("damaged", photo.doubt), *item.flags]
    return replace(item, confidence=min(item.confidence, _IF_DAMAGED), flags=flags)


def rectified_photo(photo: Photo, rectification: Rectification) -> Photo:
    """A photo as whole pictures are drawn from it: what is undone of its geometry is undone."""
    if rectification == AS_PHOTOGRAPHED:
        return photo
    pixels, alpha = photo.pixels, photo.alpha
    known, frame = rectification.reduced(photo.shrink), Size.of(pixels)
    if alpha is not None:
        factor = 257 if pixels.dtype == np.uint16 else 1
        pixels = np.dstack([pixels, alpha.astype(pixels.dtype) * factor])
    pixels = rectified(pixels, known, frame)
    if alpha is not None:
        alpha = np.ascontiguousarray(pixels[..., 3] // factor).astype(np.uint8)
        pixels = np.ascontiguousarray(pixels[..., :3])
    return replace(photo, pixels=pixels, alpha=alpha)


def picture_of(source: Source, subject: Subject, standard: Standard, task: Task, assets: Assets) -> Picture:
    """One finished picture. Raises PictureError."""
    wanted = standard.deliverable(task.deliverable)
    rules = rules_on(standard, wanted)
    placement = task.placement
    if placement is None:
        placement = lay_out([_measured(source, subject, rules)], rules)[0]
    try:
        return _Finish(source, standard, rules, wanted, task, assets).picture(placement)
    except (AssetError, ProfileError) as error:
        raise PictureError(f"{source.name}: {error}.") from error


def _measured(source: Source, subject: Subject, rules: Standard) -> Subject:
    """With its measures and frame, for which the photo or its cutout is asked."""
    if needs_cutout(subject, rules):
        item = source.item()
        return subject._replace(measures=item.measures, frame=item.frame)
    if subject.frame.width:
        return subject
    facts = source.original().facts
    return subject._replace(frame=Size(facts.width, facts.height))


def needs_cutout(subject: Subject, standard: Standard) -> bool:
    """Whether a photo has to be cut out to be placed and lit."""
    by_hand = bool(subject.adjustment.keep or subject.adjustment.parts)
    return asks_for_cutout(rules_of(subject, standard), by_hand=by_hand)


class _Finish:
    """One photo on its way to one deliverable. rules: the standard on the deliverable's canvas."""

    def __init__(
        self, source: Source, standard: Standard, rules: Standard, wanted: Deliverable, task: Task, assets: Assets
    ) -> None:
        self._source, self._standard, self._rules = source, standard, rules
        self._wanted, self._task, self._assets = wanted, task, assets
        self._notes: list[str] = []

    def picture(self, placement: Placement | None) -> Picture:
        """Draw, convert, encode and check. Raises PictureError, AssetError or ProfileError."""
        wanted = self._wanted
        if placement is not None and placement.rules.backdrop == "kept":
            if not wanted.kind.pixels:
                raise PictureError(f"{self._source.name} stays uncut: {wanted.kind.label} needs a cutout.")
            matrix = placement.matrix
            photo = self._source.original(max(abs(matrix.a), abs(matrix.d)))
            self._notes += [photo.doubt] if photo.doubt else []
            drawn_by, space = _on_shrunk(placement, photo.shrink), self._drawn_in(photo.space)
            ground, bits = self._ground(placement, space), self._bits(space)
            pixels = render_uncut(photo.pixels, photo.alpha, drawn_by, ground, bits, (photo.space, space))
            return self._encoded(pixels, space, placement, placement.matrix, placement.box)
        item = self._source.item()
        if item.measures is None or placement is None:
            raise PictureError(f"{self._source.name} shows no item in front of its backdrop.")
        self._notes = [flag.text for flag in item.flags]
        if not wanted.kind.pixels:
            return self._apart(draw(item, placement), placement)
        space = self._drawn_in(item.space)
        drawn = draw(item, placement, space)
        pixels = flat(drawn, self._ground(placement, space), self._bits(space))
        return self._encoded(pixels, space, placement, drawn.matrix, drawn.bounds)

    def _drawn_in(self, space: Space) -> Space:
        """What a picture is drawn in: the photo's own space where its profile may hold more than sRGB."""
        wanted = self._wanted.profile
        if wanted == SRGB or (wanted == KEPT and not self._source.camera().icc):
            return "srgb"
        return "srgb" if space == "srgb" else "wide"

    def _bits(self, space: Space) -> int:
        """Per channel, of what is drawn: a wide space is too coarse at 8."""
        return 16 if space == "wide" else int(self._wanted.depth)

    def _ground(self, placement: Placement, space: Space = "srgb") -> Float | None:
        """Linear light of the ground, None for a transparent one."""
        ground = read_ground(self._rules.canvas.ground)
        if ground.kind == TRANSPARENT:
            return None
        light = light_of(ground, placement.canvas, lambda: self._assets.light(ground.picture))
        return light_in(light, "srgb", space)

    def _encoded(self, pixels: Encoded, space: Space, placement: Placement, matrix: Map, box: Box | None) -> Picture:
        pixels = darkened(pixels, placement.rules.corners / 100)
        pixels, overlays = stamped(pixels, self._overlays(), self._task.values, self._assets, space)
        tagged = self._tagged(pixels, space)
        density = self._density(placement.canvas)
        file = encode(tagged.pixels, self._wanted, density, self._information(tagged.icc, density))
        if not file.fits:
            self._notes.append(
                f"{len(file.data) / 1000:.0f} kB even at quality {file.quality}, over the limit of "
                f"{self._wanted.max_kb:g} kB"
            )
        return self._checked(file, placement, matrix, box, tuple(overlays))

    def _apart(self, drawn: DrawnItem, placement: Placement) -> Picture:
        """Item, shadow and ground as layers, or the outline alone."""
        card = metadata_of(self._standard.information, self._task.values)
        if self._wanted.format == "svg":
            return self._checked(
                EncodedFile(outline_svg(drawn.cover, self._density(placement.canvas), card), 0),
                placement,
                drawn.matrix,
                drawn.bounds,
                (),
            )
        ground = self._ground(placement)
        layers = [Layer("item", item_alone(drawn))]
        if drawn.shadow is not None:
            layers.append(Layer("shadow", shadow_layer(drawn.shadow)))
        if ground is not None:
            bare = drawn._replace(
                shadow=None,
                cover=drawn.cover * 0,
                alpha=drawn.alpha * 0,
                colours=[plane * 0 for plane in drawn.colours],
            )
            layers.append(Layer("ground", flat(bare, ground)))
        data = openraster(layers, flat(drawn, ground), self._density(placement.canvas))
        return self._checked(EncodedFile(data, 0), placement, drawn.matrix, drawn.bounds, ())

    def _checked(
        self, file: EncodedFile, placement: Placement, matrix: Map, box: Box | None, overlays: tuple[str, ...]
    ) -> Picture:
        cut = tuple(note.text for note in placement.notes if note.kind in (NoteKind.CUT, NoteKind.FRAME))
        name = PurePosixPath(self._task.output).name
        facts = Facts(name, placement.canvas, box, cut, placement.scale, overlays, placement.seen)
        rows = checked(file.data, self._wanted, facts, self._standard.checks)
        notes = self._notes + [note.text for note in placement.notes]
        return Picture(file.data, *placement.canvas, file.quality, notes, rows, matrix, placement.cut_sides)

    def _density(self, canvas: Size) -> float:
        """px per inch, as written."""
        return self._wanted.density_on(canvas, self._rules.canvas.density)

    def _overlays(self) -> list[Overlay]:
        return [overlay for overlay in self._standard.overlays if overlay.name in self._wanted.overlays]

    def _tagged(self, pixels: Encoded, space: Space) -> Tagged:
        """In the colours of the wanted profile. A photo's own that cannot be converted to is said, and sRGB taken."""
        profile = self._wanted.profile
        if profile == SRGB:
            return in_srgb(pixels)
        if profile != KEPT:
            return self._fitting(self._converted(pixels, space, self._assets.bytes(profile), profile), profile)
        icc = self._source.camera().icc
        if not icc:
            return in_srgb(pixels)
        try:
            return self._fitting(self._converted(pixels, space, icc, "of the photo"), "of the photo")
        except ProfileError as error:
            self._notes.append(f"{error}; sRGB was taken")
            return self._converted(pixels, space, srgb_profile(), SRGB)

    def _converted(self, pixels: Encoded, space: Space, icc: bytes, name: str) -> Tagged:
        return converted(pixels, icc, name, space, int(self._wanted.depth), self._wanted.intent)

    def _fitting(self, tagged: Tagged, name: str) -> Tagged:
        ink = tagged.icc[16:20] == b"CMYK"
        if ink and not self._wanted.kind.ink:
            raise ProfileError(f"the profile {name} is one of ink, which {self._wanted.kind.label} cannot hold")
        return tagged

    def _information(self, icc: bytes, density: float) -> Embedded:
        information = self._standard.information
        card = metadata_of(information, self._task.values)
        camera = Camera() if information.camera == "remove" else self._source.camera()
        exif = exif_of(card, information, camera, density, is_srgb=icc == srgb_profile())
        return Embedded(icc, exif, xmp_of(card), iptc_of(card))


def _on_shrunk(placement: Placement, shrink: int) -> Placement:
    """The placement for a photo that was decoded smaller. Whether it is a hard-edged graphic can no longer be told by
    its pixels, and does not matter where it is reduced so much."""
    if shrink == 1:
        return placement
    by_itself = placement.rules.kernel in ("auto", "drawn")
    rules = placement.rules.model_copy(update={"kernel": "lanczos"}) if by_itself else placement.rules
    lens = placement.lens
    smaller = Size(lens.frame.width // shrink, lens.frame.height // shrink)
    lens = lens._replace(frame=smaller, middle=(lens.middle[0] / shrink, lens.middle[1] / shrink))
    return placement._replace(matrix=Map.scaled(shrink, shrink).then(placement.matrix), rules=rules, lens=lens)


@lru_cache(4)
def empty_frame(path: Path) -> Encoded:
    """A photo of the bare backdrop, as large as it is used. Raises PhotoError."""
    photo = read_photo(path, printable(path.name), wide=True)
    return as_srgb(reduced(photo.pixels, MODERATE), photo.space)
