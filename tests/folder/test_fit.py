"""Plain jobs by one line of the command line: each file is opened and measured."""

import csv
import os
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from support import PHOTOS, zero_easel

TAKEN = "2026:03:07 10:20:30"


@pytest.fixture(scope="module")
def photos(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A wide photo, an upright one, a small one of the same name in a folder, and a sprite."""
    folder = tmp_path_factory.mktemp("photos")
    (folder / "sub").mkdir()
    rng = np.random.default_rng(1)
    for name, (w, h) in {"a.jpg": (1200, 900), "b.jpg": (900, 1200), "sub/a.jpg": (400, 300)}.items():
        y, x = np.mgrid[0:h, 0:w]
        shade = np.dstack([x * 255 // w, y * 255 // h, (x + y) * 120 // (w + h)]) + rng.normal(0, 6, (h, w, 1))
        exif = Image.Exif()
        exif.get_ifd(0x8769)[0x9003] = TAKEN
        Image.fromarray(np.clip(shade, 0, 255).astype(np.uint8)).save(folder / name, exif=exif, quality=92)
        os.utime(folder / name, (1_700_000_000, 1_700_000_000))
    (folder / "sprites").mkdir()
    art = rng.integers(0, 4, (16, 16)).repeat(3).reshape(16, 16, 3) * 80
    Image.fromarray(art.astype(np.uint8)).save(folder / "sprites/s.png")
    return folder


def made(out: Path) -> dict[str, tuple[str, int, int]]:
    """Format and size of every picture in a folder."""
    found = {}
    for path in sorted(out.rglob("*.*")):
        if path.is_file() and path.name not in ("manifest.csv", "manifest.json", "images.jsonld"):
            with Image.open(path) as picture:
                found[path.relative_to(out).as_posix()] = (str(picture.format), *picture.size)
    return found


JOBS = {
    "width 1100": (["--width", "1100"], {"a.jpg": ("JPEG", 1100, 825), "b.jpg": ("JPEG", 900, 1200)}),
    "width 1440 px at 96 px/in as AVIF with a counter": (
        ["--width", "15in", "--density", "96", "--format", "avif", "--enlarge", "--name", "{shoot}_{n:03}"],
        {"photos0_001.avif": ("AVIF", 1440, 1080), "photos0_002.avif": ("AVIF", 1440, 1920)},
    ),
    "width 720 with a suffix": (
        ["--width", "720", "--name", "{original}_web"],
        {"a_web.jpg": ("JPEG", 720, 540), "b_web.jpg": ("JPEG", 720, 960)},
    ),
    "longest 1050 and a banner": (
        ["--longest", "1050", "--also", "exact=1000x280,by=cover,folder=banner"],
        {"a.jpg": ("JPEG", 1050, 788), "b.jpg": ("JPEG", 788, 1050),
         "banner/a.jpg": ("JPEG", 1000, 280), "banner/b.jpg": ("JPEG", 1000, 280)},
    ),
    "a canvas of 115 %, growing to the right": (
        ["--padding", "0 15% 0 0"], {"a.jpg": ("JPEG", 1380, 900), "b.jpg": ("JPEG", 1035, 1200)},
    ),
    "a canvas of 85 %": (["--padding", "-7.5%"], {"a.jpg": ("JPEG", 1020, 765), "b.jpg": ("JPEG", 765, 1020)}),
    "9 x 13 cm at 300 px/in": (
        ["--exact", "9cmx13cm", "--density", "300", "--by", "cover", "--enlarge"],
        {"a.jpg": ("JPEG", 1063, 1535), "b.jpg": ("JPEG", 1063, 1535)},
    ),
    "longest 640": (["--longest", "640"], {"a.jpg": ("JPEG", 640, 480), "b.jpg": ("JPEG", 480, 640)}),
    "JPEG and TIFF in folders of their own": (
        ["--also", "format=tiff,folder=tiff"],
        {"a.jpg": ("JPEG", 1200, 900), "b.jpg": ("JPEG", 900, 1200),
         "tiff/a.tif": ("TIFF", 1200, 900), "tiff/b.tif": ("TIFF", 900, 1200)},
    ),
    "icons, and two boxes": (
        ["--exact", "64x64", "--format", "png", "--also", "exact=24x24,folder=24", "--also", "exact=320x160,folder=box",
         "--also", "exact=120x480,folder=tall,by=cover"],
        {"a.png": ("PNG", 64, 64), "b.png": ("PNG", 64, 64), "24/a.jpg": ("JPEG", 24, 24), "24/b.jpg": ("JPEG", 24, 24),
         "box/a.jpg": ("JPEG", 320, 160), "box/b.jpg": ("JPEG", 320, 160),
         "tall/a.jpg": ("JPEG", 120, 480), "tall/b.jpg": ("JPEG", 120, 480)},
    ),
    "720 x 405 ignoring proportions": (
        ["--exact", "720x405", "--by", "stretch"], {"a.jpg": ("JPEG", 720, 405), "b.jpg": ("JPEG", 720, 405)},
    ),
    "60 % with capture dates in names": (
        ["--percent", "60", "--name", "{date:%Y-%m-%d}_{original}"],
        {"2026-03-07_a.jpg": ("JPEG", 720, 540), "2026-03-07_b.jpg": ("JPEG", 540, 720)},
    ),
    "60 % in folders by month": (
        ["--percent", "60", "--name", "{date:%Y-%m}/{date}_{original}"],
        {"2026-03/2026-03-07_a.jpg": ("JPEG", 720, 540), "2026-03/2026-03-07_b.jpg": ("JPEG", 540, 720)},
    ),
    "each picture's own size in its name": (
        ["--longest", "300", "--name", "{original}_{width}x{height}"],
        {"a_300x225.jpg": ("JPEG", 300, 225), "b_225x300.jpg": ("JPEG", 225, 300)},
    ),
    "a part, zoomed": (
        ["--exact", "300x200", "--by", "cover", "--part", "25%,75%,2"],
        {"a.jpg": ("JPEG", 300, 200), "b.jpg": ("JPEG", 300, 200)},
    ),
    "1250 wide, found and replaced": (
        ["--width", "250", "--find", "a", "--put", "apple"],
        {"apple.jpg": ("JPEG", 250, 188), "b.jpg": ("JPEG", 250, 333)},
    ),
    "half a megapixel": (["--megapixels", "0.48"], {"a.jpg": ("JPEG", 800, 600), "b.jpg": ("JPEG", 600, 800)}),
    "TIFF at its own size, and twice as large": (
        ["--format", "tiff", "--enlarge", "--also", "percent=200,folder=large"],
        {"a.tif": ("TIFF", 1200, 900), "b.tif": ("TIFF", 900, 1200),
         "large/a.jpg": ("JPEG", 2400, 1800), "large/b.jpg": ("JPEG", 1800, 2400)},
    ),
}  # fmt: skip


@pytest.mark.parametrize("job", JOBS)
def test_a_plain_job_is_one_line(job: str, photos: Path, tmp_path: Path) -> None:
    arguments, wanted = JOBS[job]
    done = zero_easel("fit", photos, "--out", tmp_path / "out", *arguments)
    assert done.returncode == 0, done.stderr
    assert made(tmp_path / "out") == {name.replace("photos0", photos.name): facts for name, facts in wanted.items()}


def test_pixels_are_kept_and_the_density_follows_from_the_length_on_paper(photos: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    also = ("--also", "longest=600,printed=5cm,format=tiff,folder=small")
    done = zero_easel("fit", photos, "--out", out, "--printed", "10in", *also)
    assert done.returncode == 0, done.stderr
    for name, size, density in (("a.jpg", (1200, 900), 120), ("b.jpg", (900, 1200), 120),
                                ("small/a.tif", (600, 450), 304.8), ("small/b.tif", (450, 600), 304.8)):  # fmt: skip
        with Image.open(out / name) as picture:
            assert picture.size == size and picture.info["dpi"][0] == pytest.approx(density, abs=0.01)
    refused = zero_easel("fit", photos, "--out", out, "--printed", "10 %", "--replace")
    assert refused.returncode == 2 and "must be a length in mm, cm or in" in refused.stderr


def test_folders_and_dates_are_kept_and_every_photo_is_accounted_for(photos: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    refused = zero_easel("fit", photos, "--out", out, "--longest", "840", "--recursive")
    assert refused.returncode == 2 and "a.jpg would come from a.jpg and sub/a.jpg" in refused.stderr
    kept = ("--keep-folders", "--keep-dates", "--recursive")
    done = zero_easel("fit", photos, "--out", out, "--longest", "840", *kept)
    assert done.returncode == 0, done.stderr
    assert made(out) == {"a.jpg": ("JPEG", 840, 630), "b.jpg": ("JPEG", 630, 840), "sprites/s.jpg": ("JPEG", 16, 16),
                         "sub/a.jpg": ("JPEG", 400, 300)}  # fmt: skip
    assert (out / "sub/a.jpg").stat().st_mtime == 1_700_000_000
    with (out / "manifest.csv").open(encoding="utf-8-sig", newline="") as file:
        told = {row["output"]: row for row in csv.DictReader(file)}
    assert len(told) == 4 and all(row["status"] == "done" for row in told.values())
    assert "stays smaller than asked" in told["sub/a.jpg"]["message"] and not told["a.jpg"]["message"]


def test_small_photos_are_left_out_if_asked(photos: Path, tmp_path: Path) -> None:
    done = zero_easel("fit", photos, "--out", tmp_path / "out", "--width", "1250", "--recursive", "--keep-folders",
                      "--at-least", "500", "--enlarge", "--name", "{original}_{n}")  # fmt: skip
    assert done.returncode == 0 and "2 left out" in done.stdout
    assert made(tmp_path / "out") == {"a_1.jpg": ("JPEG", 1250, 938), "b_2.jpg": ("JPEG", 1250, 1667)}
    assert "fewer than 500 px" in (tmp_path / "out/manifest.csv").read_text()


def test_a_zoomed_part_is_the_one_that_was_asked_for(photos: Path, tmp_path: Path) -> None:
    zero_easel("fit", photos, "--out", tmp_path / "out", "--exact", "300x225", "--by", "cover", "--part", "25%,75%,2")
    with Image.open(tmp_path / "out/a.jpg") as made, Image.open(photos / "a.jpg") as whole:
        # Twice as close around a quarter from the left and from below.
        part = whole.crop((0, 450, 600, 900)).resize((300, 225), Image.Resampling.LANCZOS)
        assert np.abs(np.asarray(made, float) - np.asarray(part, float)).mean() < 3


def test_a_contact_sheet_lies_beside_the_pictures(photos: Path, tmp_path: Path) -> None:
    done = zero_easel("fit", photos, "--out", tmp_path / "out", "--longest", "200", "--sheet", "8")
    assert done.returncode == 0, done.stderr
    assert (tmp_path / "out/contact-sheet.pdf").read_bytes().startswith(b"%PDF")


def test_photos_called_after_their_backdrop_are_pictures_too(photos: Path, tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    for name in ("empty.jpg", "c.jpg"):
        (tmp_path / "in" / name).write_bytes((photos / "a.jpg").read_bytes())
    zero_easel("fit", tmp_path / "in", "--out", tmp_path / "out", "--longest", "100")
    assert set(made(tmp_path / "out")) == {"empty.jpg", "c.jpg"}


def test_backdrops_are_cleared_with_the_framing_kept(tmp_path: Path) -> None:
    (tmp_path / "in").mkdir()
    (tmp_path / "in/mug.jpg").write_bytes((PHOTOS / "BRYD0105.JPG").read_bytes())
    done = zero_easel("fit", tmp_path / "in", "--out", tmp_path / "out", "--percent", "25", "--backdrop", "in-place",
                      "--also", "percent=25,format=png,ground=transparent,folder=clear")  # fmt: skip
    assert done.returncode in (0, 1), done.stderr
    assert made(tmp_path / "out") == {"mug.jpg": ("JPEG", 400, 300), "clear/mug.png": ("PNG", 400, 300)}
    with Image.open(tmp_path / "out/mug.jpg") as white, Image.open(tmp_path / "out/clear/mug.png") as clear:
        assert white.getpixel((3, 3)) == (255, 255, 255) and clear.getpixel((3, 3))[3] == 0
        left, top, right, bottom = clear.getbbox() or (0, 0, 0, 0)
        assert 40 < right - left < 200 and 40 < bottom - top < 200  # the mug, where it stood
        assert clear.getpixel(((left + right) // 2, bottom - 10))[3] == 255


def test_a_sprite_is_enlarged_pixel_by_pixel(photos: Path, tmp_path: Path) -> None:
    done = zero_easel("fit", photos / "sprites", "--out", tmp_path / "out", "--percent", "200", "--enlarge",
                      "--format", "png")  # fmt: skip
    assert done.returncode == 0, done.stderr
    small, large = (np.asarray(Image.open(path).convert("RGB"))
                    for path in (photos / "sprites/s.png", tmp_path / "out/s.png"))  # fmt: skip
    assert np.array_equal(large, small.repeat(2, 0).repeat(2, 1))


def test_what_would_be_made_is_shown_and_kept_as_a_standard(photos: Path, tmp_path: Path) -> None:
    out, kept = tmp_path / "out", tmp_path / "kept.yaml"
    arguments = ("--longest", "400", "--also", "longest=64,format=webp,folder=small,quality=60")
    shown = zero_easel("fit", photos, "--out", out, *arguments, "--dry-run", "--standard-out", kept)
    lines = shown.stdout.splitlines()
    assert lines[:4] == ["a.jpg\ta.jpg\t400 x 300", "a.jpg\tsmall/a.webp\t64 x 48", "b.jpg\tb.jpg\t300 x 400",
                         "b.jpg\tsmall/b.webp\t48 x 64"]  # fmt: skip
    assert lines[4].startswith("4 pictures, about") and not out.exists()
    done = zero_easel("run", photos, "--out", out, "--standard", kept, "--no-cards")
    assert done.returncode == 0 and made(out) == {
        "a.jpg": ("JPEG", 400, 300), "b.jpg": ("JPEG", 300, 400),
        "small/a.webp": ("WEBP", 64, 48), "small/b.webp": ("WEBP", 48, 64),
    }  # fmt: skip


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--longest", "5%"], "longest must be a length"),
        (["--longest", "many"], "longest must be"),
        (["--longest", "400", "--width", "300"], "one size has longest and width"),
        (["--exact", "300"], "should read WxH"),
        (["--exact", "300x200", "--part", "half"], "should read X,Y,ZOOM"),
        (["--exact", "300x200", "--part", "50%,50%,0.5"], "ZOOM is 1 to 20"),
        (["--also", "longest"], "should read KEY=VALUE"),
        (["--also", "longest=4,longest=5"], "says longest twice"),
        (["--format", "gif"], "format must be one of"),
        (["--exact", "30x30", "--by", "magic"], "by"),
        (["--ground", "pink"], "ground"),
        (["--name", "{original"], "brace"),
        (["--percent", "x"], "percent must be a number"),
    ],
)
def test_what_cannot_be_meant_is_told_before_anything_is_made(
    arguments: list[str], said: str, photos: Path, tmp_path: Path
) -> None:
    done = zero_easel("fit", photos, "--out", tmp_path / "out", *arguments)
    assert done.returncode == 2 and said in done.stderr and "Traceback" not in done.stderr
    assert not (tmp_path / "out").exists()
