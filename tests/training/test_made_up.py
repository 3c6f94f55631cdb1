"""What the network that knows things is trained on: true shadows and coverage, and marks that lie where they say."""

from pathlib import Path

import cv2
import numpy as np
import pytest
from cast import cast, load, save
from composites import Wish, composite
from flats import flat
from grounds import encoded, linear, place
from hand import first_marks, mark_in, planes_of, worst_error
from hypothesis import given
from hypothesis import strategies as st
from meshes import Part, Surface, read_obj, standing
from stock import Stock, side_of, stock_of

CUBE = """mtllib cube.mtl
v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1
usemtl red
f 1 2 3 4\nf 5 8 7 6\nf 1 5 6 2\nf 2 6 7 3\nf 3 7 8 4\nf 4 8 5 1
"""


@pytest.fixture(scope="module")
def cube(tmp_path_factory: pytest.TempPathFactory) -> list[Part]:
    folder = tmp_path_factory.mktemp("cube")
    (folder / "cube.obj").write_text(CUBE)
    (folder / "cube.mtl").write_text("newmtl red\nKd 0.9 0.1 0.1\nmap_Kd no\\such\\picture.jpg\n")
    return read_obj(folder / "cube.obj")


@pytest.fixture(scope="module")
def stock(cube: list[Part], tmp_path_factory: pytest.TempPathFactory) -> Stock:
    """A cube, a disc cut out of a photo, and a texture."""
    folder = tmp_path_factory.mktemp("stock")
    made = cast(cube, np.random.default_rng(1), 96)
    assert made is not None
    save(folder / "cube.0.full.npz", made)
    y, x = np.mgrid[0:80, 0:80]
    disc = np.dstack([np.full((80, 80, 3), (40, 90, 200)), 255 * (np.hypot(x - 40, y - 40) < 36)]).astype(np.uint8)
    cv2.imwrite(str(folder / "disc.png"), disc)
    texture = np.random.default_rng(2).integers(60, 200, (64, 64, 3)).astype(np.uint8)
    return Stock({"cube": [folder / "cube.0.full.npz"]}, {}, [folder / "disc.png"], [texture], [])


def test_a_model_is_read_with_its_surface_and_stands_on_the_ground(cube: list[Part]) -> None:
    (part,) = cube
    assert len(part.faces) == 12 and part.surface.colour[0] > 5 * part.surface.colour[1]
    assert part.vertices.min(0) == pytest.approx([-0.5, -0.5, 0]) and part.vertices.max() == pytest.approx(1)
    assert np.linalg.norm(part.normals, axis=1) == pytest.approx(1, abs=1e-5)


