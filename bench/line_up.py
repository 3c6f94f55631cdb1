"""How a row of hundreds of items feels: laying it out again after a change of rule, and dragging in a browser.

    .venv/bin/python bench/line_up.py [--items 500]

The demo's items (by their exact mattes) stand in for all, each a little larger or smaller, so that nothing is known
from before. Times of the server are the median of nine changes, over HTTP and in the process; pictures per second are
those that Chromium drew while an item was dragged to and fro for three seconds.
"""

import argparse
import json
import random
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np
from playwright.sync_api import Page, sync_playwright
from sqlalchemy import insert

from zero_easel.core.finishing.encode import encode_webp
from zero_easel.core.items.measure import Measures, measures_of
from zero_easel.core.light.geometry import Box, Size
from zero_easel.core.placing.layout import lay_out
from zero_easel.core.standard.model import Scope
from zero_easel.library.changes.placing import change_rule
from zero_easel.library.lists.lineup import row_of
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.models import CutoutRow, Original, PhotoRow, Shoot
from zero_easel.library.store.vault import cutout_key
from zero_easel.settings import Settings
from zero_easel.workbench import Workbench, build_workbench

HERE = Path(__file__).parent.parent
TRUTH, DEMO = HERE / "tests/truth", HERE / "src/zero_easel/demo"
PORT = 8655
RULES = [("item.scale", "true-size"), ("item.share", "80"), ("item.across", "axis")] * 3
_FRAMES = """async seconds => {
    const began = performance.now(); let last = began, longest = 0, count = 0;
    while (last - began < seconds * 1000) {
        const now = await new Promise(requestAnimationFrame);
        longest = Math.max(longest, now - last); last = now; count += 1;
    }
    return [1000 * count / (last - began), longest];
}"""


def main() -> None:
    """Print the figures."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--items", type=int, default=500)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        bench = build_workbench(Settings(data=Path(folder), jobs=1))
        bench.vault.prepare()
        bench.database.migrate()
        fill(bench, args.items)
        layout = [again(bench, field, value) for field, value in RULES]
        bench.database.close()
        print(f"{args.items} items")
        print(f"{'laid out again in the process':40} {statistics.median(layout):7.0f} ms")
        command = str(Path(sys.executable).with_name("zero-easel"))
        server = subprocess.Popen(
            [command, "serve", "--data", folder, "--port", str(PORT)], stdout=subprocess.PIPE, text=True
        )
        assert server.stdout is not None
        server.stdout.readline()
        try:
            browse()
        finally:
            server.terminate()
            server.wait(30)


def fill(bench: Workbench, count: int) -> None:
    """A library with one shoot, all of whose photos are cleared."""
    chance = random.Random(0)
    mattes = sorted(TRUTH.glob("*.alpha.png"))
    kinds = [(*_measured(path), path) for path in mattes]
    known = [json.loads(path.with_name(path.name.replace(".alpha.png", ".json")).read_text()) for path in mattes]
    originals, cutouts, photos = [], [], []
    for n in range(count):
        measures, alpha, _ = kinds[n % len(kinds)]
        digest = f"{n + 1:064x}"
        key = cutout_key(digest)
        h, w = alpha.shape
        box = measures.bounds
        originals.append(
            {
                "digest": digest,
                "bytes": 1_000_000,
                "format": "JPEG",
                "width": w,
                "height": h,
                "bits": 8,
                "read": True,
                "codes": (),
            }
        )
        factor = chance.uniform(0.9, 1.1)
        cutouts.append(
            {
                "key": key,
                "confidence": 0.99,
                "flags": (),
                "left": int(box.left),
                "top": int(box.top),
                "width": int(box.width),
                "height": int(box.height),
                "bounds": box,
                "seconds": 1.0,
                "measures": _larger(measures, factor),
            }
        )
        facts = known[n % len(known)]
        photos.append(
            {
                "shoot_id": 1,
                "digest": digest,
                "name": f"P{n:04}.JPG",
                "clearing": "done",
                "cutout_key": key,
                "code": facts["code"],
                "by_hand": True,
                "view": facts["view"],
            }
        )
        _files(bench, key, alpha, box)
    with bench.database.session() as session:
        import_catalog(session, (DEMO / "products.csv").read_bytes(), "products.csv")
        create_shoot(session, "Everything")
        session.flush()
        for table, rows in ((Original, originals), (CutoutRow, cutouts), (PhotoRow, photos)):
            session.execute(insert(table), rows)


def _measured(path: Path) -> tuple[Measures, np.ndarray]:
    alpha = np.asarray(cv2.imread(str(path), cv2.IMREAD_GRAYSCALE))
    measures = measures_of(alpha, 0, 0, Size.of(alpha))
    assert measures is not None
    return measures, alpha


def _larger(measures: Measures, factor: float) -> Measures:
    """The same item, as if it were a little larger."""
    hull = measures.hull * factor
    return measures._replace(
        hull=hull, area=measures.area * factor**2, bounds=Box(*(side * factor for side in measures.bounds))
    )


def _files(bench: Workbench, key: str, alpha: np.ndarray, box: Box) -> None:
    """The previews that pages show; the cutout itself is only there."""
    path = bench.vault.cutout(key).path()
    path.parent.mkdir(parents=True, exist_ok=True)
    path.touch()
    small = bench.vault.preview(key, "small").path()
    kept = bench.vault.local / f"sample-{alpha.shape}-{box.left}-{box.top}.webp"
    if not kept.exists():
        part = alpha[int(box.top) : int(box.bottom), int(box.left) : int(box.right)]
        part = cv2.resize(part, None, fx=480 / max(part.shape), fy=480 / max(part.shape), interpolation=cv2.INTER_AREA)
        kept.write_bytes(encode_webp(np.dstack([part, part // 2, 255 - part, part])))
    shutil.copy(kept, small)
    shutil.copy(kept, bench.vault.preview(key, "large").path())


def again(bench: Workbench, field: str, value: str) -> float:
    """Change a rule and lay the row out, as the server does, in milliseconds."""
    with bench.database.session() as session:
        shoot = session.get_one(Shoot, 1)
        started = time.perf_counter()
        change_rule(session, shoot, field, value, Scope())
        lay_out([one.subject for one in row_of(session, shoot.id)], shoot.standard.rules)
        return 1000 * (time.perf_counter() - started)


def browse() -> None:
    """Change rules and drag an item in Chromium."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path="/usr/bin/chromium", args=["--no-sandbox", "--disable-gpu"]
        )
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"http://127.0.0.1:{PORT}/shoots/1/place")
        page.wait_for_function("() => document.body.dataset.lineUp === 'ready'")
        times = [changed(page, value) for value in ("70", "75", "80", "85", "72", "77", "82", "87", "74")]
        print(f"{'rule changed, answer of the server':40} {statistics.median(t[0] for t in times):7.0f} ms")
        print(f"{'rule changed, until the row is drawn':40} {statistics.median(t[1] for t in times):7.0f} ms")
        idle = page.evaluate(_FRAMES, 2)
        rate, longest = dragged(page)
        print(f"{'pictures per second at rest':40} {idle[0]:7.0f}")
        print(f"{'pictures per second while dragging':40} {rate:7.0f}   (longest wait {longest:.0f} ms)")
        rate, longest = scrolled(page)
        print(f"{'pictures per second while scrolling':40} {rate:7.0f}   (longest wait {longest:.0f} ms)")
        browser.close()


