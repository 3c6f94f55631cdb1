"""The command line over a folder of photos."""

import csv
import hashlib
import json
import os
import shutil
import signal
import subprocess
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image, ImageFilter
from support import AWKWARD, CATALOG, PHOTOS, halved, installed, zero_easel, zero_easel_command

from zero_easel.core.catalog.tables import read_table
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.yaml.file import read_standard
from zero_easel.engines.making import Made
from zero_easel.engines.workers import Workers
from zero_easel.folder.batch import execute, prepare
from zero_easel.planning.manifest import ManifestRow

NAMES = ("BRYD0105.JPG", "BRYD0111.JPG", "BRYD0112.JPG")
TABLE = "filename,code,view\nBRYD0105.JPG,BY-2104-BL,front\nBRYD0111.JPG,BY-2102,front\nBRYD0112.JPG,BY-2102,side\n"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    photos = tmp_path / "photos"
    photos.mkdir()
    for name in NAMES:
        (photos / name).write_bytes(halved(name))
    (tmp_path / "shots.csv").write_text(TABLE)
    (photos / "notes.txt").write_text("not a picture")
    return photos


def manifest(out: Path) -> list[dict[str, str]]:
    with (out / "manifest.csv").open(newline="", encoding="utf-8") as file:
        return list(csv.DictReader(file))


def contents(folder: Path) -> dict[str, str]:
    return {
        str(p.relative_to(folder)): hashlib.sha256(p.read_bytes()).hexdigest() for p in folder.rglob("*") if p.is_file()
    }


def test_a_folder_becomes_correctly_named_pictures(folder: Path, tmp_path: Path) -> None:
    before, out = contents(folder), tmp_path / "out"
    rules = tmp_path / "small.yaml"
    rules.write_text("canvas: {width: 400, height: 300, ground: transparent}\ndeliverables: [{format: png}]\n")
    done = installed("run", folder, "--out", out, "--catalog", CATALOG, "--shotlist", tmp_path / "shots.csv",
                      "--standard", rules, "--jobs", "2")  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert contents(folder) == before
    rows = manifest(out)
    assert [row["output"] for row in rows] == ["BY-2104-BL_front.png", "BY-2102_front.png", "BY-2102_side.png"]
    for row in rows:
        data = (out / row["output"]).read_bytes()
        assert hashlib.sha256(data).hexdigest() == row["sha256"] and len(data) == int(row["bytes"])
        picture = Image.open(out / row["output"])
        assert picture.size == (400, 300) == (int(row["width"]), int(row["height"]))
        solid = np.asarray(picture)[..., 3] >= 128
        rows_, columns = np.flatnonzero(solid.any(1)), np.flatnonzero(solid.any(0))
        # Built-in rule: stands 8 % above the lower edge and fills 84 % of the height; 6 % stay free.
        assert abs(rows_[-1] + 1 - 276) <= 1 and abs(rows_[-1] + 1 - rows_[0] - 252) <= 1
        assert columns[0] >= 17 and columns[-1] <= 382
    again = zero_easel("run", folder, "--out", out, "--shotlist", tmp_path / "shots.csv", "--standard", rules)
    assert again.returncode == 2 and "--replace" in again.stderr
    replaced = zero_easel("run", folder, "--out", out, "--catalog", CATALOG, "--shotlist", tmp_path / "shots.csv",
                          "--standard", rules, "--replace", "--jobs", "1")  # fmt: skip
    assert replaced.returncode == 0
    assert [r["sha256"] for r in manifest(out)] == [r["sha256"] for r in rows]


def test_its_own_output_inside_the_photos_is_left_alone(folder: Path) -> None:
    out = folder / "finished"
    for _ in range(2):
        done = zero_easel("run", folder, "--out", out, "--recursive", "--replace")
        assert done.returncode == 0, done.stderr
        assert len(manifest(out)) == len(NAMES)
    other = zero_easel("run", folder, "--out", folder / "again", "--recursive")
    assert other.returncode == 0 and len(manifest(folder / "again")) == len(NAMES)
    assert f"{out} holds what an earlier run made, and is not read." in " ".join(other.stderr.split())
    shutil.rmtree(folder / "again")
    assert zero_easel("run", folder, "--out", folder).returncode == 2
    assert sorted(p.name for p in folder.iterdir()) == sorted([*NAMES, "finished", "notes.txt"])


