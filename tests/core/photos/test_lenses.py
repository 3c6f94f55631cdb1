"""Lenses that files name, as lensfun knows them."""

from pathlib import Path

import numpy as np
from sheets import jpeg

from zero_easel.core.photos.lenses import KnownLens, lens_in

PLAIN = np.full((400, 600, 3), 128, np.uint8)
CANON = ("Canon", "Canon EOS 5D Mark III", "EF24-105mm f/4L IS USM")


def lens_of(folder: Path, data: bytes) -> KnownLens | None:
    (folder / "photo.jpg").write_bytes(data)
    return lens_in(folder / "photo.jpg")


def test_a_lens_bends_more_the_wider_it_is(tmp_path: Path) -> None:
    wide, long = (lens_of(tmp_path, jpeg(PLAIN, (*CANON, focal))) for focal in (24.0, 105.0))
    assert wide is not None and long is not None
    assert "24-105" in wide.name and wide.focal == 24
    # The database's own numbers for the corner: barrel of 4.3 % at 24 mm seen from the middle of the long side, a
    # slight pincushion at 105 mm.
    assert -0.09 < sum(wide.radial) < -0.03 and 0.01 < sum(long.radial) < 0.05


def test_the_terms_are_those_of_the_database_in_its_own_measure(tmp_path: Path) -> None:
    # "ptlens" a, b, c for this lens at 24 mm, with a radius of 1 at half of the shorter side, as it is documented.
    known = lens_of(tmp_path, jpeg(PLAIN, (*CANON, 24.0)))
    assert known is not None
    a, b, c = 0.017263, -0.049244, 0.0
    unit = np.hypot(600, 400) / 2
    r = np.array([60.0, 120, 180, 240, 300])
    u = r / 200
    wanted = a * u**4 + b * u**3 + c * u**2 + (1 - a - b - c) * u
    k1, k2, k3 = known.radial
    s = r / unit
    ours = s * (1 + k1 * s + k2 * s**2 + k3 * s**3)
    ratio = wanted / ours
    assert np.ptp(ratio) / ratio.mean() < 0.004


def test_a_lens_that_is_not_certain_is_not_known(tmp_path: Path) -> None:
    assert lens_of(tmp_path, jpeg(PLAIN)) is None
    assert lens_in(tmp_path / "absent.jpg") is None
    assert lens_of(tmp_path, b"no picture") is None
    assert lens_of(tmp_path, jpeg(PLAIN, ("Brindle", "Box 1", "Pinhole", 50.0))) is None
    # Several lenses are called so; none of them is called exactly so.
    assert lens_of(tmp_path, jpeg(PLAIN, ("NIKON CORPORATION", "NIKON D750", "50mm f/1.8", 50.0))) is None
    # Not a focal length of this lens.
    assert lens_of(tmp_path, jpeg(PLAIN, (*CANON, 300.0))) is None