def changed(page: Page, value: str) -> tuple[float, float]:
    """Milliseconds from a change of the share to the answer, and to the row as it is drawn."""
    return tuple(
        page.evaluate(
            """async value => {
        const input = document.querySelector("#rule-item-share");
        const seen = new Promise(done => new PerformanceObserver((list, watch) => {
            const entry = list.getEntries().find(e => e.name.includes("/place/rule"));
            if (entry) { watch.disconnect(); done(entry.responseEnd - entry.startTime); }
        }).observe({ type: "resource" }));
        const line = document.querySelector("#rules-message");
        line.textContent = "";
        await new Promise(requestAnimationFrame);
        const drawn = new Promise(done => new MutationObserver((_, watch) => { watch.disconnect(); done(); })
            .observe(line, { childList: true }));
        input.value = value;
        input.dispatchEvent(new Event("change", { bubbles: true }));
        const start = performance.now();
        await drawn;
        await new Promise(requestAnimationFrame);
        return [await seen, performance.now() - start];
    }""",
            value,
        )
    )


def dragged(page: Page) -> tuple[float, float]:
    """Drag the third item to and fro."""
    box = page.locator(".one .hit").nth(2).bounding_box()
    assert box is not None
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.mouse.move(x, y)
    page.mouse.down()
    page.evaluate(f"() => {{ window.measured = ({_FRAMES})(3); }}")
    end = time.monotonic() + 3
    step = 0
    while time.monotonic() < end:
        step += 1
        page.mouse.move(x + 60 * np.sin(step / 9), y - 30 + 30 * np.cos(step / 9))
    found = page.evaluate("() => window.measured")
    page.mouse.up()
    return found[0], found[1]


def scrolled(page: Page) -> tuple[float, float]:
    """Scroll along the row."""
    found = page.evaluate("""async () => {
        const scroller = document.querySelector("#line-up-scroll");
        const began = performance.now(); let last = began, longest = 0, count = 0;
        while (last - began < 3000) {
            scroller.scrollLeft += 40;
            const now = await new Promise(requestAnimationFrame);
            longest = Math.max(longest, now - last); last = now; count += 1;
        }
        return [1000 * count / (last - began), longest];
    }""")
    return found[0], found[1]


if __name__ == "__main__":
    main()
