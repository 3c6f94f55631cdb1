"""Cutouts against exact truth, through the command that users call."""

import json
from pathlib import Path

import cv2
import numpy as np
import pytest
from scoring import score
from support import AWKWARD, PHOTOS, TRUTH, zero_easel
from variations import on_a_table

pytestmark = pytest.mark.slow

Row = dict[str, float | list[str]]


def scored(photos: list[Path], truths: Path, out: Path) -> dict[str, Row]:
    """Errors, confidence and flags by stem, from `zero-easel cutout --json`."""
    done = zero_easel("cutout", *photos, "--out", out, "--json")
    assert done.returncode == 0, done.stderr
    reports = {Path(r["photo"]).stem: r for r in map(json.loads, done.stdout.splitlines())}
    assert list(reports) == [p.stem for p in photos]
    rows = {}
    for stem, report in reports.items():
        truth = cv2.imread(str(truths / f"{stem}.alpha.png"), cv2.IMREAD_GRAYSCALE)
        cut = cv2.imread(report["output"], cv2.IMREAD_UNCHANGED)
        assert cut.shape == (*truth.shape, 4) == (report["height"], report["width"], 4)
        alpha = cut[..., 3] if cut.dtype == np.uint8 else (cut[..., 3] / 257).round().astype(np.uint8)
        rows[stem] = score(alpha, truth) | {k: report[k] for k in ("confidence", "flags", "seconds")}
    return rows


@pytest.fixture(scope="module")
def rows(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Row]:
    photos = sorted(PHOTOS / f"{t.name.removesuffix('.alpha.png')}.JPG" for t in TRUTH.glob("*.alpha.png"))
    assert len(photos) == 30
    return scored(photos, TRUTH, tmp_path_factory.mktemp("cutouts"))


def test_the_median_is_close(rows: dict[str, Row]) -> None:
    overlap = [row["iou"] for row in rows.values()]
    assert np.median(overlap) >= 0.985 and np.mean(overlap) >= 0.96
    assert np.median([row["edge"] for row in rows.values()]) <= 1.0
    assert np.median([row["sad"] for row in rows.values()]) <= 3.2


def test_no_cutout_is_silently_wrong(rows: dict[str, Row]) -> None:
    wrong = {stem: row for stem, row in rows.items() if row["iou"] < 0.9}
    assert all(row["flags"] and row["confidence"] < 0.5 for row in wrong.values()), wrong


def test_what_it_is_sure_of_is_right(rows: dict[str, Row]) -> None:
    sure = {stem: row for stem, row in rows.items() if row["confidence"] >= 0.5}
    assert len(sure) >= 12
    assert all(row["iou"] >= 0.93 for row in sure.values()), sure


def test_paper_on_a_table_is_not_the_item(tmp_path: Path) -> None:
    stems, photos = ("BRYD0105", "BRYD0127", "BRYD0138", "BRYD0144"), []
    for stem in stems:
        photo, truth = cv2.imread(str(PHOTOS / f"{stem}.JPG")), cv2.imread(str(TRUTH / f"{stem}.alpha.png"), 0)
        changed, placed = on_a_table(np.random.default_rng(7), photo, truth)
        photos.append(tmp_path / f"{stem}.png")
        cv2.imwrite(str(photos[-1]), changed)
        cv2.imwrite(str(tmp_path / f"{stem}.alpha.png"), placed)
    rows = scored(photos, tmp_path, tmp_path / "cutouts")
    assert min(row["iou"] for row in rows.values()) >= 0.97


def test_awkward_ones_are_right_or_announced(tmp_path: Path) -> None:
    truths = AWKWARD / "truth"
    stems = [t.name.removesuffix(".alpha.png") for t in truths.glob("*.alpha.png")]
    rows = scored(sorted(p for p in AWKWARD.iterdir() if p.stem in stems), truths, tmp_path)
    assert len(rows) == 4
    assert all(row["iou"] >= 0.9 or row["flags"] for row in rows.values())
