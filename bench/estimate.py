"""How near the estimate of bytes comes to what a run then makes, and how long it takes.

    .venv/bin/python bench/estimate.py [--photos 100] [--megapixels 2]

The demo's photos and changed versions of them, no two alike, are brought into a library and cleared. Then all
deliverables of a standard are estimated, with nothing known from before, and really made.
"""

import argparse
import tempfile
import time
from pathlib import Path

import cv2
import numpy as np
from sqlalchemy import func, select
from variations import variations

from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.editing import added
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.sizes import SETS
from zero_easel.library.changes.standards import add_standard
from zero_easel.library.shoots import bring_in, create_shoot
from zero_easel.library.store.models import PhotoRow, PictureRow, Run, Shoot
from zero_easel.runs.estimate import Estimator
from zero_easel.runs.service import progress_of, start_run
from zero_easel.settings import Settings
from zero_easel.workbench import Workbench, build_workbench

DEMO = Path(__file__).parent.parent / "src/zero_easel/demo/photos"
TRUTH = Path(__file__).parent.parent / "tests/truth"
FEW = (Deliverable(name="shop"), Deliverable(name="limited", max_kb=60, folder="limited"))


def standards() -> dict[str, Standard]:
    """One deliverable; two; and all that are ready-made but those that every photo weighs alike."""
    many = Standard(name="twelve")
    for key in ("shop", "zoom", "thumbnail", "icons", "banner", "handover"):
        many = added(many, "deliverables", *(d.model_copy(update={"views": ""}) for d in SETS[key][1]))
    return {"one": Standard(name="one"), "two": Standard(name="two", deliverables=FEW), "twelve": many}


def main() -> None:
    """Print the table."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--photos", type=int, default=100)
    parser.add_argument("--megapixels", type=float, default=2)
    args = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        bench = build_workbench(Settings(data=Path(folder), jobs=2))
        bench.open()
        try:
            prepare(bench, args.photos, args.megapixels)
            print("| standard | deliverable | estimated, kB | made, kB | off | between, kB | weighed | seconds |")
            print("| --- | --- | ---: | ---: | ---: | ---: | ---: | ---: |")
            for name, standard in standards().items():
                measure(bench, name, standard)
        finally:
            bench.close()


def prepare(bench: Workbench, count: int, megapixels: float) -> None:
    """Bring so many photos in and wait until they are cleared."""
    with bench.database.session() as session:
        shoot = create_shoot(session, "Estimate")
        for at, (name, data) in enumerate(photos(megapixels)):
            if at == count:
                break
            bring_in(session, bench.vault, shoot, data, name)
    bench.dispatcher.wake()
    while True:
        with bench.database.session() as session:
            open_ = session.scalar(select(func.count()).select_from(PhotoRow).where(PhotoRow.clearing == "waiting"))
        if not open_:
            return
        time.sleep(1)


def photos(megapixels: float):
    """Name and bytes of one photo after the other: first the demo's own, then one change of each, then the next."""
    sources = sorted(path for path in DEMO.glob("*.JPG") if (TRUTH / f"{path.stem}.alpha.png").exists())
    pairs = [
        (path.stem, cv2.imread(str(path)), cv2.imread(str(TRUTH / f"{path.stem}.alpha.png"), 0)) for path in sources
    ]
    for stem, picture, _ in pairs:
        yield f"{stem}.JPG", packed(picture, megapixels)
    changed = [list(variations(picture[..., ::-1], truth, at)) for at, (_, picture, truth) in enumerate(pairs)]
    for change in range(len(changed[0])):
        for (stem, _, _), of_one in zip(pairs, changed, strict=True):
            name, picture, _ = of_one[change]
            yield f"{stem}-{name}.JPG", packed(np.ascontiguousarray(picture[..., ::-1]), megapixels)


def packed(picture: np.ndarray, megapixels: float) -> bytes:
    """JPEG at a size."""
    scale = (megapixels * 1e6 / (picture.shape[0] * picture.shape[1])) ** 0.5
    sized = cv2.resize(picture, None, fx=scale, fy=scale, interpolation=cv2.INTER_CUBIC)
    return cv2.imencode(".jpg", sized, [cv2.IMWRITE_JPEG_QUALITY, 92])[1].tobytes()


def measure(bench: Workbench, name: str, standard: Standard) -> None:
    """Estimate, make, compare."""
    with bench.database.session() as session:
        shoot = session.scalars(select(Shoot)).one()
        shoot.standard = add_standard(session, standard)
        session.flush()
        # What an earlier run made would be known exactly.
        for row in session.scalars(select(PictureRow)):
            row.key = ""
        session.flush()
        began = time.perf_counter()
        estimates = Estimator().estimate(session, bench.vault, shoot)
        seconds = time.perf_counter() - began
        run_id = start_run(session, bench.vault, shoot).id
    bench.dispatcher.wake()
    while True:
        with bench.database.session() as session:
            run = session.get_one(Run, run_id)
            if not progress_of(session, run).running:
                made = dict(
                    session.execute(
                        select(PictureRow.deliverable, func.sum(PictureRow.bytes))
                        .where(PictureRow.run_id == run_id, PictureRow.state == "done")
                        .group_by(PictureRow.deliverable)
                    ).all()
                )
                break
        time.sleep(0.5)
    for one in estimates:
        truth = made[one.deliverable]
        print(
            f"| {name} | {one.deliverable} | {one.total / 1e3:.0f} | {truth / 1e3:.0f} | {one.total / truth - 1:+.1%} "
            f"| {one.low / 1e3:.0f} to {one.high / 1e3:.0f} | {one.known} of {one.count} | {seconds:.2f} |"
        )
    total, truth = sum(one.total for one in estimates), sum(made.values())
    print(
        f"| {name} | all | {total / 1e3:.0f} | {truth / 1e3:.0f} | {total / truth - 1:+.1%} | | | {seconds:.2f} |",
        flush=True,
    )


if __name__ == "__main__":
    main()
