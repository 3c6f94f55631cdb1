"""How well true sizes, leans and centres are found: the demo's photos, cut out as always, against their truth.

    .venv/bin/python bench/true_size.py

Writes a table, one row a photo. "off": px of the canvas per real millimetre at the item's middle, beside that of the
whole row (the middle between the largest and the smallest of the front views): 0 % for all would be a perfect row.
"""

import json
from pathlib import Path

from zero_easel.core.catalog.products import read_catalog
from zero_easel.core.light.geometry import Map
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Placement, Subject
from zero_easel.core.placing.pose import Dimensions, pose_of
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.rules import Item
from zero_easel.pipeline import clear

HERE = Path(__file__).parent.parent
TRUTH, DEMO = HERE / "tests/truth", HERE / "src/zero_easel/demo"


def main() -> None:
    """Print the table."""
    products = {p.code: p for p in read_catalog((DEMO / "products.csv").read_bytes(), "products.csv").products}
    known, row = [], []
    for path in sorted(TRUTH.glob("BRYD*.json")):
        facts = json.loads(path.read_text())
        item = clear(read_photo(DEMO / f"photos/{path.stem}.JPG"))
        product = products[facts["code"]]
        size = Dimensions(product.width_mm, product.height_mm, product.depth_mm)
        known.append((path.stem, facts))
        row.append(Subject(item.measures, item.frame, product.category, facts["view"], size))
    placement = lay_out(row, Standard(item=Item(scale="true-size", across="axis")))
    scales = [lay.scale * facts["px_per_mm"] if lay else 0.0 for lay, (_, facts) in zip(placement, known, strict=True)]
    fronts = [scale for scale, (_, facts) in zip(scales, known, strict=True) if facts["view"] == "front"]
    usual = (min(fronts) + max(fronts)) / 2
    print("| photo | product | view | off, % | turned by, ° (leans) | camera from, ° (truth) | size from |")
    print("| --- | --- | --- | ---: | ---: | ---: | --- |")
    for (stem, facts), subject, lay, scale in zip(known, row, placement, scales, strict=True):
        print(f"| {stem} | {facts['code']} | {facts['view']} | {_rest(facts, subject, lay, scale / usual - 1)} |")
    worst = max(abs(scale / usual - 1) for scale in fronts)
    print(f"\nFront views: at most {worst:.2%} off.")


def _rest(facts: dict, subject: Subject, lay: Placement | None, off: float) -> str:
    if lay is None or subject.measures is None:
        return "| | | no item"
    pose = pose_of(Map.turned(lay.turn).apply(subject.measures.hull), subject.size, subject.view)
    lean = facts["tilt_deg"]
    angle = "" if pose is None or pose.elevation is None else f"{pose.elevation:.0f}"
    how = "none: a close-up" if pose is None else pose.doubt or pose.how
    shown = "" if pose is None else f"{100 * off:+.2f}"
    return f"{shown} | {lay.turn:.2f} ({lean}) | {angle} ({facts['camera']['elevation_deg']}) | {how}"


if __name__ == "__main__":
    main()
