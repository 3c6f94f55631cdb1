"""Takes the pictures of the main views in docs/screenshots/ from a running demo.

python scripts/screenshots.py [--address http://127.0.0.1:8470] [--out docs/screenshots] [NAME...]
"""

import argparse
import tempfile
import threading
from io import BytesIO
from pathlib import Path

from PIL import Image
from playwright.sync_api import Page, sync_playwright

from zero_easel.standins.shop import Shop, ShopServer

CHROMIUM = "/usr/bin/chromium-headless-shell"


def pages(page: Page, address: str) -> dict[str, str]:
    """Address of each view, found by following the demo's own links."""
    page.goto(address)
    shelf = page.get_by_role("link", name="Autumn shelf").first.get_attribute("href") or ""
    finished = page.get_by_role("link", name="Garden and pantry").first.get_attribute("href") or ""
    page.goto(f"{address}{finished}/deliver")
    picture = page.locator(".finished a").first.get_attribute("href") or ""
    page.goto(f"{address}{shelf}/clear")
    page.locator(".look .stand-link").first.wait_for(timeout=120_000)
    doubtful = page.locator(".look .stand-link").first.get_attribute("href") or ""
    return {
        "whole": "/",
        "shoots": "/",
        "bring-in": f"{shelf}/bring-in",
        "match": f"{shelf}/match",
        "clear": f"{shelf}/clear",
        "touch-up": doubtful,
        "light": f"{shelf}/light",
        "place": f"{shelf}/place?view=front",
        "names": f"{shelf}/names",
        "deliver": f"{shelf}/deliver",
        "finished": "/runs/1?deliverable=shop",
        "compare": picture,
        "standard": "/standards/2?on=shop",
        "beside": "/standards/2",
        "runs": "/runs",
        "tidy-up": "/tidy-up",
        "live": "/",
        "hand-over": f"{finished}/hand-over",
        "outside": f"{finished}/approval",
    }


def approved(page: Page) -> None:
    """A link to approve as a telephone shows it, where somebody is about to say no."""
    page.get_by_label("A link for").fill("The owner's telephone")
    page.get_by_role("button", name="Make a link").click()
    link = page.locator(".once-text").inner_text()
    page.set_viewport_size({"width": 360, "height": 800})
    page.goto(link)
    for _ in range(2):
        page.get_by_role("button", name="Yes", exact=True).click()
        page.wait_for_load_state("load")
    page.wait_for_timeout(500)
    box = page.locator(".approve-frame img").bounding_box()
    assert box
    page.mouse.click(box["x"] + 0.78 * box["width"], box["y"] + 0.66 * box["height"])
    page.get_by_label("its outline").check()
    page.get_by_label("In your words").fill("The hole in the handle is grey")
    page.evaluate("window.scrollTo(0, 0)")
    page.wait_for_timeout(300)


def seen_outside(page: Page, shop: ShopServer) -> bytes:
    """What others see, side by side: the link to approve on a telephone, and the shop's page once it has got all."""
    telephone = page.screenshot()
    page.set_viewport_size({"width": 900, "height": 800})
    page.goto(shop.address)
    page.wait_for_timeout(1500)
    both = Image.new("RGB", (1280, 800), "#b9b9b5")
    both.paste(Image.open(BytesIO(telephone)), (0, 0))
    both.paste(Image.open(BytesIO(page.screenshot())), (380, 0))
    file = BytesIO()
    both.save(file, "PNG", optimize=True)
    return file.getvalue()


