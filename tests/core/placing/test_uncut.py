"""Pictures that are not cut out: boxes, sizes, and the part that is kept."""

import io
import json

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image
from support import lit

from zero_easel.core.finishing.graphics import is_hard_edged
from zero_easel.core.finishing.render import render_uncut
from zero_easel.core.light.geometry import Map, Size
from zero_easel.core.photos.decoding import decode_photo
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.placing.placement import Adjustment, KeptPart, NoteKind, Subject
from zero_easel.core.placing.uncut import lay_uncut
from zero_easel.core.standard.model import Deliverable, Standard
from zero_easel.core.standard.rules import Canvas, Item

frames = st.tuples(st.integers(20, 6000), st.integers(20, 6000))
canvases = st.builds(Canvas, width=st.integers(16, 3000), height=st.integers(16, 3000))


def corners(matrix: Map, frame: tuple[int, int]) -> tuple[np.ndarray, np.ndarray]:
    ends = matrix.apply(np.array([[0, 0], frame], float))
    return ends[0], ends[1]


@given(canvases, frames, st.sampled_from(["contain", "cover", "stretch"]), st.tuples(st.floats(0, 1), st.floats(0, 1)))
def test_boxes_are_filled_as_css_says(
    canvas: Canvas, frame: tuple[int, int], fit: str, at: tuple[float, float]
) -> None:
    middle = (at[0] * frame[0], at[1] * frame[1])
    uncut = lay_uncut(canvas, Item(backdrop="kept", fit=fit), frame, middle)  # type: ignore[arg-type]
    low, high = corners(uncut.matrix, frame)
    room = np.array([canvas.width, canvas.height])
    assert uncut.canvas == tuple(room)
    if fit == "contain":
        assert (low >= -1e-6).all() and (high <= room + 1e-6).all()
        assert np.abs(high - low - room).min() < 1e-6
    else:
        assert (low <= 1e-6).all() and (high >= room - 1e-6).all()
    if fit == "stretch":
        assert np.abs(low).max() < 1e-6 and np.abs(high - room).max() < 1e-6
    else:
        assert uncut.matrix.a == pytest.approx(uncut.matrix.d)
        # What should be kept lies on the canvas, and in its middle unless the picture's own edge forbids it.
        kept = uncut.matrix.apply(np.array([middle]))[0]
        assert (kept >= -1e-6).all() and (kept <= room + 1e-6).all()


@given(frames, st.sampled_from(["longest", "shorter", "width", "height"]), st.integers(16, 3000), st.booleans())
def test_sizes_hold_whatever_the_orientation(frame: tuple[int, int], fit: str, size: int, reduce: bool) -> None:
    item = Item(backdrop="kept", fit=fit, size=size, reduce_only=reduce)  # type: ignore[arg-type]
    (w, h), turned = lay_uncut(Canvas(), item, frame, None).canvas, frame[::-1]
    side = {"longest": max(w, h), "shorter": min(w, h), "width": w, "height": h}[fit]
    had = {"longest": max(frame), "shorter": min(frame), "width": frame[0], "height": frame[1]}[fit]
    assert side == (min(size, had) if reduce else size)
    scale = max(w, h) / max(frame)
    assert abs(min(w, h) - max(1, min(frame) * scale)) <= 0.5 + scale
    other = {"width": "height", "height": "width"}.get(fit, fit)
    mirrored = lay_uncut(Canvas(), item.model_copy(update={"fit": other}), turned, None).canvas
    assert mirrored == (h, w)


@given(canvases, frames, st.tuples(st.floats(0, 1), st.floats(0, 1)), st.floats(1, 20))
def test_a_zoomed_part_covers_its_canvas_and_stays_within_the_photo(
    canvas: Canvas, frame: tuple[int, int], at: tuple[float, float], zoom: float
) -> None:
    middle = (at[0] * frame[0], at[1] * frame[1])
    uncut = lay_uncut(canvas, Item(backdrop="kept", fit="cover"), Size(*frame), middle, zoom)
    low, high = corners(uncut.matrix, frame)
    room = np.array([canvas.width, canvas.height])
    assert (low <= 1e-6).all() and (high >= room - 1e-6).all()
    least = max(canvas.width / frame[0], canvas.height / frame[1])
    assert uncut.matrix.scale == pytest.approx(least * zoom)
    # What was chosen is in the middle, unless the photo ends before.
    shown = uncut.matrix.apply(np.array([middle]))[0] - room / 2
    ends = (np.abs(low) < 1e-6) | (np.abs(high - room) < 1e-6)
    assert ((np.abs(shown) < 1e-6 * max(room)) | ends).all()


