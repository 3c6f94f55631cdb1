"""Plain jobs with whole pictures: what a person does is counted, and what comes out is opened and measured."""

import io
import re
import subprocess
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import APIResponse, Page, Route, expect
from test_main_job import drop

pytestmark = pytest.mark.browser
Sizes = dict[str, tuple[str, int, int]]
MOST = 8


@pytest.fixture(scope="module")
def photos(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A wide photo, an upright one, a small one, and one of the first's name in a folder."""
    folder = tmp_path_factory.mktemp("plain") / "Market day"
    (folder / "stall").mkdir(parents=True)
    rng = np.random.default_rng(4)
    sizes = {"a.jpg": (1600, 1200), "b.jpg": (1200, 1600), "small.jpg": (200, 150), "stall/a.jpg": (1400, 1050)}
    for name, (w, h) in sizes.items():
        y, x = np.mgrid[0:h, 0:w]
        shade = np.dstack([x * 255 // w, y * 255 // h, (x + y) * 120 // (w + h)]) + rng.normal(0, 4, (h, w, 1))
        exif = Image.Exif()
        exif.get_ifd(0x8769)[0x9003] = "2026:03:07 10:20:30"
        Image.fromarray(np.clip(shade, 0, 255).astype(np.uint8)).save(folder / name, exif=exif, quality=90)
    return folder


class Hand:
    """What a person does on the page, each thing counted once."""

    def __init__(self, page: Page, photos: Path) -> None:
        self.page, self.photos, self.actions = page, photos, 0
        page.goto("/")

    def drop(self, *names: str) -> None:
        """Files onto "Whole pictures"."""
        self._did()
        drop(self.page, [self.photos / name for name in names or ("a.jpg", "b.jpg")], "form:has(#begin-1)")
        self.page.wait_for_url("**/whole")
        expect(self.page.locator("#photo-list tbody tr")).to_have_count(len(names or ("a.jpg", "b.jpg")))

    def choose_folder(self) -> None:
        """A whole folder."""
        self._did()
        self.page.locator("form:has(#begin-1) input[webkitdirectory]").set_input_files(self.photos)
        self.page.wait_for_url("**/whole")
        expect(self.page.locator("#photo-list tbody tr")).to_have_count(4)

    def type(self, label: str, value: str) -> None:
        """A value into a sentence, and enter."""
        self._did()
        with self.page.expect_response("**/whole/rule"):
            self.page.get_by_label(label, exact=True).fill(value)
            self.page.keyboard.press("Enter")
        expect(self.page.locator("#rules-message")).to_contain_text("Kept.")

    def choose(self, label: str, value: str) -> None:
        """One of a few values."""
        self._did()
        with self.page.expect_response("**/whole/rule"):
            self.page.get_by_label(label, exact=True).select_option(value)
        expect(self.page.locator("#rules-message")).to_contain_text("Kept.")

    def unfold(self, text: str) -> None:
        """What is rarely changed."""
        self._did()
        self.page.locator("summary", has_text=text).first.click()

    def press(self, name: str) -> None:
        """A button."""
        self._did()
        self.page.get_by_role("button", name=name, exact=True).click()

    def also(self, sizes: str) -> None:
        """More sizes, as they are said."""
        self._did()
        self.page.get_by_label("Make also").fill(sizes)
        with self.page.expect_navigation():
            self.page.keyboard.press("Enter")

    def run(self) -> None:
        """And wait until it is done."""
        self._did()
        before = self.page.locator("#run h2")
        last = before.inner_text() if before.count() else ""
        with self.page.expect_navigation():
            self.page.get_by_role("button", name=re.compile("^Run( again)?$")).click()
        expect(self.page.locator("#run[data-state=done] h2")).not_to_have_text(last or "-")

    def download(self) -> Sizes:
        """The archive: format, width and height of each picture in it."""
        self._did()
        with self.page.expect_download() as download:
            self.page.get_by_role("link", name="Download the archive").click()
        with zipfile.ZipFile(io.BytesIO(download.value.path().read_bytes())) as files:
            found = {}
            for name in files.namelist():
                if not name.startswith(("manifest", "images")):
                    picture = Image.open(io.BytesIO(files.read(name)))
                    found[name] = (str(picture.format), *picture.size)
                    picture.close()
            return found

    def _did(self) -> None:
        self.actions += 1
        words = self.page.locator("main").inner_text().lower() if self.page.url.endswith("/whole") else ""
        assert not re.search(r"\b(products?|cutouts?|code cards?|matching)\b", words)


SIZE, NAME = "Size of pictures in px", "File name pattern"
AROUND = "How much the canvas grows around: all, or top, right, bottom and left; negative clips"


def width_1100(hand: Hand) -> None:
    hand.drop()
    hand.type(SIZE, "1100 wide")
    hand.run()
    assert hand.download() == {"a.jpg": ("JPEG", 1100, 825), "b.jpg": ("JPEG", 1100, 1467)}


def width_1440_avif(hand: Hand) -> None:
    hand.drop()
    hand.type(SIZE, "1440 wide")
    hand.choose("Format of pictures", "avif")
    hand.type("Density in pixels per inch", "96")
    hand.type(NAME, "picture_{n:03}")
    hand.run()
    assert hand.download() == {"picture_001.avif": ("AVIF", 1440, 1080), "picture_002.avif": ("AVIF", 1200, 1600)}


def width_720_suffix(hand: Hand) -> None:
    hand.drop()
    hand.type(SIZE, "720 wide")
    hand.type(NAME, "{original}_web")
    hand.run()
    assert hand.download() == {"a_web.jpg": ("JPEG", 720, 540), "b_web.jpg": ("JPEG", 720, 960)}


def longest_and_banner(hand: Hand) -> None:
    hand.drop()
    hand.type(SIZE, "1350")
    hand.also("1000x280 cover")
    hand.run()
    banner = "1000x280"
    assert hand.download() == {"a.jpg": ("JPEG", 1350, 1012), "b.jpg": ("JPEG", 1012, 1350),
                               f"{banner}/a.jpg": ("JPEG", 1000, 280),
                               f"{banner}/b.jpg": ("JPEG", 1000, 280)}  # fmt: skip


def canvas_around(hand: Hand) -> None:
    hand.drop("a.jpg")
    hand.type(SIZE, "100 %")
    hand.unfold("Canvas around")
    hand.type(AROUND, "0 15% 0 0")
    hand.run()
    assert hand.download() == {"a.jpg": ("JPEG", 1840, 1200)}


def canvas_clipped(hand: Hand) -> None:
    hand.drop("a.jpg")
    hand.type(SIZE, "100 %")
    hand.unfold("Canvas around")
    hand.type(AROUND, "-7.5%")
    expect(hand.page.locator("#photo-list")).to_contain_text("90 px at the top")
    hand.run()
    assert hand.download() == {"a.jpg": ("JPEG", 1360, 1020)}


def print_size(hand: Hand) -> None:
    hand.drop("b.jpg")
    hand.type("Density in pixels per inch", "300")
    hand.type(SIZE, "9 x 13 cm")
    hand.choose("How pictures holds whole pictures", "cover")
    hand.run()
    assert hand.download() == {"b.jpg": ("JPEG", 1063, 1535)}


def longest_640(hand: Hand) -> None:
    hand.drop()
    hand.type(SIZE, "640")
    hand.run()
    assert hand.download() == {"a.jpg": ("JPEG", 640, 480), "b.jpg": ("JPEG", 480, 640)}


def jpeg_and_tiff(hand: Hand) -> None:
    hand.drop("a.jpg")
    hand.type(SIZE, "100 %")
    hand.also("100% tiff")
    hand.run()
    assert hand.download() == {"a.jpg": ("JPEG", 1600, 1200), "100 percent/a.tif": ("TIFF", 1600, 1200)}


def many_boxes(hand: Hand) -> None:
    hand.drop("a.jpg")
    hand.type(SIZE, "512x512")
    hand.also("24x24, 64x64, 180x180, 320x160, 120x480")
    hand.run()
    found = hand.download()
    assert sorted(size[1:] for size in found.values()) == [
        (24, 24), (64, 64), (120, 480), (180, 180), (320, 160), (512, 512),
    ]  # fmt: skip


def zoomed_part(hand: Hand) -> None:
    hand.drop("a.jpg")
    hand.type(SIZE, "800x500")
    hand.choose("How pictures holds whole pictures", "cover")
    hand.press("Choose the part of a.jpg that is kept in pictures")
    hand._did()
    hand.page.get_by_label("closer").fill("2")
    hand.press("Keep")
    expect(hand.page.locator("#part")).to_be_hidden()
    expect(hand.page.locator("[data-part]")).to_have_attribute("data-part", re.compile(r"1\.0,"))
    hand.run()
    assert hand.download() == {"a.jpg": ("JPEG", 800, 500)}


def stretched(hand: Hand) -> None:
    hand.drop("a.jpg")
    hand.type(SIZE, "1440x810")
    hand.choose("How pictures holds whole pictures", "stretch")
    hand.run()
    assert hand.download() == {"a.jpg": ("JPEG", 1440, 810)}


def dated_sheet(hand: Hand) -> None:
    hand.drop()
    hand.type(SIZE, "60 %")
    hand.type(NAME, "{date:%Y-%m}/{date}_{original}")
    hand.run()
    assert hand.download() == {"2026-03/2026-03-07_a.jpg": ("JPEG", 960, 720),
                               "2026-03/2026-03-07_b.jpg": ("JPEG", 720, 960)}  # fmt: skip
    hand.press("Contact sheet")
    hand._did()
    hand.page.get_by_label("on a page").fill("8")
    hand._did()
    with hand.page.expect_download() as download:
        hand.page.get_by_role("button", name="Make the sheet").click()
    told = subprocess.run(["pdfinfo", str(download.value.path())], capture_output=True, text=True, check=True).stdout
    assert re.search(r"Pages: +1$", told, re.MULTILINE)


def again_smaller(hand: Hand) -> None:
    longest_640(hand)
    hand.actions = 0
    hand.type(SIZE, "320")
    hand.run()
    assert hand.download() == {"a.jpg": ("JPEG", 320, 240), "b.jpg": ("JPEG", 240, 320)}


def twice_and_three_times(hand: Hand) -> None:
    hand.drop("small.jpg")
    hand.type(SIZE, "100 %")
    hand.choose("Format of pictures", "tiff")
    hand.choose("Whether uncut pictures are only reduced", "false")
    hand.also("200% jpeg, 300% jpeg")
    hand.run()
    assert hand.download() == {"small.tif": ("TIFF", 200, 150), "200 percent/small.jpg": ("JPEG", 400, 300),
                               "300 percent/small.jpg": ("JPEG", 600, 450)}  # fmt: skip


def folders_kept(hand: Hand) -> None:
    hand.choose_folder()
    hand.type(SIZE, "840")
    hand.run()
    assert hand.download() == {"a.jpg": ("JPEG", 840, 630), "b.jpg": ("JPEG", 630, 840),
                               "small.jpg": ("JPEG", 200, 150), "stall/a.jpg": ("JPEG", 840, 630)}  # fmt: skip


def found_and_replaced(hand: Hand) -> None:
    hand.drop("a.jpg", "b.jpg", "small.jpg")
    hand.press("Leave out: small.jpg")
    expect(hand.page.locator("#whole-head")).to_contain_text("1 stays out")
    hand.type(SIZE, "1250 wide")
    hand.unfold("Subfolders, replacing")
    hand.type("Find", "a")
    hand.type("Replace by", "apple")
    hand.run()
    assert hand.download() == {"apple.jpg": ("JPEG", 1250, 938), "b.jpg": ("JPEG", 1200, 1600)}


JOBS: dict[str, tuple[Callable[[Hand], None], int]] = {
    "width 1100": (width_1100, 4),
    "width 1440 at 96 px/in as AVIF, counted": (width_1440_avif, 7),
    "width 720 with a suffix": (width_720_suffix, 5),
    "longest side 1350, and a banner": (longest_and_banner, 5),
    "a canvas of 115 %, growing to the right": (canvas_around, 6),
    "a canvas of 85 %": (canvas_clipped, 6),
    "9 x 13 cm at 300 px/in": (print_size, 6),
    "longest side 640": (longest_640, 4),
    "JPEG and TIFF in folders of their own": (jpeg_and_tiff, 5),
    "six boxes at once": (many_boxes, 5),
    "a zoomed part": (zoomed_part, 8),
    "1440 x 810 ignoring proportions": (stretched, 5),
    "60 %, capture dates, month folders, a sheet of eight": (dated_sheet, 8),
    "the same again, smaller": (again_smaller, 3),
    "TIFF, and JPEG twice and three times as large": (twice_and_three_times, 7),
    "within 840 with folders kept": (folders_kept, 4),
    "1250 wide, one left out, found and replaced": (found_and_replaced, 8),
}


@pytest.mark.parametrize("job", JOBS)
def test_a_plain_job_takes_few_actions(job: str, page: Page, photos: Path) -> None:
    does, most = JOBS[job]
    hand = Hand(page, photos)
    try:
        does(hand)
        assert hand.actions <= most <= MOST
    finally:
        # The next shoot would begin as this one was left.
        page.goto(page.url.replace("/whole", "/delete"))
        page.get_by_role("main").get_by_role("button", name="Delete").click()
        page.wait_for_url(re.compile(r"/$"))


def test_an_answer_that_comes_late_draws_nothing_old(page: Page, photos: Path) -> None:
    posts: list[Route] = []
    pages: list[Route] = []
    late: list[APIResponse] = []

    def files(route: Route) -> None:
        posts.append(route)
        if len(posts) == 1:
            route.continue_()

    def whole(route: Route) -> None:
        if route.request.resource_type != "fetch":
            return route.continue_()
        pages.append(route)
        if len(pages) != 2:
            return route.continue_()
        # What the page asks for when the first file is in: answered now, and delivered after all else.
        late.append(route.fetch())
        return posts[1].continue_()

    page.route("**/files", files)
    page.route("**/whole", whole)
    page.goto("/")
    drop(page, [photos / "a.jpg", photos / "b.jpg"], "form:has(#begin-1)")
    page.wait_for_url("**/whole")
    rows = page.locator("#photo-list tbody tr")
    expect(rows).to_have_count(2)
    page.evaluate("window.told = 0; document.addEventListener('refreshed', () => (window.told += 1))")
    pages[1].fulfill(response=late[0])
    page.wait_for_function("() => window.told")
    expect(rows).to_have_count(2)
