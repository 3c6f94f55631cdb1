"""Reading camera files, the awkward ones above all."""

import io
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from support import AWKWARD, PHOTOS

from zero_easel.core.photos.decoding import decode_photo, header_of, read_photo
from zero_easel.core.photos.opening import PIXEL_LIMIT, PhotoError
from zero_easel.core.photos.reducing import thumbnail


def difference(a: np.ndarray, b: np.ndarray) -> float:
    return float(np.abs(a.astype(float) - b.astype(float)).mean())


@pytest.mark.parametrize(
    ("name", "reason"),
    [
        ("truncated.jpg", "ends too early"),
        ("zero-bytes.jpg", "is empty"),
        ("not-an-image.jpg", "is not a picture"),
        ("huge-dimensions.png", "30000 x 30000 pixels"),
    ],
)
def test_a_bad_file_is_refused_in_one_sentence_that_names_it(name: str, reason: str) -> None:
    with pytest.raises(PhotoError) as caught:
        read_photo(AWKWARD / name)
    said = str(caught.value)
    assert said.startswith(name) and reason in said and said.endswith(".") and "\n" not in said


def test_absurd_dimensions_are_refused_before_decoding() -> None:
    import resource

    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    with pytest.raises(PhotoError):
        read_photo(AWKWARD / "huge-dimensions.png")
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 200_000


def test_a_missing_file_is_named() -> None:
    with pytest.raises(PhotoError, match=r"nothing\.jpg cannot be read"):
        read_photo(AWKWARD / "nothing.jpg")


def test_orientation_is_applied_also_mirrored() -> None:
    plain = read_photo(PHOTOS / "BRYD0111.JPG").pixels
    mirrored = read_photo(AWKWARD / "mirrored-orientation-7.jpg")
    assert mirrored.facts.orientation == 7
    assert mirrored.pixels.shape == plain.shape
    assert difference(mirrored.pixels, plain) < 2


def test_portrait_photos_stand_upright() -> None:
    photo = read_photo(PHOTOS / "BRYD0120.JPG")
    assert photo.pixels.shape == (1600, 1200, 3)
    assert (photo.facts.width, photo.facts.height) == (1200, 1600)


def test_cmyk_and_grey_become_rgb() -> None:
    for name in ("cmyk.jpg", "greyscale.jpg"):
        photo = read_photo(AWKWARD / name)
        assert photo.pixels.shape == (900, 1200, 3)
        assert photo.pixels.dtype == np.uint8
    assert read_photo(AWKWARD / "cmyk.jpg").facts.profile == "CMYK"


def test_sixteen_bits_are_kept() -> None:
    photo = read_photo(AWKWARD / "sixteen-bit.tif")
    assert photo.pixels.dtype == np.uint16
    assert photo.facts.bits == 16
    assert len(np.unique(photo.pixels)) > 256


def test_an_embedded_profile_makes_colours_fuller() -> None:
    converted = read_photo(AWKWARD / "wide-gamut-icc.png").pixels.astype(int)
    unconverted = np.asarray(Image.open(AWKWARD / "wide-gamut-icc.png").convert("RGB")).astype(int)

    def spread(pixels: np.ndarray) -> float:
        return float((pixels.max(2) - pixels.min(2)).mean())

    assert spread(converted) > 1.1 * spread(unconverted)


def test_raw_files_are_developed() -> None:
    photo = read_photo(AWKWARD / "raw-bayer.dng")
    assert photo.facts.format == "raw"
    assert photo.pixels.shape == (1200, 1600, 3)


def test_own_transparency_is_brought_along() -> None:
    photo = read_photo(AWKWARD / "already-cut-out.png")
    assert photo.alpha is not None
    assert photo.alpha.min() == 0 and photo.alpha.max() == 255


@pytest.mark.parametrize("form", ["TIFF", "PNG", "WEBP", "JPEG"])
def test_usual_formats_give_the_same_picture(form: str) -> None:
    pixels = np.tile(np.linspace(20, 230, 64, dtype=np.uint8)[None, :, None], (48, 1, 3))
    file = io.BytesIO()
    Image.fromarray(pixels).save(file, form, **({"lossless": True} if form == "WEBP" else {}))
    photo = decode_photo(file.getvalue(), "made")
    assert difference(photo.pixels, pixels) < 1.5
    assert photo.facts.format.upper() == form


def test_the_limit_is_on_pixels_not_on_sides() -> None:
    assert PIXEL_LIMIT > 100_000_000


def test_a_damaged_middle_is_told_from_a_missing_end() -> None:
    data = bytearray((PHOTOS / "BRYD0105.JPG").read_bytes())
    with pytest.raises(PhotoError, match="too early"):
        decode_photo(bytes(data[:40_000]), "cut.jpg")


def test_thumbnails_are_contained_and_never_enlarged() -> None:
    photo = read_photo(PHOTOS / "BRYD0120.JPG")
    assert thumbnail(photo.pixels, 320).shape == (320, 240, 3)
    tiny = read_photo(AWKWARD / "tiny.jpg")
    assert thumbnail(tiny.pixels, 320).shape == tiny.pixels.shape


@pytest.mark.parametrize(
    ("kind", "name", "said", "off"),
    [
        ("HEIF", "a.heic", "HEIC", 3),
        ("AVIF", "a.avif", "AVIF", 3),
        ("JPEG2000", "a.jp2", "JPEG 2000", 0),
        ("GIF", "a.gif", "GIF", 9),
    ],
)
def test_newer_and_older_formats_are_read_and_half_a_file_is_told(kind: str, name: str, said: str, off: float) -> None:
    pixels = read_photo(PHOTOS / "BRYD0111.JPG").pixels[::4, ::4]
    kept = io.BytesIO()
    if kind == "HEIF":
        # Written beforehand: what writes HEIC is not part of the application.
        kept.write((Path(__file__).parent / "phone.heic").read_bytes())
    else:
        Image.fromarray(pixels).save(kept, kind)
    photo = decode_photo(kept.getvalue(), name)
    assert photo.facts.format == said and photo.pixels.shape == pixels.shape
    assert np.abs(photo.pixels.astype(int) - pixels).mean() <= off
    with pytest.raises(PhotoError, match=name):
        decode_photo(kept.getvalue()[: len(kept.getvalue()) // 3], name)


def test_a_header_says_what_decoding_finds() -> None:
    for path in sorted(PHOTOS.glob("BRYD01*.JPG"))[:4]:
        header, facts = header_of(path), read_photo(path).facts
        assert header is not None and header.taken == facts.taken and header.size == (facts.width, facts.height)
    assert header_of(PHOTOS / "no such file.jpg") is None