def test_two_outputs_with_one_name_are_refused_with_both_sources(folder: Path, tmp_path: Path) -> None:
    table = tmp_path / "clash.csv"
    table.write_text(TABLE.replace("side", "front"))
    done = zero_easel("run", folder, "--out", tmp_path / "out", "--shotlist", table)
    assert done.returncode == 2
    assert "BRYD0111.JPG" in done.stderr and "BRYD0112.JPG" in done.stderr
    assert not (tmp_path / "out").exists()


def test_photos_that_the_shot_list_does_not_name_stay_out(folder: Path, tmp_path: Path) -> None:
    table = tmp_path / "short.csv"
    table.write_text("filename,code,view\nBRYD0105.JPG,BY-2104-BL,front\nBRYD0999.JPG,BY-1,back\n")
    done = zero_easel("run", folder, "--out", tmp_path / "out", "--shotlist", table)
    assert done.returncode == 0
    assert "BRYD0999.JPG" in done.stderr
    assert [row["status"] for row in manifest(tmp_path / "out")] == ["done", "left out", "left out"]


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["run", "nowhere", "--out", "out"], "nowhere is not a folder"),
        (["run", ".", "--out", "out"], "holds no photos"),
        (["run", "photos", "--out", "out", "--catalog", "missing.csv"], "missing.csv cannot be read"),
        (["run", "photos", "--out", "out", "--standard", "bad.yaml"], "bad.yaml, line 1: canvas.width must be"),
        (["run", "photos"], "Missing option"),
        (["run", "photos", "--out", "out", "--jobs", "0"], "Invalid value"),
    ],
)
def test_wrong_usage_is_one_sentence_and_status_2(folder: Path, arguments: list[str], said: str) -> None:
    (folder.parent / "bad.yaml").write_text("canvas: {width: 1}")
    done = zero_easel(*arguments, cwd=folder.parent)
    assert done.returncode == 2
    assert said in done.stderr and "Traceback" not in done.stderr
    assert not (folder.parent / "out").exists()


def test_the_awkward_folder_is_accounted_for(tmp_path: Path) -> None:
    out = tmp_path / "out"
    (tmp_path / "small.yaml").write_text("canvas: {width: 300, height: 300}\n")
    done = zero_easel("run", AWKWARD, "--out", out, "--standard", tmp_path / "small.yaml")
    assert done.returncode == 1
    rows = {row["original"]: row for row in manifest(out)}
    assert set(rows) == {p.name for p in AWKWARD.iterdir() if p.is_file()}
    failed = {name for name, row in rows.items() if row["status"] == "failed"}
    assert failed == {
        "truncated.jpg",
        "zero-bytes.jpg",
        "not-an-image.jpg",
        "huge-dimensions.png",
    }
    assert rows["empty-backdrop.JPG"]["message"] == "shows the empty backdrop"
    said = [line for line in done.stderr.splitlines() if line and "empty-backdrop.JPG" not in line]
    assert sorted(said) == sorted(rows[n]["message"] for n in failed)
    assert all(name in rows[name]["message"] for name in failed)
    pictures = {p.name for p in out.iterdir()} - {"manifest.csv", "manifest.json", "images.jsonld"}
    assert pictures == {row["output"] for row in rows.values() if row["output"]}
    assert "Krug für Größe 2 – schön 🏺 (1).jpg" in pictures
    for name in pictures:
        assert Image.open(out / name).size == (300, 300)


