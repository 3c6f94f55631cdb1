"""From the shutter to the cleared photo on the live page, with nothing else running.

    .venv/bin/python bench/live.py [--megapixels 24] [--shots 5]

An application of its own, a folder that it watches, and a browser on its live page. A photo of the demo, enlarged, is
written into the folder in one piece; the clock runs from the end of that until the page shows the photo cleared and at
its place, its picture loaded. Each shot is another file. What is first is told apart: a worker starts with it.
"""

import argparse
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import httpx
from playwright.sync_api import Page, sync_playwright
from speed import enlarged

STEM = "BRYD0117"
ZERO_EASEL = str(Path(sys.executable).with_name("zero-easel"))


def shot(folder: Path, number: int, photo: bytes, page: Page) -> float:
    """Seconds until a photo that has been written is seen cleared."""
    name = f"LIVE{number:04}.JPG"
    # A JPEG may hold any comment behind its first marker: each file is another.
    data = photo[:2] + b"\xff\xfe\x00\x06" + number.to_bytes(4, "big") + photo[2:]
    (folder / name).write_bytes(data)
    started = time.perf_counter()
    page.wait_for_function(
        """(name) => {
          const picture = document.querySelector(`.live-large svg[aria-label="${name}"] image`);
          if (!picture) return false;
          return performance.getEntriesByName(String(new URL(picture.href.baseVal, location))).length > 0;
        }""",
        arg=name,
        timeout=120_000,
        polling=20,
    )
    return time.perf_counter() - started


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--megapixels", type=float, default=24)
    parser.add_argument("--shots", type=int, default=5)
    args = parser.parse_args()
    photo = enlarged(STEM, args.megapixels)
    with tempfile.TemporaryDirectory(prefix="live-") as place, sync_playwright() as playwright:
        data = Path(place, "data")
        command = [ZERO_EASEL, "serve", "--data", str(data), "--port", "8740"]
        server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
        try:
            assert server.stdout is not None
            address = server.stdout.readline().split()[4]
            with httpx.Client(base_url=address, timeout=60, follow_redirects=True) as client:
                client.post("/shoots", data={"name": "Live"})
                folder = data / "in" / "Live"
                client.post("/shoots/1/live/folder", data={"path": str(folder)}).raise_for_status()
            browser = playwright.chromium.launch(
                executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
            )
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(f"{address}/shoots/1/live")
            took = []
            for number in range(args.shots + 1):
                time.sleep(2)
                took.append(shot(folder, number, photo, page))
            browser.close()
        finally:
            server.terminate()
            server.wait(60)
    rest = sorted(took[1:])
    print(
        f"{args.megapixels:g} megapixels, {len(photo) / 1e6:.1f} MB: the first {took[0]:.2f} s, then "
        f"{statistics.median(rest):.2f} s at the median, {rest[-1]:.2f} s at most of {len(rest)}"
    )


if __name__ == "__main__":
    main()
