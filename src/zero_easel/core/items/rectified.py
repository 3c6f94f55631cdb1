"""A cutout of a photo that is rectified: cut out as it was photographed, then brought upright with the photo."""

from dataclasses import replace

from zero_easel.core.items.item import CutItem, cropped
from zero_easel.core.light.geometry import Box
from zero_easel.core.light.rectify import AS_PHOTOGRAPHED, Rectification, reach_of, rectified, rectified_map

_AS_IT_WAS = ("edges", "backdrop", "light", "clipped", "blocked", "as_shot", "colours", "noise", "vignette")
"""Measures that no geometry changes: what the photo's frame cut off, and the light."""


def rectified_item(item: CutItem, rectification: Rectification) -> CutItem:
    """The same item in the rectified photo, measured there. Places of its flags stay those of the photo as it is."""
    if rectification == AS_PHOTOGRAPHED or item.measures is None:
        return item
    h, w = item.pixels.shape[:2]
    part, frame = Box(item.left, item.top, item.left + w, item.top + h), item.frame
    box = reach_of(rectification, frame, part)
    pixels = rectified(item.pixels, rectification, frame, part, box)
    shadow = rectified_map(item.shadow, rectification, frame)
    made = cropped(pixels, box, frame, item.confidence, item.flags, shadow)
    if made.measures is None:
        return made
    known = {field: getattr(item.measures, field) for field in _AS_IT_WAS}
    return replace(made, measures=made.measures._replace(**known), space=item.space)
