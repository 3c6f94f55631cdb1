"""A standard as a YAML file with a comment beside each rule, and the schema of such files."""

from collections.abc import Mapping, Sequence
from typing import Any

import yaml

from zero_easel.core.standard.checks import KINDS
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.model import Standard, StandardError, faults_of, validated, write_views
from zero_easel.core.standard.overlays import Overlay
from zero_easel.core.standard.rule import Part

SCHEMA_NAME = "standard.schema.json"


def read_standard(text: str, name: str = "the standard") -> Standard:
    """A standard from its YAML text; whatever it leaves out keeps the built-in value.

    Raises StandardError, which names the line of each value that is unknown or not possible.
    """
    try:
        node = yaml.compose(text, Loader=yaml.SafeLoader)
        data = yaml.safe_load(text)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        where = f", line {mark.line + 1}" if mark else ""
        raise StandardError(f"{name}{where}: this is not valid YAML") from error
    if not isinstance(data, dict):
        raise StandardError(f"{name} holds no rules")
    twice = _repeated(node)
    if twice is not None:
        raise StandardError(f"{name}, line {twice.start_mark.line + 1}: {twice.value} is written twice")
    faults = faults_of(data)
    if faults:
        said = [f"{name}{_line_of(node, path)}: {reason}" for path, reason in faults[:5]]
        raise StandardError("; ".join(said))
    return validated(data)


def schema() -> dict[str, Any]:
    """The JSON Schema (2020-12) of the files that read_standard reads."""
    found = Standard.model_json_schema()
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A standard of Zero Easel",
        **{key: value for key, value in found.items() if key != "title"},
    }


def _line_of(node: yaml.Node | None, path: Sequence[str | int]) -> str:
    """ ", line 12": of the value at a path, or of the nearest part around it."""
    line = None
    for step in path:
        found = _child(node, step)
        if found is None:
            break
        line, node = found
    return f", line {line + 1}" if line is not None else ""


def _child(node: yaml.Node | None, step: str | int) -> tuple[int, yaml.Node] | None:
    if isinstance(node, yaml.MappingNode):
        for key, value in node.value:
            if key.value == step:
                return key.start_mark.line, value
    if isinstance(node, yaml.SequenceNode) and isinstance(step, int) and step < len(node.value):
        return node.value[step].start_mark.line, node.value[step]
    return None


def _repeated(node: yaml.Node | None) -> Any:
    """The first key that stands twice in one mapping: YAML would silently take the last."""
    if isinstance(node, yaml.MappingNode):
        seen = set()
        for key, value in node.value:
            if key.value in seen:
                return key
            seen.add(key.value)
            if (found := _repeated(value)) is not None:
                return found
    if isinstance(node, yaml.SequenceNode):
        return next((found for part in node.value if (found := _repeated(part)) is not None), None)
    return None


def write_standard(standard: Standard) -> str:
    """The standard as commented YAML; read_standard gives the same standard back."""
    return "\n".join(
        [
            "# A standard of Zero Easel: the rules that every finished picture follows.",
            "# Whatever is left out keeps the built-in value. Lengths are in %, px, mm, cm or in; one to four of them",
            "# for the sides, as top, right, bottom, left. What the fields mean in full: docs/formats.md.",
            f"name: {_q(standard.name)}",
            "",
            "canvas:",
            *_rows(standard.canvas, _CANVAS),
            "",
            "item:",
            *_rows(standard.item, _ITEM),
            "",
            "# Where items follow other rules: - {category: kitchen, view: top, item: {place: centre}}",
            *_listed("exceptions", [special.model_dump() for special in standard.exceptions], {}),
            "",
            "# What is made of each photo, all of it in one run.",
            *_listed("deliverables", [d.model_dump() for d in standard.deliverables], _DELIVERABLE),
            "",
            "names:",
            *_rows(standard.names, _NAMES),
            "",
            "# Written into the files. Patterns with fields of the catalog, as in names; empty writes nothing.",
            "information:",
            *_rows(standard.information, _INFORMATION),
            "",
            "# Texts and pictures that deliverables may ask for by name.",
            *_listed("overlays", [overlay.model_dump() for overlay in standard.overlays], _OVERLAY),
            "",
            "# What finished pictures must meet: - {rule: longest, value: at least 1000, only: zoom}. Rules are",
            f"# {', '.join(KINDS)}.",
            *_listed("checks", [check.model_dump() for check in standard.checks], {}),
            "",
            f"hand_over: {standard.hand_over:<18}# all, or passed: a run holds back what fails a check",
            "",
            '# What the first, second, ... photo of a product shows; "front; kitchen: front, top" rules a category by',
            "# itself.",
            f"views: {_q(write_views(standard.views))}",
            "",
        ]
    )


