"""Files: formats, budgets, depth, profiles, and what they carry."""

import io

import numpy as np
import pytest
import pyvips
from PIL import Image, ImageCms
from support import PHOTOS

from zero_easel.core.finishing.checking import opened
from zero_easel.core.finishing.embed import Camera, Embedded, camera_of, exif_of, iptc_of, metadata_of, xmp_of
from zero_easel.core.finishing.encode import encode, within
from zero_easel.core.photos.decoding import decode_photo
from zero_easel.core.photos.profiles import ProfileError, converted, in_srgb, srgb_profile
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.information import Information, Metadata


def picture(alpha: bool = False, size: int = 160) -> np.ndarray:
    y, x = np.mgrid[0:size, 0:size].astype(np.float32)
    noise = np.random.default_rng(1).normal(0, 20, (size, size, 3))
    colours = np.clip(np.dstack([x, y, 255 - x]) + noise, 0, 255).astype(np.uint8)
    if not alpha:
        return colours
    return np.dstack([colours, np.clip(x * 2, 0, 255).astype(np.uint8)])


@pytest.mark.parametrize("kind", ["jpeg", "webp", "avif", "jpeg2000"])
def test_a_limit_is_kept_by_the_best_quality_that_keeps_it(kind: str) -> None:
    wanted = Deliverable(format=kind, quality=95, min_quality=10)  # type: ignore[arg-type]
    free = encode(picture(), wanted)
    limited = encode(picture(), wanted.model_copy(update={"max_kb": len(free.data) / 1500}))
    assert limited.fits and 10 <= limited.quality < free.quality == 95
    assert len(limited.data) <= len(free.data) / 1.5
    better = encode(picture(), wanted.model_copy(update={"quality": limited.quality + 1}))
    assert len(better.data) > len(free.data) / 1.5
    never = encode(picture(), wanted.model_copy(update={"max_kb": 0.2}))
    assert not never.fits and never.quality == 10


