"""px per mm and the camera's angle, against items drawn as a camera would see them and against the demo's truth."""

import json

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from support import CATALOG, TRUTH

from zero_easel.core.catalog.products import read_catalog
from zero_easel.core.items.measure import Measures, measures_of
from zero_easel.core.light.geometry import Map, Size
from zero_easel.core.placing.pose import Dimensions, pose_of


def can(width: float, height: float, depth: float, elevation: float, scale: float) -> np.ndarray:
    """Outline of an upright can of an elliptical foot, far from a camera that looks down."""
    around = np.linspace(0, 2 * np.pi, 200)
    down = np.radians(elevation)
    rim = np.column_stack([width / 2 * np.cos(around), depth / 2 * np.sin(around) * np.sin(down)])
    return scale * np.vstack([rim, rim + np.array([0, height * np.cos(down)])])


def box(sides: tuple[float, float, float], turn: float, elevation: float, scale: float, distance: float) -> np.ndarray:
    """Corners of a box on the ground, seen from a distance in mm."""
    corners = np.array([(x, y, z) for x in (-0.5, 0.5) for y in (-0.5, 0.5) for z in (-0.5, 0.5)]) * sides
    a, e = np.radians(turn), np.radians(elevation)
    x = corners[:, 0] * np.cos(a) + corners[:, 2] * np.sin(a)
    z = corners[:, 2] * np.cos(a) - corners[:, 0] * np.sin(a)
    v, away = corners[:, 1] * np.cos(e) + z * np.sin(e), z * np.cos(e) - corners[:, 1] * np.sin(e)
    return scale * np.column_stack([x, -v]) / (1 + away / distance)[:, None]


@given(st.floats(40, 300), st.floats(40, 300), st.floats(40, 300), st.floats(0, 35), st.floats(0.5, 8))
def test_width_height_and_depth_give_the_cameras_angle(w: float, h: float, d: float, e: float, scale: float) -> None:
    pose = pose_of(can(w, h, d, e, scale), Dimensions(w, h, d), "front")
    assert pose is not None and not pose.doubt
    if e < np.degrees(np.arctan2(d, h)) and pose.source == "its width":
        # Beyond that angle an item looks as high as it did before it, and the lower one is meant.
        assert pose.elevation == pytest.approx(e, abs=1.5)
    assert pose.px_per_mm == pytest.approx(scale, rel=0.05)


def test_a_mug_seen_from_sixteen_degrees_covers_more_than_its_height() -> None:
    outline = can(90, 80, 90, 16, 3.0)
    assert np.ptp(outline[:, 1]) / 3 == pytest.approx(101.7, abs=0.2)
    pose = pose_of(outline, Dimensions(90, 80, 90), "front")
    assert pose is not None and pose.elevation == pytest.approx(16, abs=0.5)


@settings(max_examples=25, deadline=None)
@given(
    st.floats(15, 45),
    st.floats(8, 40),
    st.floats(1, 6),
    st.sampled_from([(89, 118, 89), (120, 200, 60), (150, 90, 70)]),
)
def test_a_box_that_is_turned_is_known_by_its_outline(
    turn: float, e: float, scale: float, sides: tuple[float, float, float]
) -> None:
    pose = pose_of(box(sides, turn, e, scale, 8.3 * max(sides)), Dimensions(*sides), "front")
    assert pose is not None
    if "outline" in pose.source:
        assert pose.px_per_mm == pytest.approx(scale, rel=0.04)
        assert pose.elevation == pytest.approx(e, abs=4)


@pytest.mark.parametrize(
    ("size", "said"),
    [
        (Dimensions(60, 180, 60), "swapped"),
        (Dimensions(180, 30, 20), "taller than its listed 30 mm"),
        (Dimensions(180, 300, 20), "lower than its listed 300 mm"),
    ],
)
def test_proportions_that_cannot_be_are_doubted(size: Dimensions, said: str) -> None:
    pose = pose_of(can(180, 60, 60, 6, 3.0), size, "front")
    assert pose is not None and said in pose.doubt


def test_what_cannot_be_told_is_not_told() -> None:
    outline = can(90, 80, 90, 10, 3)
    assert pose_of(outline, Dimensions(None, 80, 90), "front") is None
    assert pose_of(outline, Dimensions(90, 80, 90), "detail") is None
    partly = pose_of(outline, Dimensions(90, None, None), "front")
    assert partly is not None and partly.elevation is None and partly.px_per_mm == pytest.approx(3, rel=1e-3)


def truth(stem: str) -> tuple[Measures, dict[str, object]]:
    alpha = cv2.imread(str(TRUTH / f"{stem}.alpha.png"), cv2.IMREAD_GRAYSCALE)
    measures = measures_of(np.asarray(alpha), 0, 0, Size.of(alpha))
    assert measures is not None
    return measures, json.loads((TRUTH / f"{stem}.json").read_text())


def test_true_sizes_of_the_demo_are_right_within_two_per_cent() -> None:
    products = {p.code: p for p in read_catalog(CATALOG.read_bytes(), "products.csv").products}
    off = {}
    for path in sorted(TRUTH.glob("BRYD*.json")):
        measures, known = truth(path.stem)
        if known["view"] != "front":
            continue
        product = products[str(known["code"])]
        size = Dimensions(product.width_mm, product.height_mm, product.depth_mm)
        pose = pose_of(Map.turned(-float(known["tilt_deg"])).apply(measures.hull), size, "front")  # type: ignore[arg-type]
        assert pose is not None and not pose.doubt, path.stem
        off[path.stem] = pose.px_per_mm / float(known["px_per_mm"])  # type: ignore[arg-type]
    assert len(off) == 15
    middle = (max(off.values()) + min(off.values())) / 2
    worst = max(off, key=lambda stem: abs(off[stem] / middle - 1))
    assert abs(off[worst] / middle - 1) < 0.02, (worst, off)
