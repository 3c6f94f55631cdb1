"""A standard as a YAML file, with a comment beside each rule."""

import yaml

from zero_easel.core.rules import Item, Special
from zero_easel.core.standard import Standard, StandardError, validated, write_views


def read_standard(text: str, name: str = "the standard") -> Standard:
    """A standard from its YAML text; whatever it leaves out keeps the built-in value. Raises StandardError."""
    try:
        data = yaml.safe_load(text)
    except yaml.YAMLError as error:
        mark = getattr(error, "problem_mark", None)
        where = f", line {mark.line + 1}" if mark else ""
        raise StandardError(f"{name}{where}: this is not valid YAML") from error
    if not isinstance(data, dict):
        raise StandardError(f"{name} holds no rules")
    try:
        return validated(data)
    except StandardError as error:
        raise StandardError(f"{name}: {error}") from error


def write_standard(standard: Standard) -> str:
    """The standard as commented YAML; read_standard gives the same standard back."""
    c, i, d = standard.canvas, standard.item, standard.deliverable
    return f"""\
# A standard of Zero Easel: the rules that every finished picture follows.
# Whatever is left out keeps the built-in value shown here.
# Lengths are in %, px, mm, cm or in; one to four of them for the sides, as top, right, bottom, left.
name: {_q(standard.name)}

canvas:
  width: {c.width}            # px of every finished picture
  height: {c.height}           # px
  ground: {_q(c.ground)}     # a colour as #RRGGBB, or transparent (PNG and WebP only)
  density: {c.density:.10g}            # px per inch, for print and for lengths in mm, cm or in
  unit: {c.unit}               # mm, cm or in: the unit besides px in which sizes are shown
  around: {_q(c.around)}          # how much the canvas grows around the placed picture; negative clips it
  overflow: {c.overflow}          # an item that does not fit: cut, or grow that photo's canvas

item:
{_item(i)}
# Where items follow other rules: - {{category: kitchen, view: top, item: {{place: centre}}}}
exceptions:{_exceptions(standard)}

deliverable:
  format: {d.format}           # jpeg, png or webp
  quality: {d.quality}            # 1 to 100, for jpeg and webp
  name: {_q(d.name)}  # docs/formats.md lists the fields, as {{code}} {{view}}; {{n:03}} pads with zeros
  folder: {_q(d.folder)}           # subfolders, like "{{category}}/{{code}}"; empty for none
  count: {d.count}         # {{n}} counts within a product, a folder, or the run
  start: {d.start}               # the first {{n}}
  find: {_q(d.find)}             # replaced in finished names
  put: {_q(d.put)}              # by this
  find_as: {d.find_as}          # text or regex
  twice: {d.twice}          # a name wanted twice: refuse stops the run, count adds a counter to the later ones

# What the first, second, ... photo of a product shows; "front; kitchen: front, top" rules a category by itself.
views: {_q(write_views(standard.views))}
"""


_ABOUT = {
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


def _item(item: Item) -> str:
    rows = []
    for key, about in _ABOUT.items():
        written = _value(getattr(item, key))
        rows.append(f"  {key}: {written:<{max(1, 20 - len(key))}}# {about}")
    return "\n".join(rows) + "\n"


def _exceptions(standard: Standard) -> str:
    return "".join(_exception(special) for special in standard.exceptions) or " []"


def _exception(special: Special) -> str:
    rules = ", ".join(f"{key}: {_value(value)}" for key, value in special.item.items())
    return f"\n  - {{category: {_q(special.category)}, view: {_q(special.view)}, item: {{{rules}}}}}"


def _value(value: object) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    return f"{value:.10g}" if isinstance(value, (int, float)) else _q(str(value))


def _q(text: str) -> str:
    """Text as YAML, in quotes only where it needs them."""
    bare = text.replace("-", "").isalnum() and text.isascii() and text.islower()
    if bare and yaml.safe_load(text) == text:
        return text
    return str(yaml.safe_dump(text, allow_unicode=True, default_style='"', width=1000)).strip()
