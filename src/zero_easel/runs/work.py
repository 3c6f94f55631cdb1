"""What a worker process does with one photo of the library. Arguments and results are small and plain."""

import time
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

from zero_easel.core.clearing.marks import Mark
from zero_easel.core.finishing.embed import Camera, camera_of
from zero_easel.core.finishing.encode import encode_webp, weight_of
from zero_easel.core.items.flag import Flag
from zero_easel.core.items.item import CutItem
from zero_easel.core.items.measure import Measures
from zero_easel.core.items.rectified import rectified_item
from zero_easel.core.light.colour import Encoded
from zero_easel.core.light.geometry import Box
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, Rectification
from zero_easel.core.light.space import as_srgb
from zero_easel.core.photos.decoding import Photo, read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.photos.reading import Reading
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.model import Standard
from zero_easel.engines.cutouts import keep_cutout, kept_cutout
from zero_easel.engines.decoders import decoders
from zero_easel.engines.making import Made, made
from zero_easel.files import ensure_seen
from zero_easel.library.store.models import PhotoRow
from zero_easel.library.store.vault import Vault
from zero_easel.pipeline import PictureError, Source, Task, clear, empty_frame, reading_of, rectified_photo
from zero_easel.storage import Kept

T = TypeVar("T")
SMALL, LARGE = 480, 1400
"""Longer sides of the reduced cutouts that pages show, px."""


@dataclass(frozen=True)
class Cleared:
    """Facts of a cutout that is now in the vault. Box and bounds in px of the upright photo. weight: of its preview,
    see core.encode.weight_of."""

    key: str
    confidence: float
    flags: tuple[Flag, ...]
    left: int
    top: int
    width: int
    height: int
    bounds: Box | None
    measures: Measures | None
    weight: int
    seconds: float


@dataclass(frozen=True)
class PhotoResult:
    """What came of one photo: a result per picture that was asked for, and its cutout, if that was made too."""

    made: tuple[Made, ...]
    cleared: Cleared | None


@dataclass(frozen=True)
class Order:
    """A photo to be cleared. key: what its cutout will be called. empties: digests of photos of its bare backdrop.
    marks: what a person drew. rectified: what is undone of its geometry once it is cut out; before: what the cutout is
    called that knows nothing of that."""

    digest: str
    name: str
    key: str
    empties: tuple[str, ...]
    marks: tuple[Mark, ...]
    rectified: Rectification = AS_PHOTOGRAPHED
    before: str = ""


def _vault(location: str) -> Vault:
    """Raises UnreachableError where this machine does not see it."""
    if "://" not in location:
        ensure_seen(Path(location))
    return Vault(location)


def read_original(location: str, digest: str, name: str) -> Reading:
    """Read barcodes and sharpness off one original. Raises PictureError."""
    try:
        return reading_of(read_photo(_vault(location).original(digest).path(), name))
    except PhotoError as error:
        raise PictureError(str(error)) from error


def clear_photo(location: str, order: Order) -> Cleared:
    """Cut out one original and keep the cutout. Raises PictureError."""
    return _cleared(_vault(location), order)[1]


def make_pictures(
    location: str, order: Order, rules: Standard, parts: Sequence[tuple[Task, Kept]], subject: Subject
) -> PhotoResult:
    """Make finished pictures of one photo, each a task and the file for it, from the kept cutout, or from the original
    if there is none. A picture that fails keeps the others from nothing."""
    vault, cleared = _vault(location), None

    def item() -> CutItem:
        nonlocal cleared
        kept = kept_cutout(vault.cutout(order.key))
        if kept is None:
            kept, cleared = _cleared(vault, order)
        return kept

    source = Source(order.name, lambda scale: _drawn(vault, order, scale), item, lambda: _camera(vault, order))
    assets = vault.assets
    done = tuple(made(source, subject, rules, task, target, assets) for task, target in parts)
    return PhotoResult(done, cleared)


def kept_source(vault: Vault, photo: PhotoRow) -> Source:
    """A photo of the library with its kept cutout; for pictures that are only measured, in a process that decodes no
    stranger's file itself."""
    order = Order(photo.digest, photo.name, photo.cutout_key or "", (), (), photo.adjustment.rectified)

    def item() -> CutItem:
        kept = kept_cutout(vault.cutout(order.key)) if order.key else None
        if kept is None:
            raise PictureError(f"{photo.name} is not cleared yet.")
        return kept

    def decoded(function: Callable[..., T], *arguments: object) -> T:
        try:
            return decoders().do(order.name, function, vault.original(order.digest).path(), *arguments)
        except PhotoError as error:
            raise PictureError(str(error)) from error

    return Source(
        photo.name,
        lambda scale: decoded(_rectified, order.name, scale, order.rectified),
        item,
        lambda: decoded(_camera_at),
    )


def _camera_at(path: Path) -> Camera:
    return camera_of(path.read_bytes())


def _rectified(path: Path, name: str, scale: float, rectified: Rectification) -> Photo:
    """Raises PhotoError."""
    return rectified_photo(read_photo(path, name, scale, wide=True), rectified)


def _camera(vault: Vault, order: Order) -> Camera:
    return camera_of(vault.original(order.digest).read())


def _cleared(vault: Vault, order: Order) -> tuple[CutItem, Cleared]:
    started = time.perf_counter()
    item = kept_cutout(vault.cutout(order.before)) if order.rectified != AS_PHOTOGRAPHED else None
    if item is None:
        photo = _original(vault, order)
        item = clear(photo, [_empty(vault, digest) for digest in order.empties], order.marks)
    item = rectified_item(item, order.rectified)
    weight = _keep(vault, order.key, item)
    height, width = item.pixels.shape[:2]
    cleared = Cleared(
        key=order.key,
        confidence=item.confidence,
        flags=tuple(item.flags),
        left=item.left,
        top=item.top,
        width=width,
        height=height,
        bounds=item.bounds,
        measures=item.measures,
        weight=weight,
        seconds=round(time.perf_counter() - started, 3),
    )
    return item, cleared


def _original(vault: Vault, order: Order) -> Photo:
    try:
        return read_photo(vault.original(order.digest).path(), order.name, wide=True)
    except PhotoError as error:
        raise PictureError(str(error)) from error


def _drawn(vault: Vault, order: Order, scale: float) -> Photo:
    """The original as pictures are drawn from it."""
    try:
        return _rectified(vault.original(order.digest).path(), order.name, scale, order.rectified)
    except PhotoError as error:
        raise PictureError(str(error)) from error


def _empty(vault: Vault, digest: str) -> Encoded:
    """A photo of the bare backdrop at the largest size at which it is used. Raises PictureError."""
    try:
        return empty_frame(vault.original(digest).path())
    except PhotoError as error:
        raise PictureError(str(error)) from error


def _keep(vault: Vault, key: str, item: CutItem) -> int:
    """Previews first, then the cutout: whoever finds that finds all of it. Returns its weight."""
    weight = 0
    # Where a core is free the cutout is packed meanwhile; a person who waits for the photo sees it sooner.
    with ThreadPoolExecutor(1) as beside:
        packed = beside.submit(item.packed)
        for kind, one in zip(("small", "large"), item.reduced(SMALL, LARGE), strict=True):
            reduced = as_srgb(one.pixels, item.space)
            if reduced.dtype != "uint8":
                reduced = (reduced >> 8).astype("uint8")
            vault.preview(key, kind).write(encode_webp(reduced, 90))
            weight = weight_of(reduced) if kind == "small" else weight
        keep_cutout(vault.cutout(key), packed.result())
    return weight
