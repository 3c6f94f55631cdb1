"""Open photos: tiles of a photo and of its cutout, which agree with the whole."""

import itertools
import threading

import numpy as np
import pytest
from support import PHOTOS, photo_of

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.clearing.marks import Mark
from zero_easel.core.photos.decoding import Photo, decode_photo, read_photo
from zero_easel.touchup.open_photos import TILE, OpenPhoto, OpenPhotos

MARKS = (Mark(kind="exact-item", points=((30, 40), (200, 40)), radius=9),)


@pytest.fixture(scope="module")
def sheet() -> OpenPhoto:
    return OpenPhoto(read_photo(PHOTOS / "BRYD0138.JPG"), [])


def pixels_of(data: bytes) -> np.ndarray:
    photo = decode_photo(data, "tile.png")
    assert photo.alpha is not None
    return np.dstack([photo.pixels, photo.alpha])


def test_the_pyramid_ends_with_a_single_tile(sheet: OpenPhoto) -> None:
    height, width = sheet.photo.pixels.shape[:2]
    sizes = [level.shape[:2] for level in sheet.pyramid]
    assert sizes[0] == (height, width) and max(sizes[-1]) <= TILE < max(sizes[-2])
    for (h, w), (half_h, half_w) in itertools.pairwise(sizes):
        assert (half_h, half_w) == ((h + 1) // 2, (w + 1) // 2)


@pytest.mark.parametrize("marks", [(), MARKS])
def test_tiles_at_full_size_are_the_cutout(sheet: OpenPhoto, marks: tuple[Mark, ...]) -> None:
    whole = cutout(sheet.photo, [], marks).whole()
    for column, row in ((0, 0), (1, 1), (2, 0)):
        tile = pixels_of(sheet.cutout_tile(marks, 0, column, row))
        part = whole[row * TILE : (row + 1) * TILE, column * TILE : (column + 1) * TILE]
        assert tile.shape == part.shape
        apart = np.abs(tile[..., 3].astype(int) - part[..., 3])
        assert apart.max() <= 4 and (apart > 1).mean() < 0.001  # places in the grid are rounded anew for each tile


def test_a_mark_changes_its_own_tile_and_no_other(sheet: OpenPhoto) -> None:
    assert sheet.cutout_tile((), 0, 0, 0) != sheet.cutout_tile(MARKS, 0, 0, 0)
    assert sheet.cutout_tile((), 0, 2, 1) == sheet.cutout_tile(MARKS, 0, 2, 1)


def test_tiles_beyond_the_photo_are_refused(sheet: OpenPhoto) -> None:
    for level, column, row in ((0, 99, 0), (0, 0, 99), (0, -1, 0), (40, 0, 0), (-1, 0, 0)):
        with pytest.raises(IndexError):
            sheet.photo_tile(level, column, row)
        with pytest.raises(IndexError):
            sheet.cutout_tile((), level, column, row)


def test_photos_of_sixteen_bits_are_shown_in_eight() -> None:
    deep = np.full((90, 120, 3), 40000, np.uint16)
    shown = decode_photo(OpenPhoto(photo_of(deep), []).photo_tile(0, 0, 0), "tile.jpg").pixels
    assert shown.dtype == np.uint8 and abs(int(shown.mean()) - (40000 >> 8)) <= 1


def test_the_desk_reads_a_photo_once_and_lets_old_ones_go() -> None:
    opened, reads = OpenPhotos(), []

    def read(name: str) -> tuple[Photo, list[np.ndarray]]:
        reads.append(name)
        return photo_of(np.zeros((32, 32, 3), np.uint8), name), []

    first = opened.photo(("a",), lambda: read("a"))
    assert opened.photo(("a",), lambda: read("a")) is first
    for name in ("b", "c"):
        opened.photo((name,), lambda name=name: read(name))  # type: ignore[misc]
    assert opened.photo(("a",), lambda: read("a")) is not first
    assert reads == ["a", "b", "c", "a"]


def test_tiles_may_be_asked_for_at_the_same_time(sheet: OpenPhoto) -> None:
    marks = (Mark(kind="backdrop", points=((800, 600),), radius=20),)
    found: list[bytes] = []
    threads = [threading.Thread(target=lambda: found.append(sheet.cutout_tile(marks, 1, 0, 0))) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(found) == 4 and len(set(found)) == 1


def test_a_photo_that_is_still_being_read_holds_up_no_other() -> None:
    opened, begun, may_end = OpenPhotos(), threading.Event(), threading.Event()

    def read(name: str, wait: bool) -> tuple[Photo, list[np.ndarray]]:
        if wait:
            begun.set()
            assert may_end.wait(60)
        return photo_of(np.zeros((32, 32, 3), np.uint8), name), []

    found: list[OpenPhoto] = []
    slow = threading.Thread(target=lambda: found.append(opened.photo(("slow",), lambda: read("slow", True))))
    slow.start()
    assert begun.wait(60)
    other = threading.Thread(target=lambda: found.append(opened.photo(("quick",), lambda: read("quick", False))))
    other.start()
    other.join(60)
    assert [photo.photo.name for photo in found] == ["quick"]
    may_end.set()
    slow.join()
    assert [photo.photo.name for photo in found] == ["quick", "slow"]
