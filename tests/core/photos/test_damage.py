"""Files that are damaged, cut short, or of rare kinds: refused with the true reason, told, or read; never passed as
sound."""

import io
import logging
import struct
from collections.abc import Callable
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.typing import NDArray
from PIL import Image
from support import AWKWARD, PHOTOS

from zero_easel.core.items.flag import Flag
from zero_easel.core.photos.decoding import decode_photo
from zero_easel.core.photos.opening import MAY_BE_DAMAGED, PhotoError
from zero_easel.core.photos.vips import pyvips
from zero_easel.pipeline import clear

SIZE = (640, 480)
TIFFS = ("raw", "tiff_lzw", "tiff_adobe_deflate", "jpeg", "zstd", "lzma", "packbits", "tiled")
UNHIDDEN: dict[str, dict[str, Any]] = {"jpeg": {"quality": 90}, "png": {}, "avif": {"quality": 70}}
"""Formats whose damage a decoder can notice; WebP, HEIC and JPEG 2000 only notice that they are cut short."""


@pytest.fixture(scope="module")
def picture() -> Image.Image:
    with Image.open(PHOTOS / "BRYD0105.JPG") as photo:
        return photo.convert("RGB").resize(SIZE)


def tiff_of(picture: Image.Image, compression: str) -> bytes:
    if compression == "tiled":
        image = pyvips.Image.new_from_array(np.asarray(picture))
        return bytes(image.copy(interpretation="srgb").tiffsave_buffer(tile=True, compression="deflate"))
    return saved(picture, "tiff", compression=compression)


def saved(picture: Image.Image, kind: str, **options: object) -> bytes:
    kept = io.BytesIO()
    picture.save(kept, kind, **options)
    return kept.getvalue()


