"""Two versions of a standard compared in words, as a person would tell what was changed."""

from collections.abc import Mapping
from typing import Any

from zero_easel.core.standard.checks import KINDS
from zero_easel.core.standard.model import Scope, Standard, write_views

WORDS = {
    "canvas.width": "canvas width", "canvas.height": "canvas height", "canvas.ground": "ground",
    "canvas.density": "density", "canvas.unit": "unit besides px", "canvas.around": "canvas grown around",
    "canvas.overflow": "an item that does not fit",
    "item.backdrop": "backdrop", "item.straighten": "straightening", "item.straighten_limit": "straightened up to",
    "item.scale": "scale rule", "item.share": "share", "item.share_of": "share of", "item.px_per_mm": "px per mm",
    "item.one_scale": "one scale for", "item.smallest": "smallest item", "item.largest": "largest item",
    "item.enlarge": "enlarging", "item.margin": "margin", "item.place": "place", "item.line": "height of the line",
    "item.across": "in the middle of the width", "item.shadow": "shadow", "item.fit": "fit of uncut pictures",
    "item.size": "size of uncut pictures", "item.reduce_only": "uncut pictures only reduced", "item.kernel": "filter",
    "names.name": "file names", "names.folder": "folders", "names.count": "counted within",
    "names.start": "first number",
    "names.find": "found in names", "names.put": "replaced by", "names.find_as": "found as",
    "names.twice": "names wanted twice",
    "information.title": "title", "information.description": "description", "information.creator": "creator",
    "information.copyright": "copyright", "information.licence": "licence", "information.keywords": "keywords",
    "information.place": "place shown", "information.gtin": "GTIN", "information.product_name": "product's name",
    "information.product_description": "product's description", "information.camera": "what the camera wrote",
    "information.private": "place data and serial numbers",
    "deliverable.name": "name", "deliverable.size": "size", "deliverable.width": "width",
    "deliverable.height": "height",
    "deliverable.number": "size", "deliverable.base": "multiple of", "deliverable.format": "format",
    "deliverable.quality": "quality", "deliverable.lossless": "without loss", "deliverable.chroma": "colour resolution",
    "deliverable.progressive": "comes in passes", "deliverable.depth": "bits per channel", "deliverable.limit": "limit",
    "deliverable.least": "lowest quality", "deliverable.ground": "ground", "deliverable.density": "density",
    "deliverable.profile": "colour profile", "deliverable.overlays": "overlays", "deliverable.views": "views",
    "deliverable.file": "file names", "deliverable.folder": "folder",
    "overlay.name": "name", "overlay.text": "text", "overlay.picture": "picture", "overlay.font": "font",
    "overlay.size": "height", "overlay.colour": "colour", "overlay.opacity": "opacity", "overlay.at": "position",
    "overlay.inset": "distance from the edge", "overlay.turn": "turn", "overlay.tiled": "repeated",
    "overlay.plate": "plate", "overlay.plate_colour": "colour of the plate", "overlay.when": "condition",
    "name": "name of the standard", "hand_over": "what is handed over", "views": "views in turn",
}  # fmt: skip
"""What each field of a standard is called when two versions are compared."""
_UNITS = {
    "canvas.width": "px", "canvas.height": "px", "canvas.density": "px/in", "item.straighten_limit": "degrees",
    "item.share": "%", "item.smallest": "%", "item.largest": "%", "deliverable.width": "px", "deliverable.height": "px",
    "deliverable.limit": "kB", "deliverable.density": "px/in", "overlay.size": "%", "overlay.opacity": "%",
    "overlay.inset": "%", "overlay.turn": "degrees",
}  # fmt: skip


def differences(before: Standard, after: Standard) -> list[str]:
    """What was changed, one phrase each: "share 80 % -> 85 %", "thumbnail: size 220 -> 280". Empty if nothing was."""
    old, new = before.model_dump(), after.model_dump()
    said = []
    for key in old:
        if key in ("canvas", "item", "names", "information"):
            said += _fields(old[key], new[key], key)
        elif key == "deliverables":
            said += _named(old[key], new[key], "deliverable")
        elif key == "overlays":
            said += _named(old[key], new[key], "overlay")
        elif key == "exceptions":
            said += _exceptions(before, after)
        elif key == "checks":
            said += _checks(before, after)
        elif key == "views":
            if old[key] != new[key]:
                said.append(_phrase("views", write_views(old[key]), write_views(new[key])))
        elif old[key] != new[key]:
            said.append(_phrase(key, old[key], new[key]))
    return said


def _fields(old: Mapping[str, Any], new: Mapping[str, Any], part: str) -> list[str]:
    return [_phrase(f"{part}.{key}", old[key], new[key]) for key in old if old[key] != new[key]]


def _phrase(field: str, old: object, new: object) -> str:
    return f"{WORDS[field]} {_value(field, old)} → {_value(field, new)}"


def _value(field: str, value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, (list, tuple)):
        return ", ".join(str(one) for one in value) or "none"
    if isinstance(value, (int, float)):
        unit = _UNITS.get(field, "")
        return f"{value:.10g}{' ' if unit else ''}{unit}"
    return str(value) if value else "none"


def _named(old: list[dict[str, Any]], new: list[dict[str, Any]], part: str) -> list[str]:
    before, after = {row["name"]: row for row in old}, {row["name"]: row for row in new}
    said = [f"{part} {name} gone" for name in before if name not in after]
    said += [f"{part} {name} new" for name in after if name not in before]
    for name in before:
        if name in after:
            said += [f"{name}: {phrase}" for phrase in _fields(before[name], after[name], part)]
    kept = [name for name in before if name in after]
    if kept != [name for name in after if name in before]:
        said.append(f"{part}s in another order")
    return said


def _exceptions(before: Standard, after: Standard) -> list[str]:
    old = {str(Scope(s.category, s.view)): s.item for s in before.exceptions}
    new = {str(Scope(s.category, s.view)): s.item for s in after.exceptions}
    said = []
    for scope in [*old, *(scope for scope in new if scope not in old)]:
        mine, theirs = old.get(scope, {}), new.get(scope, {})
        for key in [*mine, *(key for key in theirs if key not in mine)]:
            if mine.get(key) != theirs.get(key):
                field, usual = f"item.{key}", "as for all"
                was, became = (_value(field, rules[key]) if key in rules else usual for rules in (mine, theirs))
                said.append(f"for {scope}: {WORDS[field]} {was} → {became}")
    if not said and before.exceptions != after.exceptions:
        said.append("exceptions in another order")
    return said


def _checks(before: Standard, after: Standard) -> list[str]:
    old, new = ([_check(check) for check in standard.checks] for standard in (before, after))
    said = [f"check of {check} gone" for check in old if old.count(check) > new.count(check)]
    said += [f"check of {check} new" for check in new if new.count(check) > old.count(check)]
    return said or (["checks in another order"] if old != new else [])


def _check(check: Any) -> str:
    words = f"{KINDS[check.rule].label} {check.value}".strip()
    return f"{words} ({check.only})" if check.only else words
