"""What an empty frame is worth: the same photos cut out with and without one.

    .venv/bin/python bench/empty_frames.py

bench/scenes holds rendered scenes that the network was not trained on (training/scenes.py), with their coverage in
truth/ and their empty frames. Of the demo's photos, the enamel mugs and the white bowl's front were taken before the
backdrop that tests/awkward/empty-backdrop.JPG shows.
"""

from multiprocessing import Pool
from pathlib import Path

import cv2
import numpy as np
from broad import known_photos, truth_of
from scoring import PHOTOS, ROOT, TRUTH, score

from zero_easel.core.clearing.cutout import cutout
from zero_easel.core.photos.decoding import read_photo

SCENES = ROOT / "bench/scenes"
EMPTY = ROOT / "tests/awkward/empty-backdrop.JPG"
ON_IT = ("BRYD0102", "BRYD0103", "BRYD0105", "BRYD0106", "BRYD0108")
Job = tuple[Path, Path, Path]


def main() -> None:
    """Print a row per photo, and the means."""
    jobs = [(PHOTOS / f"{stem}.JPG", EMPTY, TRUTH / f"{stem}.alpha.png") for stem in ON_IT]
    jobs += [(p, p.with_suffix(".empty.jpg"), truth_of(p)) for p in known_photos(SCENES)]
    with Pool() as pool:
        rows = pool.map(measure, jobs, 1)
    print("| photo | sad | sad with | iou | iou with | used |")
    print("| --- | ---: | ---: | ---: | ---: | --- |")
    for name, alone, helped, used in rows:
        said(name, [(alone, helped)], "yes" if used else "no")
    scenes = rows[len(ON_IT) :]
    kinds = [(kind, [row for row in scenes if row[0].startswith(kind)]) for kind in ("hard", "white", "sheet")]
    for label, part in [("mean, demo photos", rows[: len(ON_IT)]), *kinds, ("mean, all scenes", scenes)]:
        used_ones = [(alone, helped) for _, alone, helped, used in part if used]
        said(label, used_ones, f"{len(used_ones)} of {len(part)}")


def said(name: str, pairs: list[tuple[dict, dict]], used: str) -> None:
    """One row: means over pairs of scores without and with the empty frame."""
    cells = [f"{np.mean([pair[i][n] for pair in pairs]):.3f}" for n in ("sad", "iou") for i in (0, 1)]
    print(f"| {name} | {' | '.join(cells)} | {used} |")


def measure(job: Job) -> tuple[str, dict, dict, bool]:
    """Scores of one photo without and with its empty frame, and whether that was used."""
    cv2.setNumThreads(1)
    photo, empty, truth = read_photo(job[0]), read_photo(job[1]).pixels, cv2.imread(str(job[2]), cv2.IMREAD_GRAYSCALE)
    alone, helped = cutout(photo), cutout(photo, [empty])
    used = "empty-unused" not in [flag.code for flag in helped.flags]
    return job[0].stem, *(score(cut.whole()[..., 3], truth) for cut in (alone, helped)), used


if __name__ == "__main__":
    main()
