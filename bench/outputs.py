"""Digests of all that the demo makes: what a change that should alter no output is held against.

    python bench/outputs.py            # prints a line for each file, and one digest over all of them

Two runs by the installed command: the demo shop as the application loads it, and a folder run with a standard that asks
for every format, scale rule and kind of ground.
"""

import argparse
import hashlib
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

COMMAND = str(Path(sys.executable).with_name("zero-easel"))
DEMO = Path(__file__).parent.parent / "src/zero_easel/demo"
STANDARD = """\
name: Everything
item: {scale: true-size, shadow: natural}
exceptions:
  - {category: kitchen, view: '', item: {scale: even-weight, shadow: drawn}}
  - {category: garden, view: '', item: {scale: as-shot, place: centre, across: centroid}}
  - {category: '', view: back, item: {backdrop: kept, fit: cover}}
deliverables:
  - {name: shop, overlays: [badge, sign]}
  - {name: png, format: png, size: longest, number: 500, ground: transparent, folder: png}
  - {name: webp, format: webp, size: percent, number: 40, ground: 'vertical #FFFFFF #DDDDDD', folder: webp}
  - {name: avif, format: avif, size: longest, number: 400, ground: 'radial #FFFFFF #DDDDDD', folder: avif}
  - {name: tiff, format: tiff, depth: '16', size: longest, number: 400, folder: tiff}
  - {name: jp2, format: jpeg2000, size: longest, number: 400, folder: jp2}
  - {name: wide, size: exact, width: 1600, height: 500, density: 300, folder: wide}
  - {name: parts, format: openraster, size: longest, number: 300, views: front, folder: parts}
  - {name: outline, format: svg, size: longest, number: 300, views: front, folder: outline}
overlays:
  - {name: badge, text: New, plate: disc, plate_colour: '#A8321E', colour: '#FFFFFF'}
  - {name: sign, text: Brindle Yard, at: bottom right, size: 4, opacity: 60, turn: 12}
information: {creator: Brindle Yard, keywords: '{category}, {colour}', camera: keep}
checks: [{rule: visible}, {rule: share, value: at least 40}, {rule: profile, value: sRGB}]
"""


def main() -> None:
    """Make everything, and print what it is."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--keep", type=Path, help="folder to keep the outputs in")
    keep = parser.parse_args().keep
    with tempfile.TemporaryDirectory() as made:
        folder = keep or Path(made)
        _as_application(folder / "application")
        _as_folder(folder)
        lines = [*_digests(folder / "application/runs"), *_digests(folder / "folder")]
    print("\n".join(lines))
    print(hashlib.sha256("\n".join(lines).encode()).hexdigest(), len(lines), "files")


def _as_application(data: Path) -> None:
    """The demo runs its second shoot before it says where it is served."""
    command = [COMMAND, "demo", "--data", str(data), "--port", "8790"]
    served = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    assert served.stdout is not None
    served.stdout.readline()
    served.send_signal(signal.SIGINT)
    served.wait(120)


def _as_folder(folder: Path) -> None:
    standard = folder / "everything.yaml"
    standard.write_text(STANDARD)
    catalog = ["--catalog", str(DEMO / "products.csv")]
    subprocess.run(
        [COMMAND, "run", str(DEMO / "photos"), "--out", str(folder / "folder"), *catalog, "--standard", str(standard)],
        check=False,
        stdout=subprocess.DEVNULL,
        stderr=subprocess.DEVNULL,
    )


def _digests(folder: Path) -> list[str]:
    files = sorted(path for path in folder.rglob("*") if path.is_file())
    return [f"{hashlib.sha256(path.read_bytes()).hexdigest()}  {path.relative_to(folder.parent)}" for path in files]


if __name__ == "__main__":
    main()
