"""Finished pictures of whomever, held against the checks of a standard."""

import json
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from support import zero_easel

STANDARD = """
name: Shop
checks:
  - rule: size
    value: 600 x 600
  - rule: bytes
    value: at most 60
  - rule: ground
    value: "#FFFFFF within 2"
  - rule: share
    value: at least 60
  - rule: visible
  - rule: name
    value: "[A-Z0-9-]+_[a-z]+"
  - rule: enlargement
    value: at most 1
"""


def picture(
    path: Path, size: int = 600, item: tuple[int, int, int, int] = (100, 100, 500, 500), ground: int = 255
) -> Path:
    pixels = np.full((size, size, 3), ground, np.uint8)
    left, top, right, bottom = item
    pixels[top:bottom, left:right] = (60, 90, 140)
    Image.fromarray(pixels).save(path, quality=90)
    return path


@pytest.fixture
def standard(tmp_path: Path) -> Path:
    (tmp_path / "shop.yaml").write_text(STANDARD)
    return tmp_path / "shop.yaml"


def unmet(standard: Path, *files: Path) -> list[list[str]]:
    told = zero_easel("check", *files, "--standard", standard, "--json")
    rows = [json.loads(line) for line in told.stdout.splitlines()]
    assert told.returncode == (0 if all(row["ok"] for row in rows) else 1), told.stderr
    return [[one["rule"] for one in row["checks"] if not one["ok"]] for row in rows]


def test_what_is_as_it_should_be_passes_and_what_cannot_be_told_is_said(standard: Path, tmp_path: Path) -> None:
    good = picture(tmp_path / "BY-1_front.jpg")
    assert unmet(standard, good) == [[]]
    told = zero_easel("check", good, "--standard", standard)
    assert told.returncode == 0 and "1 of 1 meet all that was measured." in told.stdout
    assert "does not tell: enlargement" in told.stderr


def test_each_fault_is_found(standard: Path, tmp_path: Path) -> None:
    files = [
        picture(tmp_path / "BY-2_front.jpg", size=500, item=(50, 50, 450, 450)),
        picture(tmp_path / "BY-3_front.jpg", ground=240),
        picture(tmp_path / "BY-4_front.jpg", item=(200, 200, 400, 400)),
        picture(tmp_path / "BY-5_front.jpg", item=(0, 100, 500, 500)),
        picture(tmp_path / "by 6.jpg"),
    ]
    assert unmet(standard, *files) == [["size"], ["ground"], ["share"], ["ground", "visible"], ["name"]]


def test_a_transparent_picture_is_measured_by_what_covers_it(tmp_path: Path) -> None:
    rules = "name: Shop\ncanvas:\n  ground: transparent\ndeliverables:\n  - name: shop\n    format: png\nchecks:\n"
    (tmp_path / "clear.yaml").write_text(
        rules + "  - rule: share\n    value: 50\n  - rule: ground\n    value: transparent\n"
    )
    pixels = np.zeros((400, 400, 4), np.uint8)
    pixels[100:300, 100:300] = (9, 9, 9, 255)
    Image.fromarray(pixels).save(tmp_path / "A.png")
    assert unmet(tmp_path / "clear.yaml", tmp_path / "A.png") == [[]]


def test_what_cannot_be_measured_is_told_and_all_else_is(standard: Path, tmp_path: Path) -> None:
    good = picture(tmp_path / "BY-1_front.jpg")
    (tmp_path / "BY-7_front.jpg").write_bytes(good.read_bytes()[:-2000])
    (tmp_path / "BY-8_front.jpg").write_bytes(b"GIF89a nothing")
    (tmp_path / "notes.txt").write_text("x")
    told = zero_easel(
        "check", tmp_path / "BY-7_front.jpg", tmp_path / "BY-8_front.jpg", tmp_path / "notes.txt",
        tmp_path / "absent.jpg", good, "--standard", standard,
    )  # fmt: skip
    assert told.returncode == 1 and "1 of 5 meet all" in told.stdout
    for name, why in (("BY-7", "ends too early"), ("notes.txt", "no deliverable"), ("absent.jpg", "cannot be read")):
        assert any(name in line and why in line for line in told.stdout.splitlines()), told.stdout
    assert zero_easel("check", good, "--standard", standard, "--deliverable", "poster").returncode == 1
    (tmp_path / "none.yaml").write_text("name: None\n")
    assert zero_easel("check", good, "--standard", tmp_path / "none.yaml").returncode == 2