@pytest.mark.slow
def test_memory_stays_small_on_awkward_files(tmp_path: Path) -> None:
    command = zero_easel_command("cutout", *(p for p in AWKWARD.iterdir() if p.is_file()), "--out", tmp_path)
    # A new process starts with its parent's peak: a small parent stands between the tests' memory and the command, and
    # waits for what the command leaves to end, so that workers count as well.
    measure = """
import ctypes, os, resource, subprocess, sys
ctypes.CDLL(None).prctl(36, 1)  # PR_SET_CHILD_SUBREAPER
subprocess.run(sys.argv[1:])
try:
    while True:
        os.wait()
except ChildProcessError:
    print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss)
"""
    done = subprocess.run(
        [sys.executable, "-c", measure, *command, "--jobs", "2"], capture_output=True, text=True, check=True
    )
    kilobytes = int(done.stdout.splitlines()[-1])
    assert 50_000 < kilobytes < 600_000


def test_standard_prints_what_run_reads() -> None:
    assert read_standard(zero_easel("standard").stdout) == Standard()


def test_cutout_writes_over_its_own_files_only(tmp_path: Path) -> None:
    photo, out = PHOTOS / "BRYD0105.JPG", tmp_path / "cut"
    for _ in range(2):
        assert zero_easel("cutout", photo, "--out", out).returncode == 0
    cut = Image.open(out / "BRYD0105.png")
    assert (cut.mode, cut.size) == ("RGBA", (1600, 1200))
    Image.new("RGB", (20, 20)).save(out / "BRYD0111.png")
    refused = zero_easel("cutout", PHOTOS / "BRYD0111.JPG", "--out", out)
    assert refused.returncode == 2 and "no cutout made here" in refused.stderr
    assert Image.open(out / "BRYD0111.png").size == (20, 20)


def test_code_cards_name_what_follows_and_a_missing_one_is_told(tmp_path: Path) -> None:
    photos, out = tmp_path / "photos", tmp_path / "out"
    photos.mkdir()
    for name in ("BRYD0104.JPG", "BRYD0105.JPG", "BRYD0106.JPG", "BRYD0111.JPG"):
        shutil.copy(PHOTOS / name, photos)
    rules = tmp_path / "small.yaml"
    rules.write_text("canvas: {width: 200, height: 200}\nnames: {folder: '{category}', name: '{code}_{n}'}\n")
    done = zero_easel("run", photos, "--out", out, "--catalog", CATALOG, "--standard", rules)
    assert done.returncode == 0, done.stderr
    rows = {row["original"]: row for row in manifest(out)}
    assert [rows[f"BRYD01{n}.JPG"]["output"] for n in ("05", "06", "11")] == [
        f"kitchen/BY-2104-BL_{n}.jpg" for n in (1, 2, 3)
    ]
    assert (out / "kitchen/BY-2104-BL_3.jpg").is_file()
    assert rows["BRYD0104.JPG"]["status"] == "left out" and "code card: BY-2104-BL" in rows["BRYD0104.JPG"]["message"]
    assert "To make sure of: BRYD0111.JPG: file BRYD0107 and 3 more are missing before it" in done.stderr
    assert "perhaps a code card" in rows["BRYD0111.JPG"]["message"] and not rows["BRYD0105.JPG"]["message"]


def test_a_lost_card_is_told_and_ends_with_1_unless_there_are_no_cards(tmp_path: Path) -> None:
    photos, rules = tmp_path / "photos", tmp_path / "small.yaml"
    photos.mkdir()
    rules.write_text("canvas: {width: 60, height: 60}\nitem: {backdrop: kept}\nnames: {name: '{original}'}\n")
    for name in ("BRYD0125.JPG", "BRYD0126.JPG", "BRYD0132.JPG"):
        shutil.copy(PHOTOS / name, photos)
    Image.open(PHOTOS / "BRYD0131.JPG").filter(ImageFilter.GaussianBlur(9)).save(photos / "BRYD0131.JPG")
    arguments = (photos, "--catalog", CATALOG, "--standard", rules)
    done = zero_easel("run", *arguments, "--out", tmp_path / "cards")
    assert done.returncode == 1 and "2 pictures" in done.stdout and "2 left out (1 of them to look at)" in done.stdout
    rows = {row["original"]: row for row in manifest(tmp_path / "cards")}
    assert rows["BRYD0131.JPG"]["message"] == "the code card BRYD0131.JPG cannot be read"
    done = zero_easel("run", *arguments, "--out", tmp_path / "all", "--no-cards")
    assert done.returncode == 0 and "4 pictures" in done.stdout


