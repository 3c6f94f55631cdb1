"""JPEGs that are decoded smaller because they are drawn much smaller."""

from collections.abc import Callable

import cv2
import numpy as np
import pytest
from numpy.typing import NDArray
from support import PHOTOS

from zero_easel.core.finishing.embed import Camera
from zero_easel.core.light.geometry import Size
from zero_easel.core.photos.assets import Assets
from zero_easel.core.photos.decoding import Photo, decode_photo
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.pipeline import Source, Task, picture_of
from zero_easel.planning.whole import whole_standard

Levels = NDArray[np.float64]


def jpeg(picture: Levels) -> bytes:
    planes = np.dstack([picture] * 3) if picture.ndim == 2 else picture
    quality = [cv2.IMWRITE_JPEG_QUALITY, 95]
    return cv2.imencode(".jpg", np.clip(planes, 0, 255).astype(np.uint8), quality)[1].tobytes()


def drawn(data: bytes, longest: int, decode: Callable[[float], Photo]) -> Levels:
    """A whole picture without loss, made of a photo that is decoded in some way."""
    facts = decode_photo(data, "a.jpg").facts
    wanted = Deliverable(name="x", size="longest", number=longest, format="png")
    source = Source("a.jpg", decode, lambda: pytest.fail("nothing is cut out"), Camera)
    frame = Size(facts.width, facts.height)
    made = picture_of(source, Subject(None, frame), whole_standard([wanted]), Task("x", "a.png"), Assets(None))
    return cv2.imdecode(np.frombuffer(made.data, np.uint8), cv2.IMREAD_COLOR).astype(float)


def both(data: bytes, longest: int) -> tuple[int, Levels, Levels]:
    """How much a photo was shrunk, and the picture of it and of the whole photo."""
    seen: list[int] = []

    def shrunk(scale: float) -> Photo:
        photo = decode_photo(data, "a.jpg", scale)
        seen.append(photo.shrink)
        return photo

    smaller = drawn(data, longest, shrunk)
    return seen[-1], smaller, drawn(data, longest, lambda _: decode_photo(data, "a.jpg"))


def rms(a: Levels, b: Levels) -> float:
    return float(np.sqrt(((a - b) ** 2).mean()))


@pytest.mark.parametrize(("longest", "shrink"), [(380, 2), (90, 4), (1200, 1)])
def test_photos_look_the_same(longest: int, shrink: int) -> None:
    for name in ("BRYD0105", "BRYD0111", "BRYD0126"):
        did, smaller, full = both((PHOTOS / f"{name}.JPG").read_bytes(), longest)
        assert did == shrink and rms(smaller, full) < 0.7


def test_edges_stay_as_sharp() -> None:
    y, x = np.mgrid[0:1024, 0:2048]
    data = jpeg(np.where(x - 1024 + 0.1 * y > 0, 230.0, 30.0))
    for longest in (500, 300, 120):
        _, smaller, full = both(data, longest)
        # The edge leans: over all rows it lies everywhere between two px.
        steps = [np.abs(np.diff(picture[..., 1], axis=1)).max(1).mean() for picture in (smaller, full)]
        assert steps[0] > 0.94 * steps[1], (longest, steps)


def test_a_zone_plate_of_a_camera_s_contrast_gets_no_false_rings() -> None:
    y, x = np.mgrid[0:2048, 0:2048] - 1024
    data = jpeg(128 + 25 * np.cos(np.pi * (x * x + y * y) / 2048))
    for longest in (480, 256, 120):
        _, smaller, full = both(data, longest)
        assert rms(smaller - smaller.mean(), full - full.mean()) < 1.5 and abs(smaller.mean() - full.mean()) < 1.6


def test_facts_are_the_file_s_and_odd_sizes_are_decoded_in_full() -> None:
    data = jpeg(np.full((400, 803), 120.0))
    assert decode_photo(data, "a.jpg", 0.1).shrink == 1
    photo = decode_photo(jpeg(np.full((400, 800), 120.0)), "a.jpg", 0.1)
    assert photo.shrink == 2 and photo.pixels.shape[:2] == (200, 400)
    assert (photo.facts.width, photo.facts.height) == (800, 400)


def test_a_larger_picture_after_a_small_one_has_all_its_pixels() -> None:
    data = (PHOTOS / "BRYD0105.JPG").read_bytes()
    source = Source("a.jpg", lambda scale: decode_photo(data, "a.jpg", scale), lambda: pytest.fail(""), Camera)
    assert source.original(0.2).shrink == 2
    assert source.original(0.9).shrink == 1
    assert source.original(0.1).shrink == 1  # what is there is enough
