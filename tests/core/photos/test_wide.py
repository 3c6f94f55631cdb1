"""The wide space: its profile, its matrix, and that what a file says outside sRGB arrives in the delivered one."""

import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from support import PHOTOS, zero_easel

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.light.colour import to_linear, to_srgb8, to_srgb16
from zero_easel.core.light.space import as_srgb, between, light_in
from zero_easel.core.photos.decoding import decode_photo, read_photo
from zero_easel.core.photos.profiles import WIDE_PROFILE, converted, srgb_profile
from zero_easel.core.photos.vips import pyvips
from zero_easel.core.tone.difference import delta_e, lab_of

ROOT = Path(__file__).parents[3]


def tiff(pixels: np.ndarray, icc: bytes) -> bytes:
    """A TIFF of (H, W, 3) uint8 or uint16 with a profile."""
    image = pyvips.Image.new_from_array(pixels, interpretation="rgb16" if pixels.dtype == np.uint16 else "srgb").copy()
    image.set_type(pyvips.GValue.blob_type, "icc-profile-data", icc)
    return bytes(image.tiffsave_buffer())


def apart(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Delta E of pixels of the wide space."""
    return delta_e(*(lab_of(light_in(to_linear(pixels), "wide", "srgb")) for pixels in (one, other)))


@pytest.fixture
def vivid() -> np.ndarray:
    """(96, 128, 3) of the wide space: an item, half of whose colours are outside sRGB, before light grey."""
    light = np.full((96, 128, 3), 0.6, np.float32)
    rng = np.random.default_rng(17)
    hue = rng.uniform(0.02, 0.7, (3, 4, 3)).astype(np.float32)
    light[24:72, 32:96] = np.kron(hue, np.ones((16, 16, 1), np.float32))
    return to_srgb16(light)


def test_profile_is_what_the_script_writes(tmp_path: Path) -> None:
    shipped = WIDE_PROFILE.read_bytes()
    script = (
        (ROOT / "scripts/wide_profile.py")
        .read_text()
        .replace(
            'Path(__file__).parents[1] / "src/zero_easel/core/photos/wide.icc"', f"Path({str(tmp_path / 'made')!r})"
        )
    )
    subprocess.run([sys.executable, "-c", script], check=True)
    assert (tmp_path / "made").read_bytes() == shipped


def test_matrix_says_what_the_profiles_say() -> None:
    colours = np.random.default_rng(1).integers(0, 65536, (64, 64, 3)).astype(np.uint16)
    by_profiles = converted(colours, WIDE_PROFILE.read_bytes(), "wide", bits=16).pixels
    by_matrix = to_srgb16(light_in(to_linear(colours), "srgb", "wide"))
    assert apart(by_profiles, by_matrix).max() < 0.3
    assert between("srgb", "wide") @ between("wide", "srgb") == pytest.approx(np.eye(3), abs=1e-9)
    assert between("srgb", "wide").sum(1) == pytest.approx(1, abs=1e-6)


def test_photo_keeps_what_its_profile_holds(vivid: np.ndarray) -> None:
    file = tiff(vivid, WIDE_PROFILE.read_bytes())
    photo = decode_photo(file, "vivid.tif", wide=True)
    assert photo.space == "wide" and photo.facts.bits == 16
    assert apart(photo.pixels, vivid).max() < 0.3
    narrow = decode_photo(file, "vivid.tif")
    assert narrow.space == "srgb"
    assert delta_e(lab_of(to_linear(narrow.pixels)), lab_of(to_linear(as_srgb(vivid, "wide")))).max() < 1.5


def test_photo_in_srgb_stays_as_it_is() -> None:
    photo = read_photo(PHOTOS / "BRYD0101.JPG", wide=True)
    assert photo.space == "srgb" and photo.pixels.dtype == np.uint8
    grey = np.full((32, 32, 3), 90, np.uint8)
    assert decode_photo(tiff(grey, srgb_profile()), "grey.tif", wide=True).space == "srgb"


def test_same_photo_in_either_space_gives_the_same_cutout() -> None:
    narrow = read_photo(PHOTOS / "BRYD0101.JPG")
    light = light_in(to_linear(narrow.pixels), "srgb", "wide")
    wide = decode_photo(tiff(to_srgb16(light), WIDE_PROFILE.read_bytes()), "BRYD0101.TIF", wide=True)
    one, other = cutout(narrow), cutout(wide)
    assert other.space == "wide" and other.pixels.dtype == np.uint16
    assert other.measures is not None and one.measures is not None
    first, second = (np.where(cut.whole()[..., 3] > np.iinfo(cut.pixels.dtype).max // 2, 1, 0) for cut in (one, other))
    assert (first != second).mean() < 2e-3
    assert other.measures.light == pytest.approx(one.measures.light, abs=0.005)
    assert other.measures.backdrop == pytest.approx(one.measures.backdrop, abs=0.005)
    seen = to_srgb8(to_linear(as_srgb(other.pixels, "wide")[..., :3]))
    h, w = one.pixels.shape[:2]
    y, x = other.top - one.top, other.left - one.left
    inner = np.s_[h // 3 : h // 2, w // 3 : w // 2]
    moved = np.s_[h // 3 - y : h // 2 - y, w // 3 - x : w // 2 - x]
    assert np.abs(seen[moved].astype(int) - one.pixels[inner][..., :3]).max() <= 2


@pytest.mark.parametrize(("profile", "bits", "most"), [("kept", 16, 1.0), ("kept", 8, 2.0), ("sRGB", 16, None)])
@pytest.mark.parametrize("backdrop", ["kept", "cleared"])
def test_delivered_in_its_own_profile(
    vivid: np.ndarray, tmp_path: Path, profile: str, bits: int, most: float | None, backdrop: str
) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in/A1_front.tif").write_bytes(tiff(vivid, WIDE_PROFILE.read_bytes()))
    canvas = "{width: 128, height: 96, ground: '#c8c8c8'}"
    deliverable = f"{{name: main, format: tiff, depth: {bits}, profile: {profile}}}"
    item = (
        "{backdrop: kept, fit: stretch}"
        if backdrop == "kept"
        else "{share: 50, margin: 0px, straighten: 'off', place: centre}"
    )
    (tmp_path / "s.yaml").write_text(f"name: S\ncanvas: {canvas}\nitem: {item}\ndeliverables:\n  - {deliverable}\n")
    run = zero_easel("run", tmp_path / "in", "--out", tmp_path / "out", "--standard", tmp_path / "s.yaml")
    assert run.returncode in (0, 1), run.stderr
    made = decode_photo(next((tmp_path / "out").rglob("*.tif")).read_bytes(), "made.tif", wide=True)
    assert made.facts.bits == bits
    assert (made.space == "wide") == (profile == "kept")
    if backdrop == "kept":
        given, got = vivid, made.pixels
    else:
        given, got = vivid[32:64, 40:88], made.pixels[32:64, 40:88]
    inner = np.zeros(given.shape[:2], bool)
    inner[4::16, 4::16] = inner[8::16, 8::16] = True
    if most is not None:
        assert np.median(apart(given, got)[inner]) < most / 4
        assert apart(given, got)[inner].max() < most
    else:
        seen = as_srgb(given, "wide")
        assert delta_e(lab_of(to_linear(seen)), lab_of(to_linear(got)))[inner].max() < 1