def test_the_search_makes_few_files() -> None:
    asked: list[int] = []

    def make(quality: int) -> bytes:
        asked.append(quality)
        return bytes(quality * 10)

    for limit in range(0, 1100, 7):
        asked.clear()
        found = within(make, limit, 20, 95)
        wanted = min(95, limit // 10)
        assert (found.quality, found.fits) == ((wanted, True) if wanted >= 20 else (20, False))
        assert len(asked) <= 9


def test_sixteen_bits_and_alpha_come_back_unchanged() -> None:
    deep = picture(alpha=True).astype(np.uint16) * 257 + 3
    for kind in ("tiff", "png"):
        back = opened(encode(deep, Deliverable(format=kind, depth="16"), 300).data)  # type: ignore[arg-type]
        assert back.pixels.dtype == np.uint16 and np.array_equal(back.pixels, deep)
        assert back.density == pytest.approx(300, abs=0.2) and back.profile == "sRGB"


@pytest.mark.parametrize(("kind", "exact"), [("webp", False), ("avif", True), ("jpeg2000", True)])
def test_without_loss_means_without(kind: str, exact: bool) -> None:
    whole = picture()
    back = opened(encode(whole, Deliverable(format=kind, lossless=True)).data)  # type: ignore[arg-type]
    assert np.array_equal(back.pixels[..., :3], whole) or (exact and np.abs(back.pixels.astype(int) - whole).max() <= 1)


def test_a_palette_is_used_only_where_nothing_is_lost() -> None:
    flat = np.zeros((200, 200, 4), np.uint8)
    flat[40:160, 40:160] = (200, 30, 20, 255)
    flat[60:80, 60:80] = (20, 30, 200, 128)
    small = encode(flat, Deliverable(format="png")).data
    with Image.open(io.BytesIO(small)) as seen:
        assert seen.mode == "P"
        assert np.array_equal(np.asarray(seen.convert("RGBA")), flat)
    with Image.open(io.BytesIO(encode(picture(), Deliverable(format="png")).data)) as seen:
        assert seen.mode == "RGB"


def test_chroma_and_passes_are_as_asked() -> None:
    def sampling(**values: object) -> tuple[int, int]:
        with Image.open(io.BytesIO(encode(picture(), Deliverable.model_validate(values)).data)) as seen:
            return seen.layer[0][1:3]  # type: ignore[attr-defined,no-any-return]

    assert sampling(quality=95) == (1, 1) and sampling(quality=80) == (2, 2)
    assert sampling(quality=80, chroma="full") == (1, 1) and sampling(quality=95, chroma="half") == (2, 2)
    for progressive in (True, False):
        data = encode(picture(), Deliverable(progressive=progressive)).data
        assert (b"\xff\xc2" in data) == progressive


def wide_profile() -> bytes:
    """A profile of other primaries: libvips' Display P3."""
    return bytes(pyvips.Operation.call("profile_load", "p3"))


def test_a_chosen_profile_is_embedded_and_means_the_same_colours() -> None:
    icc = wide_profile()
    y, x = np.mgrid[0:160, 0:160]
    plain = np.dstack([60 + x, 200 - y // 2, 40 + (x + y) // 3]).astype(np.uint8)
    tagged = converted(plain, icc, "p3.icc")
    assert not np.array_equal(tagged.pixels, plain) and tagged.icc == icc
    for kind in ("jpeg", "png", "webp", "tiff", "avif", "jpeg2000"):
        data = encode(tagged.pixels, Deliverable(format=kind, quality=100), 72, Embedded(icc=icc)).data  # type: ignore[arg-type]
        assert opened(data).profile != "sRGB", kind
        if kind != "jpeg2000":  # its reader here takes no account of profiles
            seen = decode_photo(data, f"p.{kind}").pixels.astype(int)
            assert np.abs(seen - plain).mean() < 2.5, kind
    with pytest.raises(ProfileError, match=r"broken\.icc"):
        converted(plain, b"no profile" * 30, "broken.icc")
    alpha = converted(picture(alpha=True), icc, "p3.icc")
    assert np.array_equal(alpha.pixels[..., 3], picture(alpha=True)[..., 3])


def test_srgb_is_the_profile_that_it_says_it_is() -> None:
    profile = ImageCms.ImageCmsProfile(io.BytesIO(srgb_profile()))
    assert "sRGB" in ImageCms.getProfileDescription(profile)
    assert in_srgb(picture()).pixels is not None


CAMERA_EXIF = Image.Exif()
CAMERA_EXIF[0x010F], CAMERA_EXIF[0x0110], CAMERA_EXIF[0x0112] = "Brindle Optics", "Field One", 6
CAMERA_EXIF[0xC62F] = "BODY-77"
CAMERA_EXIF.get_ifd(0x8769).update({0x9003: "2026:11:12 09:30:00", 0xA431: "SERIAL-4711", 0xA430: "Somebody",
                                    0x9286: b"ASCII\0\0\0a note", 0x927C: b"maker"})  # fmt: skip
CAMERA_EXIF.get_ifd(0x8825).update({1: "N", 2: (53.0, 12.0, 4.0)})


def read_back(data: bytes) -> tuple[dict[int, object], dict[int, object], dict[int, object]]:
    exif = Image.Exif()
    exif.load(data)
    return dict(exif), dict(exif.get_ifd(0x8769)), dict(exif.get_ifd(0x8825))


def test_what_the_camera_wrote_is_reduced_kept_or_removed_and_secrets_go_by_default() -> None:
    camera = Camera(CAMERA_EXIF.tobytes())
    card = Metadata(title="Krug für Größe 2", copyright="© 2026 Brindle Yard")

    def made(**values: object) -> tuple[dict[int, object], dict[int, object], dict[int, object]]:
        return read_back(exif_of(card, Information.model_validate(values), camera, 300, is_srgb=True))

    main, shot, place = made()
    assert main[0x0110] == "Field One" and shot[0x9003] == "2026:11:12 09:30:00" and 0x9286 not in shot
    assert (
        main[0x010E] == "Krug fur Grosse 2" and str(main[0x8298]).endswith("2026 Brindle Yard") and main[0x011A] == 300
    )
    assert 0x0112 not in main and shot[0xA001] == 1
    main, shot, place = made(camera="keep")
    assert 0x9286 in shot
    for secret in (0xA431, 0xA430, 0x927C):
        assert secret not in shot
    assert not place and 0xC62F not in main
    main, shot, place = made(camera="keep", private="keep")
    assert shot[0xA431] == "SERIAL-4711" and place[1] == "N" and main[0xC62F] == "BODY-77"
    main, shot, place = made(camera="remove")
    assert 0x0110 not in main and 0x9003 not in shot


def test_what_was_written_by_a_camera_is_found_in_its_file() -> None:
    camera = camera_of((PHOTOS / "BRYD0108.JPG").read_bytes())
    assert read_back(camera.exif)[0][0x0110] == "Field One"
    assert camera_of(b"no picture") == Camera()


def test_patterns_fill_the_information_and_empties_are_not_written() -> None:
    information = Information(
        title="{name} ({colour})", keywords="{category}, {colour}, , {category}", creator="A & B <C>"
    )
    card = metadata_of(information, {"name": "Jug", "category": "kitchen", "colour": "", "code": "BY-1"})
    assert card.title == "Jug ()" and card.keywords == ("kitchen",) and card.gtin == ""
    xmp = xmp_of(card).decode()
    assert "A &amp; B &lt;C&gt;" in xmp and "ProductGTIN" not in xmp and "<Iptc4xmpExt:ProductId>BY-1<" in xmp
    assert xmp_of(Metadata()) == b"" and iptc_of(Metadata()) == b""
    long = iptc_of(Metadata(title="ü" * 60))
    assert long.count("ü".encode()) == 32  # 64 bytes are allowed, and no letter is cut in half