ROWED = """\
canvas: {width: 600, height: 600, ground: transparent}
item: {scale: true-size, margin: 5%, share: 90}
exceptions:
  - {view: side, item: {backdrop: kept, fit: cover}}
deliverables: [{format: png}]
"""


def test_a_row_at_true_size_and_an_uncut_view(folder: Path, tmp_path: Path) -> None:
    rules, out = tmp_path / "row.yaml", tmp_path / "out"
    rules.write_text(ROWED)
    arguments = ("--catalog", CATALOG, "--shotlist", tmp_path / "shots.csv", "--standard", rules)
    done = zero_easel("run", folder, "--out", out, *arguments, "--jobs", "2")
    assert done.returncode == 0, done.stderr
    # Nothing of what was kept in between is left behind.
    assert sorted(contents(out)) == [
        "BY-2102_front.png", "BY-2102_side.png", "BY-2104-BL_front.png", "images.jsonld", "manifest.csv",
        "manifest.json",
    ]  # fmt: skip
    widths = {}
    for code in ("BY-2104-BL", "BY-2102"):
        alpha = np.asarray(Image.open(out / f"{code}_front.png"))[..., 3]
        columns, rows = np.flatnonzero((alpha >= 128).any(0)), np.flatnonzero((alpha >= 128).any(1))
        widths[code] = columns[-1] - columns[0] + 1
        assert abs(rows[-1] + 1 - 552) <= 1
    assert widths["BY-2102"] / widths["BY-2104-BL"] == pytest.approx(168 / 121, rel=0.02)
    side = Image.open(out / "BY-2102_side.png")
    assert side.size == (600, 600)
    assert (np.asarray(side)[..., 3] == 255).all() if side.mode == "RGBA" else side.mode == "RGB"
    again = tmp_path / "again"
    assert zero_easel("run", folder, "--out", again, *arguments, "--jobs", "1").returncode == 0
    assert contents(again) == contents(out)


def test_a_photo_that_fails_stops_no_row(folder: Path, tmp_path: Path) -> None:
    shutil.copy(AWKWARD / "truncated.jpg", folder / "BRYD0113.jpg")
    (tmp_path / "r.yaml").write_text("canvas: {width: 200, height: 200}\nitem: {scale: true-size}\n")
    done = zero_easel("run", folder, "--out", tmp_path / "out", "--catalog", CATALOG, "--standard", tmp_path / "r.yaml")
    assert done.returncode == 1
    rows = {row["original"]: row for row in manifest(tmp_path / "out")}
    assert rows["BRYD0113.jpg"]["status"] == "failed" and "damaged" in rows["BRYD0113.jpg"]["message"]
    assert [row["status"] for row in rows.values()].count("done") == 3


def rows_of(out: Path) -> dict[str, str]:
    return {row["original"]: row["status"] for row in manifest(out)}


@pytest.mark.parametrize(
    ("stop", "status"), [pytest.param(signal.SIGINT, 130, marks=pytest.mark.slow), (signal.SIGTERM, 143)]
)
def test_a_run_that_is_stopped_leaves_lists_of_what_is_there(
    folder: Path, tmp_path: Path, stop: signal.Signals, status: int
) -> None:
    out = tmp_path / "out"
    for number in range(60):  # more than are made before a busy machine sends the signal
        shutil.copy(folder / NAMES[0], folder / f"copy-{number}.jpg")
    listed = "".join(f"{path.name},A-1,\n" for path in folder.glob("*.[jJ]*"))
    (tmp_path / "all.csv").write_text(f"filename,code,view\n{listed}")
    (tmp_path / "many.yaml").write_text("names: {name: '{code}_{n}'}\n")
    named = ("--shotlist", tmp_path / "all.csv", "--standard", tmp_path / "many.yaml")
    command = zero_easel_command("run", folder, "--out", out, "--jobs", "1", *named)
    running = subprocess.Popen(command, stderr=subprocess.PIPE, text=True, process_group=0)
    while len(list(out.glob("*.jpg"))) < 3:
        assert running.poll() is None
    running.send_signal(stop)
    _, said = running.communicate()
    assert running.returncode == status and "Stopped before the end" in said and "Traceback" not in said
    states = rows_of(out)
    assert len(states) == 63 and set(states.values()) == {"done", "waiting"}
    done = {row["output"] for row in manifest(out) if row["status"] == "done"}
    assert done and done <= {path.name for path in out.glob("*.jpg")}
    assert not list(out.glob(".*"))