_CANVAS = {
    "width": "px of every finished picture",
    "height": "px",
    "ground": "#RRGGBB, transparent, vertical #FFFFFF #E8E8E8, radial #FFFFFF #DDDDDD, or picture NAME",
    "density": "px per inch, for print and for lengths in mm, cm or in",
    "unit": "mm, cm or in: the unit besides px in which sizes are shown",
    "around": "how much the canvas grows around the placed picture; negative clips it",
    "overflow": "an item that does not fit: cut, or grow that photo's canvas",
}
_ITEM = {
    "backdrop": "cleared, or kept for pictures that are not cut out",
    "straighten": "off; base: a flat foot becomes level; axis: what is symmetrical or long and thin becomes upright",
    "straighten_limit": "degrees; what leans more is meant to",
    "scale": "share of the canvas, true-size, as-shot, or even-weight",
    "share": "% of the canvas that the item fills, or the largest item; less where a margin stops it",
    "share_of": "of the height, the width, the area, or the frame: whichever side it fills first",
    "px_per_mm": "for true-size; 0: such that the largest item fits",
    "one_scale": "for true-size, as-shot and even-weight: one number for the shoot or for each category",
    "smallest": "% of the frame that no item falls below",
    "largest": "% of the frame that no item exceeds",
    "enlarge": "allow or forbid more pixels than the item was photographed with",
    "margin": "what stays free all round, % of the canvas's shorter side",
    "place": "line: stands on a line; centre: in the middle of the canvas",
    "line": "between the line and the lower edge, % of the height",
    "across": "in the middle of the width: the item's bounds, its centroid, or its mirror axis",
    "shadow": "drop: none; natural: the item's own; drawn: a soft one under its foot",
    "fit": "an uncut picture: contain, cover or stretch; longest, shorter, width, height, percent, megapixels",
    "size": "the number for the last six of these",
    "reduce_only": "true: uncut pictures never get more pixels than the photo has",
    "kernel": "the resampling filter: auto, lanczos, cubic, or box for hard-edged graphics",
}
_DELIVERABLE = {
    "name": "{deliverable} in names",
    "size": "canvas, exact, longest, width, height, percent, multiple",
    "width": "px, for exact",
    "height": "px, for exact",
    "number": "px, %, or times, for the others",
    "base": "the deliverable that it is a multiple of",
    "format": "jpeg, png, webp, avif, tiff, jpeg2000, openraster, svg",
    "quality": "1 to 100, for jpeg, webp, avif and jpeg2000",
    "lossless": "true: webp, avif or jpeg2000 without loss",
    "chroma": "colour of jpeg and avif at full or half resolution; auto",
    "progressive": "true: a jpeg that comes in passes",
    "depth": "8 or 16 bits per channel; 16 for tiff and png",
    "limit": "at most so many kB; 0 for no limit",
    "least": "the lowest quality that the limit may lead to",
    "ground": "instead of the canvas's",
    "density": "px per inch as written; 0 for the canvas's",
    "profile": "sRGB, kept for the photo's own, or an ICC file's name",
    "overlays": "names of overlays",
    "views": "the views it is for, like: front, back; empty for all",
    "file": "its own name pattern; empty for that of names",
    "folder": "its folder, before that of names",
}
_NAMES = {
    "name": "fields, as {code} {view}; {n:03} pads with zeros",
    "folder": 'subfolders, like "{category}/{code}"; empty for none',
    "count": "{n} counts within a product, a folder, or the run",
    "start": "the first {n}",
    "find": "replaced in finished names",
    "put": "by this",
    "find_as": "text or regex",
    "twice": "a name wanted twice: refuse stops the run, count adds a counter to the later ones",
}
_INFORMATION = {
    "title": "",
    "description": "",
    "creator": "who made the picture",
    "copyright": "",
    "licence": "URL of the licence",
    "keywords": "separated by commas",
    "place": "where it was made, in words",
    "gtin": "of the product that is shown",
    "product_name": "",
    "product_description": "",
    "camera": "what the camera wrote: keep, reduce to when and with what, or remove",
    "private": "place by satellite, serial numbers, owner: drop or keep",
}
_OVERLAY = {
    "name": "",
    "text": "a pattern, like -{discount} %",
    "picture": "or the name of a picture among the assets",
    "font": "text, mono, or a font file among the assets",
    "size": "% of the canvas's shorter side",
    "colour": "",
    "opacity": "%",
    "at": "top left, top, top right, left, middle, right, bottom left, bottom, bottom right",
    "inset": "% from the edge",
    "turn": "degrees, clockwise",
    "tiled": "true: over the whole canvas",
    "plate": "behind it: none, bar, disc",
    "plate_colour": "",
    "when": "a condition on a column, like: discount > 0",
}


def _rows(part: Part, about: Mapping[str, str]) -> list[str]:
    return _said(part.model_dump(), about, "  ")


def _said(values: Mapping[str, Any], about: Mapping[str, str], indent: str) -> list[str]:
    rows = []
    for key, value in values.items():
        written = f"{indent}{key}: {_value(value)}"
        note = about.get(key, "")
        rows.append(f"{written:<34}# {note}" if note else written)
    return rows


def _listed(key: str, rows: Sequence[Mapping[str, Any]], about: Mapping[str, str]) -> list[str]:
    """A list of parts: the first with all that can be said and what it means, the others where they differ from the
    built-in values."""
    if not rows:
        return [f"{key}: []"]
    lines = [f"{key}:"]
    usual = {"deliverables": Deliverable().model_dump(), "overlays": Overlay(text="-").model_dump()}.get(key, {})
    for at, row in enumerate(rows):
        if not about:
            lines.append(f"  - {_value(row)}")
            continue
        kept = row if at == 0 else {k: v for k, v in row.items() if k == "name" or k not in usual or usual[k] != v}
        first, *others = _said(kept, about if at == 0 else {}, "    ")
        lines += [f"  - {first.lstrip()}", *others]
    return lines


def _value(value: object) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, Mapping):
        return "{" + ", ".join(f"{key}: {_value(one)}" for key, one in value.items()) + "}"
    if isinstance(value, (list, tuple)):
        return "[" + ", ".join(_value(one) for one in value) + "]"
    if isinstance(value, (int, float)):
        short = f"{value:.10g}"
        return short if float(short) == value else repr(value)
    return _q(str(value))


def _q(text: str) -> str:
    """Text as YAML, in quotes only where it needs them."""
    bare = text.replace("-", "").isalnum() and text.isascii() and text.islower()
    if bare and yaml.safe_load(text) == text:
        return text
    return str(yaml.safe_dump(text, allow_unicode=True, default_style='"', width=float("inf"))).strip()