def test_a_cast_has_red_paint_light_and_a_shadow_beside_it(cube: list[Part], tmp_path: Path) -> None:
    made = cast(cube, np.random.default_rng(4), 96)
    assert made is not None and max(made.cover.shape) <= 98
    solid = made.cover == 255
    assert 0.4 < solid.mean() < 1
    assert (made.paint[solid][:, 0] > made.paint[solid][:, 1] + 60).all()
    assert made.light[solid].min() < made.light[solid].max() - 20  # its sides are lit differently
    margin = int(made.margin) // 2
    around = np.ones(made.sky.shape, np.bool_)
    around[margin : margin + solid.shape[0] // 2, margin : margin + solid.shape[1] // 2] = False
    assert made.sky[around].min() < 200 and np.percentile(made.sky[around], 95) > 235
    save(tmp_path / "again.npz", made)
    assert all((a == b).all() for a, b in zip(load(tmp_path / "again.npz"), made, strict=True))


def test_what_is_clear_is_looked_through() -> None:
    pane = np.array([(-0.5, 0, 0), (0.5, 0, 0), (0.5, 0, 1), (-0.5, 0, 1)], np.float32)
    faces, normals = np.array([(0, 1, 2), (0, 2, 3)], np.int32), np.tile(np.float32([0, -1, 0]), (4, 1))
    glass = Part(pane, faces, normals, np.zeros((4, 2), np.float32), Surface((1.0, 1.0, 1.0), clear=0.9))
    wall = Part(pane * (0.4, 1, 0.4) + np.float32([0, 0.3, 0.2]), faces, normals, glass.uv, Surface((0.0, 0.5, 0.0)))
    made = cast(standing([glass, wall]), np.random.default_rng(8), 96)
    assert made is not None
    through = made.clear > 127
    assert 0.3 < through[made.cover == 255].mean() < 0.95  # the wall behind it stops the light
    behind = (made.cover == 255) & ~through
    assert (made.paint[behind][:, 1] > made.paint[behind][:, 0] + 50).mean() > 0.9


@pytest.mark.parametrize("kind", ["cast", "cutout"])
@pytest.mark.parametrize("colour", ["own", "alike", "other", "tint", "glass"])
def test_the_truth_of_a_composite_is_where_its_thing_is(stock: Stock, kind: str, colour: str) -> None:
    wish = Wish(things=1, colour=colour, kind=kind, share=0.6, cut=False)
    for number in range(3):
        rng = np.random.default_rng(number)
        photo, truth = composite(rng, stock, (160, 128), wish)
        assert photo.shape == (128, 160, 3) and photo.dtype == truth.dtype == np.uint8
        covered = (truth > 127).mean()
        assert 0.1 < covered < 0.6
        ys, xs = np.nonzero(truth > 127)
        # A cutout may be turned: then its corners, which are empty here, need room too.
        assert (0.55 if kind == "cast" else 0.38) < max(np.ptp(xs) / 160, np.ptp(ys) / 128) < 0.65


def test_a_composite_follows_from_its_number_and_may_hold_nothing_or_many(stock: Stock) -> None:
    first, second = (composite(np.random.default_rng(5), stock, (128, 96)) for _ in range(2))
    assert all((a == b).all() for a, b in zip(first, second, strict=True))
    assert not composite(np.random.default_rng(6), stock, (128, 96), Wish(things=0))[1].any()
    many = composite(np.random.default_rng(7), stock, (256, 192), Wish(things=9, cut=False))[1]
    assert cv2.connectedComponents((many > 127).astype(np.uint8))[0] - 1 >= 5


@given(st.integers(0, 10**6), st.sampled_from([(32, 24), (96, 128), (200, 64)]))
def test_any_place_is_light_of_the_frames_size(seed: int, size: tuple[int, int]) -> None:
    texture = np.random.default_rng(0).integers(0, 255, (40, 30, 3)).astype(np.uint8)
    where = place(np.random.default_rng(seed), size, [texture], [texture])
    assert where.light.shape == (size[1], size[0], 3) and np.isfinite(where.light).all()
    assert where.light.min() >= 0 and where.tone.shape == (3,)


def test_encoding_is_undone_by_decoding() -> None:
    grey = np.arange(256, dtype=np.uint8)
    assert np.abs(encoded(linear(grey)) - grey).max() < 0.01


@given(st.integers(0, 10**6))
def test_marks_lie_within_what_they_say(seed: int) -> None:
    rng = np.random.default_rng(seed)
    truth = np.zeros((60, 80), np.bool_)
    truth[rng.integers(5, 20) : rng.integers(35, 55), rng.integers(5, 30) : rng.integers(50, 75)] = True
    planes = planes_of(first_marks(rng, truth), (80, 60)) > 0
    # A stroke's width and its round ends are whole px: they may reach two over the rim.
    inner = cv2.erode(truth.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    outer = cv2.dilate(truth.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
    assert not (planes[0] & ~outer).any() and not (planes[1] & inner).any() and not (planes[2] & truth).any()
    found = truth.copy()
    found[10:30, 40:60] ^= True
    error = worst_error(found, truth)
    assert error is not None and not (error & ~(found ^ truth)).any()
    mark = mark_in(rng, error, truth)
    x, y = np.round(mark.points[0]).astype(int)
    assert found[y, x] != truth[y, x] and mark.kind == ("item" if truth[y, x] else "backdrop")


def test_whole_sources_and_some_names_are_held_out() -> None:
    assert side_of("KatorLegaz", "chair") == side_of("Reallusion", "vase") == "measuring"
    sides = [side_of("Scopia", f"thing{k}") for k in range(1200)]
    for side in ("fitting", "measuring"):
        assert sides.count(side) / len(sides) == pytest.approx(1 / 12, abs=0.03)
    assert side_of("stamps", "Rubberduck") == side_of("BlendSwap-CC-0", "rubberduck")


def test_ground_is_made_of_stuff_and_never_of_pictures_of_things(tmp_path: Path) -> None:
    """Wood is stuff; a face that was painted for a model is not."""
    folder = tmp_path / "textures/BlendSwap-CC-0"
    folder.mkdir(parents=True)
    for name in ("antiqueChair-cherry", "somebody-face"):
        cv2.imwrite(str(folder / f"{name}.jpg"), np.full((40, 40, 3), 120, np.uint8))
    kept = stock_of(tmp_path, "training", "fitting", "measuring")
    assert len(kept.textures) == len(kept.prints) == 1


def test_flat_things_are_solid_and_some_have_holes() -> None:
    texture = np.random.default_rng(2).integers(60, 200, (64, 64, 3)).astype(np.uint8)
    holed = 0
    for seed in range(40):
        face = flat(np.random.default_rng(seed), [texture], 200)
        assert face.shape[2] == 4 and max(face.shape[:2]) <= 200
        cover = face[..., 3] > 127
        assert cover.mean() > 0.02
        framed = np.pad(~cover, 1, constant_values=True).astype(np.uint8)
        holed += cv2.connectedComponents(framed, connectivity=4)[0] > 2
    assert 4 < holed < 30