@given(st.lists(st.tuples(st.integers(40, 900), st.integers(40, 900)), min_size=1, max_size=4))
def test_each_ratio_keeps_its_own_part_and_all_others_the_common_one(sizes: list[tuple[int, int]]) -> None:
    usual = Adjustment(keep=(5, 6), zoom=1.5)
    mine = usual
    for at, (w, h) in enumerate(sizes):
        mine = mine.with_part(KeptPart(w / h, at, at, 2 + at))
    assert Adjustment.of(json.loads(json.dumps(mine.changed()))) == mine
    last = {}
    for at, (w, h) in enumerate(sizes):
        last = {key: v for key, v in last.items() if abs(key[0] / key[1] / (w / h) - 1) > 0.004} | {(w, h): at}
    for (w, h), at in last.items():
        assert mine.kept_on(Size(w, h)) == ((at, at), 2 + at)
    assert mine.kept_on(Size(9000, 10)) == ((5, 6), 1.5)


@given(frames, st.sampled_from(["longest", "contain", "cover", "stretch"]), st.integers(16, 3000))
def test_what_is_only_reduced_says_where_that_leaves_it_smaller(frame: tuple[int, int], fit: str, size: int) -> None:
    item = Item(backdrop="kept", fit=fit, size=size, reduce_only=True)  # type: ignore[arg-type]
    placement = lay_out([Subject(None, Size(*frame))], Standard(canvas=Canvas(width=size, height=size), item=item))[0]
    assert placement is not None
    told = any("stays smaller than asked" in note.text for note in placement.notes)
    needed = {"longest": max(frame), "contain": max(frame), "cover": min(frame), "stretch": min(frame)}[fit]
    assert told == (needed < size)


@pytest.mark.parametrize(("fit", "size", "canvas"), [("percent", 50, (400, 300)), ("megapixels", 0.12, (400, 300))])
def test_per_cent_and_megapixels(fit: str, size: float, canvas: tuple[int, int]) -> None:
    item = Item(backdrop="kept", fit=fit, size=size)  # type: ignore[arg-type]
    assert lay_uncut(Canvas(), item, Size(800, 600), None).canvas == canvas


@pytest.mark.parametrize(
    ("padding", "canvas", "starts"),
    [
        ("7.5%", (920, 690), (60, 45)),
        ("-7.5%", (680, 510), (-60, -45)),
        ("0 15% 0 0", (920, 600), (0, 0)),
        ("20px 0 40px 10px", (810, 660), (10, 20)),
    ],
)
@pytest.mark.parametrize("fit", ["longest", "cover"])
def test_a_canvas_grows_around_a_whole_picture_or_clips_it(
    padding: str, canvas: tuple[int, int], starts: tuple[int, int], fit: str
) -> None:
    rules = Standard(canvas=Canvas(width=800, height=600, padding=padding, ground="#0000FF"),
                     item=Item(backdrop="kept", fit=fit, size=800))  # type: ignore[arg-type] # fmt: skip
    placement = lay_out([Subject(None, Size(200, 150))], rules)[0]
    assert placement is not None and placement.canvas == canvas
    assert (placement.matrix.e, placement.matrix.f) == starts and placement.scale == pytest.approx(4)
    drawn = render_uncut(np.full((150, 200, 3), 90, np.uint8), None, placement, lit("#0000FF"))
    assert drawn.shape == (canvas[1], canvas[0], 3)
    said = [note.text for note in placement.notes if note.kind == NoteKind.CLIPPED]
    assert said == (["clipped by 60 px at the left and 45 px at the top and 60 px at the right and 45 px at the bottom"]
                    if padding.startswith("-") else [])  # fmt: skip


def photo() -> np.ndarray:
    y, x = np.mgrid[0:120, 0:200]
    return np.dstack([x, 2 * y, 255 - x]).astype(np.uint8) + np.random.default_rng(0).integers(
        0, 9, (120, 200, 1), np.uint8
    )


KEPT = Standard(canvas=Canvas(width=60, height=60, ground="#0000FF"), item=Item(backdrop="kept", fit="cover"))


