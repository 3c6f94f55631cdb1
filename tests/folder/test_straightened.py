"""Lenses and rectangles over a folder, from the command line."""

import csv
from pathlib import Path

import numpy as np
import pytest
from sheets import FRAME, bent_photo, corners_seen, jpeg, photographed
from support import zero_easel

from zero_easel.core.light.rectify import Rectification, bent, in_order
from zero_easel.core.photos.decoding import read_photo

ASPECT = 0.75
CORNERS = in_order(corners_seen(ASPECT, (0.35, -0.3, 0.08)))


@pytest.fixture(scope="module")
def folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = tmp_path_factory.mktemp("geometry") / "in"
    made.mkdir()
    (made / "book.jpg").write_bytes(jpeg(photographed(ASPECT, CORNERS)))
    level = in_order(corners_seen(ASPECT, (0.0, 0.0, 0.0)))
    pixels = bent_photo(photographed(ASPECT, level), Rectification(bent(-8)))
    (made / "sign.jpg").write_bytes(jpeg(pixels, ("Canon", "Canon EOS 5D Mark III", "EF24-105mm f/4L IS USM", 24.0)))
    return made


def rows(out: Path) -> dict[str, dict[str, str]]:
    with (out / "manifest.csv").open(encoding="utf-8-sig") as file:
        return {row["original"]: row for row in csv.DictReader(file)}


def box_of(path: Path) -> tuple[float, float, float]:
    """Width and height of what is not white, and the share of its width that nearly all of its rows fill."""
    dark = read_photo(path).pixels.min(2) < 200
    across, down = np.flatnonzero(dark.any(0)), np.flatnonzero(dark.any(1))
    width, height = np.ptp(across) + 1, np.ptp(down) + 1
    # Light lines of its print aside: what lies between them is blue.
    inside = dark[down[0] : down[-1] + 1, across[0] : across[-1] + 1]
    filled = [np.ptp(np.flatnonzero(row)) + 1 for row in inside if row.any()]
    return float(width), float(height), float(np.quantile(filled, 0.2) / width)


def test_a_book_is_seen_from_in_front(folder: Path, tmp_path: Path) -> None:
    plain = zero_easel("run", folder, "--out", tmp_path / "plain")
    assert plain.returncode in (0, 1), plain.stderr
    run = zero_easel("run", folder, "--out", tmp_path / "out", "--rectangle", folder / "book.jpg")
    assert run.returncode in (0, 1), run.stderr
    _, _, before = box_of(tmp_path / "plain/book.jpg")
    width, height, after = box_of(tmp_path / "out/book.jpg")
    assert before < 0.95 and after > 0.99
    assert width / height == pytest.approx(ASPECT, rel=0.04)
    assert "brought upright" in rows(tmp_path / "out")["book.jpg"]["message"]
    assert "brought" not in rows(tmp_path / "out")["sign.jpg"]["message"]


def test_the_whole_photo_is_straightened_where_the_backdrop_stays(folder: Path, tmp_path: Path) -> None:
    (tmp_path / "kept.yaml").write_text("name: Kept\nitem: {backdrop: kept, fit: longest, size: 1500}\n")
    run = zero_easel("run", folder, "--out", tmp_path / "out", "--standard", tmp_path / "kept.yaml",
                     "--rectangle", folder / "book.jpg", "--lens", "-8")  # fmt: skip
    assert run.returncode == 0, run.stderr
    width, height, filled = box_of(tmp_path / "out/sign.jpg")
    assert filled > 0.995 and width / height == pytest.approx(ASPECT, rel=0.02)
    assert box_of(tmp_path / "out/book.jpg")[2] > 0.98
    assert "the lens bent by 8.0 %" in rows(tmp_path / "out")["sign.jpg"]["message"]


def test_lenses_that_are_known(folder: Path, tmp_path: Path) -> None:
    run = zero_easel("run", folder, "--out", tmp_path / "out", "--lens", "known")
    assert run.returncode in (0, 1), run.stderr
    told = rows(tmp_path / "out")
    assert "that the lens bent" in told["sign.jpg"]["message"] and "lens" not in told["book.jpg"]["message"]


@pytest.mark.parametrize("lens", ["wide", "40", "-12.5", "nan"])
def test_a_wrong_bend_is_refused(folder: Path, tmp_path: Path, lens: str) -> None:
    run = zero_easel("run", folder, "--out", tmp_path / "out", "--lens", lens)
    assert run.returncode == 2 and '"known" or a number' in run.stderr and not (tmp_path / "out").exists()


def test_what_is_no_rectangle_fails_alone(folder: Path, tmp_path: Path) -> None:
    mixed = tmp_path / "in"
    mixed.mkdir()
    (mixed / "book.jpg").write_bytes((folder / "book.jpg").read_bytes())
    pixels = np.full((FRAME.height, FRAME.width, 3), 226, np.uint8)
    y, x = np.mgrid[: FRAME.height, : FRAME.width]
    pixels[np.hypot(x - 750, y - 500) < 260] = (60, 120, 60)
    (mixed / "ball.jpg").write_bytes(jpeg(pixels))
    run = zero_easel("run", mixed, "--out", tmp_path / "out", "--rectangle", mixed / "ball.jpg")
    assert run.returncode == 1
    told = rows(tmp_path / "out")
    assert told["book.jpg"]["status"] == "done" and "four straight sides" in told["ball.jpg"]["message"]
    absent = zero_easel("run", mixed, "--out", tmp_path / "no", "--rectangle", mixed / "none.jpg")
    assert absent.returncode == 2 and "not among the photos" in absent.stderr