def main() -> None:
    """Take all views, or those named."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--address", default="http://127.0.0.1:8470")
    parser.add_argument("--out", type=Path, default=Path("docs/screenshots"))
    parser.add_argument("names", nargs="*")
    args = parser.parse_args()
    args.out.mkdir(parents=True, exist_ok=True)
    shop = ShopServer(Shop(Path(tempfile.mkdtemp()), calm=True))
    threading.Thread(target=shop.serve_forever, daemon=True).start()
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox", "--disable-gpu"])
        page = browser.new_page(viewport={"width": 1280, "height": 800}, base_url=args.address)
        page.on("console", lambda message: print("console:", message.text) if message.type == "error" else None)
        page.on("pageerror", lambda error: print("error:", error))
        views = pages(page, args.address)
        for name in args.names or views:
            page.goto(args.address + views[name])
            if name == "whole":
                whole_pictures(page)
            if name == "touch-up":  # until its tiles are on the canvas
                page.locator("#bench[data-shown]").wait_for(timeout=120_000)
            page.wait_for_timeout(4000 if name == "deliver" else 1500 if name in ("touch-up", "compare") else 700)
            if name == "hand-over":
                handed_over(page, shop)
            if name in READY:
                READY[name](page)
            if name == "beside":
                two_runs(page, args.address + views["outside"].replace("approval", "deliver"))
            taken = seen_outside(page, shop) if name == "outside" else page.screenshot()
            (args.out / f"{name}.png").write_bytes(taken)
            page.set_viewport_size({"width": 1280, "height": 800})
            for _ in range({"place": 1, "light": 2}.get(name, 0)):
                page.keyboard.press("u")
                page.wait_for_timeout(800)
            if name in ("whole", "live"):
                page.goto(page.url.partition("?")[0].replace(f"/{name}", "/delete"))
                page.get_by_role("main").get_by_role("button").click()
        browser.close()


def by_the_backdrop(page: Page) -> None:
    """White and exposure by the backdrop."""
    for label in ("What is white", "How photos are exposed"):
        page.get_by_label(label, exact=True).select_option("backdrop")
        page.wait_for_timeout(1500)
    page.evaluate("document.activeElement.blur()")


def shot_live(page: Page) -> None:
    """A shoot whose folder is watched, while the camera's stand-in shoots into it; it goes after the picture."""
    page.request.post("/shoots", form={"name": "Second table"})
    page.goto(page.url)
    page.goto((page.get_by_role("link", name="Second table").first.get_attribute("href") or "") + "/live")
    page.get_by_role("button", name="Watch this folder").click()
    page.locator("summary", has_text="Watching").click()
    page.get_by_label("How often it shoots").select_option("2")
    page.locator(".live-line li").nth(11).wait_for(timeout=120_000)
    page.locator("summary", has_text="Watching").click()
    page.get_by_role("button", name="Let go").click()
    page.wait_for_timeout(5000)
    page.locator("#live", has_text="Being cleared").wait_for(state="detached", timeout=120_000)
    page.locator("footer", has_text="Nothing running").wait_for(timeout=120_000)
    while not page.locator(".live-product").inner_text() or page.locator(".live-name", has_text="Code card").count():
        page.keyboard.press("ArrowLeft")  # to an item that has been cleared
        page.wait_for_load_state("load")
    page.set_viewport_size({"width": 1280, "height": 1000})  # with the camera's stand-in above
    page.locator("summary", has_text="Watching").click()
    page.wait_for_timeout(2000)


def handed_over(page: Page, shop: ShopServer) -> None:
    """The finished pictures at a shop that says yes or no."""
    page.get_by_label("Pictures are handed over to").select_option("shop")
    page.get_by_label("called", exact=True).fill("Brindle Yard’s shop")
    page.get_by_label("at", exact=True).fill(shop.address)
    page.get_by_role("button", name="Keep").click()
    page.get_by_role("button", name="Hand over what is finished").click()
    page.locator("#sendings h2", has_text="picture").wait_for()
    while "waiting" in page.locator("#sendings").inner_text():
        page.wait_for_timeout(300)
    page.wait_for_timeout(1500)


def whole_pictures(page: Page) -> None:
    """The page of whole pictures with two sizes and a run that is done; the shoot goes after the picture."""
    photos = sorted((Path(__file__).parent.parent / "src/zero_easel/demo/photos").glob("*.[jJ][pP][gG]"))
    wanted = [photo for photo in photos if photo.stem in ("BRYD0105", "BRYD0111", "BRYD0117", "BRYD0120", "BRYD0126")]
    page.locator("form:has(#begin-1) input[name=name]").fill("Market stall")
    page.locator("form:has(#begin-1) input[type=file]").first.set_input_files(wanted)
    page.wait_for_url("**/whole")
    page.locator("#photo-list tbody tr").nth(len(wanted) - 1).wait_for()
    page.get_by_label("Size of pictures in px").fill("900")
    page.keyboard.press("Enter")
    page.get_by_label("Make also").fill("1000x280 webp cover")
    with page.expect_navigation():
        page.keyboard.press("Enter")
    page.get_by_role("button", name="Run").click()
    page.locator("#run[data-state=done]").wait_for(timeout=120_000)
    page.wait_for_timeout(3000)


def at_true_size(page: Page) -> None:
    """The line-up of fronts at true size, its jug in hand; taken back after the picture."""
    page.get_by_label("Scale rule").select_option("true-size")
    page.wait_for_timeout(500)
    page.locator(".one[aria-label^='BY-2102']").click()
    page.wait_for_timeout(500)


def two_runs(page: Page, deliver: str) -> None:
    """A run with larger thumbnails beside the one before."""
    field = page.get_by_label("Size of thumbnail in px")
    field.fill("280")
    field.press("Enter")
    page.wait_for_timeout(1000)
    page.goto(deliver)
    page.get_by_role("button", name="Run again").click()
    page.locator("#run[data-state=done] a[href*=beside]").wait_for(timeout=120_000)
    page.locator("#run a[href*=beside]").click()
    page.wait_for_timeout(1000)


READY = {
    "place": at_true_size,
    "light": by_the_backdrop,
    "live": shot_live,
    "outside": approved,
}
"""What is done on a page before it is taken."""


if __name__ == "__main__":
    main()