def cut(data: bytes) -> bytes:
    return data[: len(data) * 6 // 10]


def zeroed(data: bytes) -> bytes:
    middle = len(data) // 2
    return data[:middle] + bytes(4096) + data[middle + 4096 :]


def changed(data: bytes) -> bytes:
    at = np.random.default_rng(7).integers(400, len(data) - 2000, 16)
    return bytes(byte ^ 0x55 if place in set(at.tolist()) else byte for place, byte in enumerate(data))


def levels_off(pixels: NDArray[np.uint8], picture: Image.Image) -> float:
    return float((np.abs(pixels.astype(int) - np.asarray(picture)).max(-1) > 60).mean())


@pytest.mark.parametrize("compression", TIFFS)
def test_whole_tiffs_are_read_whatever_packs_them(picture: Image.Image, compression: str) -> None:
    photo = decode_photo(tiff_of(picture, compression), "good.tif")
    assert photo.facts.format == "TIFF" and not photo.doubt
    assert levels_off(photo.pixels, picture) == 0


@pytest.mark.parametrize("harm", [cut, zeroed, changed])
@pytest.mark.parametrize("compression", TIFFS)
def test_no_damaged_tiff_passes_with_a_black_slab(
    picture: Image.Image, compression: str, harm: Callable[[bytes], bytes]
) -> None:
    try:
        photo = decode_photo(harm(tiff_of(picture, compression)), "bad.tif")
    except PhotoError as error:
        assert "bad.tif" in str(error) and ("damaged" in str(error))
        return
    # Pixels without packing hold no sign of it: a few of them are wrong, and the rest is the picture.
    assert photo.doubt == MAY_BE_DAMAGED or (
        compression in ("raw", "packbits") and levels_off(photo.pixels, picture) < 0.01
    )
    assert (photo.pixels == 0).all(-1).mean() < 0.01


@pytest.mark.parametrize("kind", UNHIDDEN)
@pytest.mark.parametrize("harm", [cut, zeroed, changed])
def test_what_a_decoder_notices_is_refused_or_told(
    picture: Image.Image, kind: str, harm: Callable[[bytes], bytes]
) -> None:
    data = saved(picture.resize((1280, 960)), kind, **UNHIDDEN[kind])
    assert not decode_photo(data, "good").doubt
    try:
        photo = decode_photo(harm(data), "bad")
    except PhotoError as error:
        assert "damaged" in str(error)
        return
    assert photo.doubt == MAY_BE_DAMAGED


def test_warnings_of_decoders_stay_out_of_python(caplog: pytest.LogCaptureFixture) -> None:
    caplog.set_level(logging.DEBUG, "pyvips")
    data = (PHOTOS / "BRYD0105.JPG").read_bytes()
    assert decode_photo(data[:60_000] + bytes(40) + data[60_040:], "bad.jpg").doubt
    assert caplog.messages and not [text for text in caplog.messages if text.startswith("VIPS:")]


def test_a_photo_that_may_be_damaged_is_among_the_first_to_look_at() -> None:
    data = (PHOTOS / "BRYD0105.JPG").read_bytes()
    photo = decode_photo(data[:60_000] + bytes(40) + data[60_040:], "bad.jpg")
    item = clear(photo)
    assert item.flags[0] == Flag("damaged", MAY_BE_DAMAGED) and item.confidence < 0.2
    assert all(flag.code != "damaged" for flag in clear(decode_photo(data, "good.jpg")).flags)


@pytest.mark.parametrize("colour", [(128, 128, 128), (0, 0, 0), (0, 135, 0)])
def test_what_a_codec_filled_without_a_word_is_seen(picture: Image.Image, colour: tuple[int, int, int]) -> None:
    pixels = np.asarray(picture).copy()
    pixels[320:, :] = colour
    broken = Image.fromarray(pixels)
    assert decode_photo(saved(broken, "webp", lossless=True), "a.webp").doubt == MAY_BE_DAMAGED
    assert decode_photo(saved(broken, "tiff"), "a.tif").doubt == MAY_BE_DAMAGED
    # Grounds of one colour, as of pictures that are finished, are no damage.
    drawn = Image.new("RGB", SIZE, colour)
    drawn.paste(picture.resize((200, 150)).convert("L").point(lambda level: 255 * (level < 140)), (100, 100))
    soft = Image.fromarray(np.asarray(drawn.resize((80, 60)).resize(SIZE, Image.Resampling.BICUBIC)))
    assert not decode_photo(saved(soft, "webp", lossless=True), "b.webp").doubt


def tiff(pixels: NDArray[np.generic] | bytes, bits: int, samples: int, photometric: int, form: int = 1) -> bytes:
    """A TIFF of 80 x 64 px in one strip, uncompressed (TIFF 6.0). form: SampleFormat."""
    data = pixels if isinstance(pixels, bytes) else pixels.tobytes()
    tags = [(256, 4, [80]), (257, 4, [64]), (258, 3, [bits] * samples), (259, 3, [1]), (262, 3, [photometric]),
            (273, 4, [0]), (277, 3, [samples]), (278, 4, [64]), (279, 4, [len(data)]), 
            (339, 3, [form] * samples)]  # fmt: skip
    start = 8 + 2 + 12 * len(tags) + 4
    packed = [struct.pack("<" + ("H" if kind == 3 else "I") * len(v), *v) for _, kind, v in tags]
    more = b"".join(raw for raw in packed if len(raw) > 4)
    entries, at = b"", start
    for (tag, kind, values), raw in zip(tags, packed, strict=True):
        field = struct.pack("<I", start + len(more)) if tag == 273 else raw
        if len(field) > 4:
            field, at = struct.pack("<I", at), at + len(field)
        entries += struct.pack("<HHI", tag, kind, len(values)) + field.ljust(4, b"\0")
    return b"II*\0" + struct.pack("<IH", 8, len(tags)) + entries + bytes(4) + more + data


def twelve(levels: NDArray[np.uint16]) -> bytes:
    a, b = levels.reshape(-1)[::2], levels.reshape(-1)[1::2]
    return np.stack([a >> 4, ((a & 15) << 4) | (b >> 8), b & 255], 1).astype(np.uint8).tobytes()


RAMP = np.tile(np.linspace(0.2, 0.9, 80), (64, 1))
RGB = np.dstack([RAMP, np.full_like(RAMP, 0.5), RAMP[:, ::-1]])


@pytest.mark.parametrize(
    ("data", "first", "last"),
    [
        (tiff(twelve((RAMP * 4095).astype(np.uint16)), 12, 1, 1), 0.2, 0.9),
        (tiff(RGB.astype("<f4"), 32, 3, 2, 3), 0.485, 0.955),  # linear light
        (tiff(RAMP.astype("<f4"), 32, 1, 1, 3), 0.485, 0.955),
        (tiff((RGB * (2**32 - 1)).astype("<u4"), 32, 3, 2), 0.2, 0.9),
        (tiff(((1 - RAMP) * 255).astype(np.uint8), 8, 1, 0), 0.2, 0.9),
        (tiff(np.dstack([RAMP * 255, RAMP * 0, RAMP * 0]).astype(np.uint8), 8, 3, 8), 0.19, 0.89),  # CIE L*a*b*
        (tiff(np.dstack([RAMP * 65535, RAMP * 0, RAMP * 0]).astype("<u2"), 16, 3, 8), 0.19, 0.89),
        (tiff(np.dstack([RGB * 255, RGB * 255])[..., :5].astype(np.uint8), 8, 5, 2), 0.2, 0.9),
    ],
)
def test_rare_kinds_of_tiff_are_read_as_they_are_meant(data: bytes, first: float, last: float) -> None:
    photo = decode_photo(data, "rare.tif")
    levels = photo.pixels[32, :, 0] / (65535 if photo.pixels.dtype == np.uint16 else 255)
    assert levels[0] == pytest.approx(first, abs=0.03) and levels[-1] == pytest.approx(last, abs=0.03)
    assert not photo.doubt


@pytest.mark.parametrize(
    ("data", "reason"),
    [
        (tiff(twelve((RGB * 4095).astype(np.uint16)), 12, 3, 2), "stores its pixels in a way"),
        (tiff(RGB.astype("<f8"), 64, 3, 2, 3), "stores its pixels in a way"),
        (tiff((RGB * 255).astype("<f4"), 32, 3, 2, 3), "holds numbers up to 229.5 instead of 0 to 1"),
        (tiff(((RGB - 0.5) * 65535).astype("<i2"), 16, 3, 2, 2), "holds negative numbers"),
    ],
)
def test_what_cannot_be_read_is_not_called_damaged(data: bytes, reason: str) -> None:
    with pytest.raises(PhotoError, match=reason) as caught:
        decode_photo(data, "odd.tif")
    assert "damaged" not in str(caught.value)


def test_a_small_picture_of_thousands_of_values_a_pixel_is_refused_before_it_fills_the_memory() -> None:
    data = tiff(bytes(80 * 64 * 3), 8, 3, 2).replace(
        struct.pack("<HHIHH", 277, 3, 1, 3, 0), struct.pack("<HHIHH", 277, 3, 1, 8195, 0)
    )
    with pytest.raises(PhotoError, match="8,195 values for each pixel"):
        decode_photo(data, "wide.tif")


def test_the_first_picture_of_an_avif_sequence_is_read(picture: Image.Image) -> None:
    other = picture.transpose(Image.Transpose.FLIP_LEFT_RIGHT)
    photo = decode_photo(saved(picture, "avif", save_all=True, append_images=[other], quality=90), "two.avif")
    assert levels_off(photo.pixels, picture) < 0.001


@given(
    st.sampled_from(["jpeg", "png", "webp", "tiff", "gif", "avif", "jpeg2000"]),
    st.lists(st.tuples(st.integers(0, 100_000), st.binary(min_size=1, max_size=40)), max_size=6),
    st.integers(0, 100),
)
def test_whatever_bytes_change_there_is_a_picture_or_a_sentence(
    kind: str, changes: list[tuple[int, bytes]], kept: int
) -> None:
    with Image.open(PHOTOS / "BRYD0105.JPG") as photo:
        data = bytearray(saved(photo.convert("RGB").resize((160, 120)), kind))
    for at, new in changes:
        at %= len(data)
        data[at : at + len(new)] = new
    try:
        decoded = decode_photo(bytes(data[: len(data) * kept // 100]), f"x.{kind}")
    except PhotoError as error:
        assert str(error).startswith(f"x.{kind}") and str(error).endswith(".") and "b'" not in str(error)
    else:
        assert decoded.pixels.ndim == 3 and decoded.pixels.shape[2] == 3


@pytest.mark.parametrize("harm", [cut, zeroed, lambda _: b"II*\0" + bytes(4000), lambda _: b"no raw file" * 50])
def test_raw_files_are_refused_in_plain_words(harm: Callable[[bytes], bytes]) -> None:
    data = (AWKWARD / "raw-bayer.dng").read_bytes()
    try:
        decode_photo(harm(data), "x.dng")
    except PhotoError as error:
        assert str(error).startswith("x.dng is a") and "b'" not in str(error)
