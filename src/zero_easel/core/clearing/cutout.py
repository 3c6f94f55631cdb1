"""An item without its backdrop: matte, clean foreground, contact shadow, and how far to trust them."""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from zero_easel.core.clearing.beside import light_beside
from zero_easel.core.clearing.doubt.reasons import EMPTY_UNUSED, NO_ITEM, reasons_of
from zero_easel.core.clearing.doubt.signals import confidence_of, signals_of
from zero_easel.core.clearing.grain import grain_of
from zero_easel.core.clearing.marks import Mark, drawn
from zero_easel.core.clearing.matte import Edge, edge_of
from zero_easel.core.clearing.region import Region, decide
from zero_easel.core.clearing.shadow import shadow_of
from zero_easel.core.clearing.sight import MODERATE, Sight, look_again, look_at
from zero_easel.core.items.colours import main_colours
from zero_easel.core.items.flag import Flag
from zero_easel.core.items.item import CutItem, cropped
from zero_easel.core.items.measure import lost_in, mean_light
from zero_easel.core.light.colour import Encoded
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.light.space import as_srgb
from zero_easel.core.photos.decoding import Photo
from zero_easel.core.photos.reducing import reduced
from zero_easel.core.tone.vignette import vignette_of

ENGINE = "12"
"""Changes whenever the same photo may give another cutout; part of the key of everything derived from one."""


def cutout(photo: Photo, empties: Sequence[Encoded] = (), marks: Sequence[Mark] = ()) -> CutItem:
    """Separate the item from its backdrop and its shadow.

    empties: photos of the bare backdrop, (h, w, 3) uint8 or uint16 of any size; one that does not fit is not used, and
    a flag says so. marks: what a person drew. A photo that brought its own transparency keeps it, unless there are
    marks. A photo without an item gives an empty cutout, confidence 0 and a flag that says so; nothing is raised.
    """
    if photo.alpha is not None and not marks:
        return _as_delivered(photo)
    frame = Size.of(photo.pixels)
    seen = as_srgb(reduced(photo.pixels, MODERATE), photo.space)
    sight = look_again(look_at(seen, list(empties)), list(marks), frame)
    region = decide(sight, frame, list(marks))
    return finished(photo, sight, region, edge_of(sight, region).within(photo.space), list(marks))


def finished(photo: Photo, sight: Sight, region: Region, edge: Edge, marks: list[Mark]) -> CutItem:
    """The cutout at full size, from a decision that was made. edge: within the photo's space."""
    pixels, frame = photo.pixels, Size.of(photo.pixels)
    if not region.item.any() and not any(mark.kind == "exact-item" for mark in marks):
        unused = [EMPTY_UNUSED] if sight.empty_fits is False else []
        return CutItem.none(frame, [NO_ITEM, *unused])
    box = around(edge, marks)
    crop = exactly(edge.solve(pixels, box), pixels[box.part], box, marks)
    shadow = shadow_of(sight, region)
    if not region.item.any():  # all that there is was painted by hand
        return cropped(crop, box, frame, 0.0, [NO_ITEM], shadow)
    signals = signals_of(sight, region, edge)
    flags = reasons_of(sight, region, edge, signals)
    item = cropped(crop, box, frame, confidence_of(signals), flags, shadow)
    if item.measures is None:
        return item
    clipped, blocked = lost_in(item.pixels, photo.space)
    lit = item.measures._replace(
        backdrop=light_beside(sight, region, shadow),
        light=mean_light(item.pixels, photo.space),
        clipped=clipped,
        blocked=blocked,
        as_shot=photo.as_shot,
        colours=main_colours(item.pixels, photo.space),
        noise=grain_of(photo, region, shadow),
        vignette=vignette_of(sight.backdrop.field),
    )
    return replace(item, measures=lit, space=photo.space)


def around(edge: Edge, marks: list[Mark]) -> Box:
    """All px that may belong to the item, by decision or by the exact brush."""
    (width, height), boxes = edge.region.frame, [edge.bounds] if edge.region.item.any() else []
    for mark in marks:
        if mark.kind == "exact-item":
            points = np.array(mark.points)
            left, top = np.floor(points.min(0) - mark.radius - 1).astype(int)
            right, bottom = np.ceil(points.max(0) + mark.radius + 1).astype(int)
            boxes.append(Box(max(0, left), max(0, top), min(width, right), min(height, bottom)))
    (left, top), (right, bottom) = np.min(boxes, 0)[:2], np.max(boxes, 0)[2:]
    return Box(int(left), int(top), int(right), int(bottom))


def exactly(crop: Encoded, pixels: Encoded, box: Box, marks: list[Mark]) -> Encoded:
    """Let the exact brush have the last word, in order; crop (h, w, 4) is changed in place and returned."""
    top = 255 if crop.dtype == np.uint8 else 65535
    for mark in marks:
        if mark.kind.startswith("exact"):
            where = drawn([mark], (mark.kind,), box, Size.of(crop))
            own = mark.kind == "exact-item"
            crop[where, :3] = pixels[where] if own else 0
            crop[where, 3] = top if own else 0
    return crop


def _as_delivered(photo: Photo) -> CutItem:
    assert photo.alpha is not None
    frame = Size.of(photo.alpha)
    scale = 1 if photo.pixels.dtype == np.uint8 else 257
    crop = np.dstack([photo.pixels, photo.alpha.astype(photo.pixels.dtype) * scale])
    crop[crop[..., 3] == 0] = 0
    flag = Flag("own-transparency", "came with its own transparency, which was kept")
    if not (photo.alpha > 127).any():
        return CutItem.none(frame, [flag])
    item = cropped(crop, Box(0, 0, *frame), frame, 0.9, [flag], np.zeros((8, 8), np.uint8))
    return replace(item, space=photo.space)