def test_what_vanishes_while_a_run_goes_on_is_told(folder: Path, tmp_path: Path) -> None:
    work, out = prepare(folder, tmp_path / "out", Standard(), [], []), tmp_path / "out"

    told: list[str] = []

    def lose(row: ManifestRow, _made: Made) -> None:
        if row.original == NAMES[0] and row.status == "done":
            shutil.rmtree(out)

    def mend(reason: str) -> None:
        told.append(reason)
        out.mkdir()

    rows = {row.original: row for row in execute(work, Workers(1), lose, mend)}
    assert len(told) == 1 and f"does not see the folder {out}" in told[0]
    assert rows[NAMES[0]].status == "failed" and "not there any more" in rows[NAMES[0]].message
    assert rows_of(out) == {NAMES[0]: "failed", NAMES[1]: "done", NAMES[2]: "done"}
    assert {path.name for path in out.glob("*.*g")} == {row.output for row in rows.values() if row.output}


def test_a_file_name_that_is_no_text_is_shown_with_marks_and_loses_no_list(folder: Path, tmp_path: Path) -> None:
    odd = os.fsencode(folder) + b"/caf\xe9 \xff.jpg"
    Path(os.fsdecode(odd)).write_bytes((PHOTOS / NAMES[0]).read_bytes())
    (Path(os.fsdecode(os.fsencode(folder) + b"/br\xe9.jpg"))).write_bytes(b"no picture")
    out = tmp_path / "out"
    done = zero_easel("run", folder, "--out", out)
    assert done.returncode == 1 and "br\ufffd.jpg is not a picture" in done.stderr
    states = rows_of(out)
    assert states["caf\ufffd \ufffd.jpg"] == "done" and states["br\ufffd.jpg"] == "failed"
    assert json.loads((out / "manifest.json").read_text("utf-8"))["pictures"]
    assert all((out / row["output"]).is_file() for row in manifest(out) if row["output"])


def test_a_file_that_only_is_called_empty_stops_nothing(folder: Path, tmp_path: Path) -> None:
    (folder / "empty.jpg").write_bytes(b"no picture")
    done = zero_easel("run", folder, "--out", tmp_path / "out")
    assert done.returncode == 1 and "empty.jpg is not a picture" in done.stderr
    assert rows_of(tmp_path / "out") == {**dict.fromkeys(NAMES, "done"), "empty.jpg": "failed"}
    refused = zero_easel("run", folder, "--out", tmp_path / "out", "--replace", "--empty", folder / "empty.jpg")
    assert refused.returncode == 2 and "empty.jpg is not a picture" in refused.stderr


def test_codes_that_a_spreadsheet_would_run_are_calmed_in_lists(folder: Path, tmp_path: Path) -> None:
    table = tmp_path / "shots.csv"
    table.write_text('filename,code,view\nBRYD0105.JPG,"=2+3",front\nBRYD0111.JPG,@A,front\nBRYD0112.JPG,-7,side\n')
    out = tmp_path / "out"
    assert zero_easel("run", folder, "--out", out, "--shotlist", table).returncode == 0
    assert [row["code"] for row in manifest(out)] == ["'=2+3", "'@A", "'-7"]
    lines = read_table((out / "manifest.csv").read_bytes(), "manifest.csv").lines
    assert [line.cells[1] for line in lines[1:]] == ["=2+3", "@A", "-7"]