def test_the_part_that_a_person_keeps_is_the_same_at_every_size() -> None:
    pixels = photo()
    for side in (60, 90):
        standard = KEPT.model_copy(update={"canvas": Canvas(width=side, height=side)})
        adjustment = Adjustment(keep=(150.0, 60.0))
        placement = lay_out([Subject(None, Size(200, 120), adjustment=adjustment)], standard)[0]
        assert placement is not None
        picture = render_uncut(pixels, None, placement, lit("#FFFFFF"))
        assert picture.shape == (side, side, 3)
        # Columns 80 to 200 are left: the right edge stops it at 140.
        assert abs(int(picture[side // 2, side // 2, 0]) - 144) < 8
        assert abs(int(picture[side // 2, 1, 0]) - 85) < 9
    # Nothing of the ground shines in along the edge.
    assert picture[..., 2].max() < 200


def test_contain_leaves_the_ground_and_a_transparent_one_bare() -> None:
    for ground, wanted in (("#0000FF", (0, 0, 255)), ("transparent", (0, 0, 0, 0))):
        standard = Standard(
            canvas=Canvas(width=60, height=60, ground=ground), item=Item(backdrop="kept"),
            deliverables=(Deliverable(format="png"),),
        )  # fmt: skip
        placement = lay_out([Subject(None, Size(200, 120))], standard)[0]
        assert placement is not None
        picture = render_uncut(photo(), None, placement, lit(ground))
        assert tuple(picture[2, 30]) == wanted and picture[30, 30, 0] > 60
    reduced = KEPT.model_copy(update={"item": Item(backdrop="kept", reduce_only=True), "canvas": Canvas()})
    placement = lay_out([Subject(None, Size(200, 120))], reduced)[0]
    assert placement is not None and placement.scale == 1
    assert [note.kind for note in placement.notes] == [NoteKind.LIMIT]


def test_every_stored_orientation_gives_the_same_picture() -> None:
    upright = Image.fromarray(photo())
    turns = {1: None, 2: Image.Transpose.FLIP_LEFT_RIGHT, 3: Image.Transpose.ROTATE_180,
             4: Image.Transpose.FLIP_TOP_BOTTOM, 5: Image.Transpose.TRANSPOSE, 6: Image.Transpose.ROTATE_90,
             7: Image.Transpose.TRANSVERSE, 8: Image.Transpose.ROTATE_270}  # fmt: skip
    found = []
    for orientation, turn in turns.items():
        stored, file = upright if turn is None else upright.transpose(turn), io.BytesIO()
        exif = Image.Exif()
        exif[274] = orientation
        stored.save(file, "TIFF", exif=exif)
        read = decode_photo(file.getvalue(), "stored.tif")
        placement = lay_out([Subject(None, Size(read.facts.width, read.facts.height))], KEPT)[0]
        assert placement is not None
        found.append(render_uncut(read.pixels, None, placement, lit("#FFFFFF")))
    assert all(np.array_equal(found[0], other) for other in found[1:])


def test_a_sprite_of_sixteen_px_keeps_its_edges_and_a_smoothed_or_tiny_photo_does_not_count_as_one() -> None:
    for seed in range(20):
        rng = np.random.default_rng(seed)
        half = rng.integers(0, 5, (16, 8))  # five colours wherever they like, mirrored: nothing is even
        shape = np.hstack([half, half[:, ::-1]])
        palette = rng.integers(0, 255, (5, 3)).astype(np.uint8)
        assert is_hard_edged(palette[shape])
    y, x = np.mgrid[0:32, 0:32]
    disc = np.clip(10.5 - np.hypot(x - 15.5, y - 15.5), 0, 1)
    assert is_hard_edged(np.repeat(((disc > 0.5) * 255).astype(np.uint8)[..., None], 3, 2))
    assert not is_hard_edged(np.repeat(np.round(disc * 15) * 17, 3).reshape(32, 32, 3).astype(np.uint8))
    assert not is_hard_edged(photo()[:32, :32])
    gradient = np.repeat(np.arange(0, 256, 8, dtype=np.uint8)[None, :, None], 32, 0).repeat(3, 2)
    assert not is_hard_edged(gradient)


def test_graphics_keep_hard_edges_and_photos_do_not_count_as_such() -> None:
    drawn = np.full((40, 60, 3), 255, np.uint8)
    drawn[10:30, 20:40] = (200, 0, 0)
    assert is_hard_edged(drawn) and not is_hard_edged(photo())
    standard = Standard(canvas=Canvas(width=180, height=120), item=Item(backdrop="kept"))
    placement = lay_out([Subject(None, Size(60, 40))], standard)[0]
    assert placement is not None and "enlarged 3.00 times" in placement.notes[0].text
    large = render_uncut(drawn, None, placement, lit("#FFFFFF"))
    assert np.array_equal(large, np.repeat(np.repeat(drawn, 3, 0), 3, 1))
    soft = standard.model_copy(update={"item": Item(backdrop="kept", kernel="cubic")})
    placement = lay_out([Subject(None, Size(60, 40))], soft)[0]
    assert placement is not None and len(np.unique(render_uncut(drawn, None, placement, lit("#FFFFFF"))[..., 0])) > 2
