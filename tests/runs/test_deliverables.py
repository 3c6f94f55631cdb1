"""Twelve deliverables of a shoot in one run, read back by programs of others."""

import csv
import json
import shutil
import subprocess
import zipfile
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import numpy as np
import pytest
from PIL import Image
from support import CATALOG, PHOTOS, zero_easel

PRODUCT = {"ProductInImageName": "Porcelain bowl 15 cm", "ProductInImageGTIN": "02902000446339"}
STANDARD = """
canvas: {width: 600, height: 600}
item: {shadow: natural}
deliverables:
  - {name: shop, limit: 30, overlays: [badge]}
  - {name: zoom, size: longest, number: 900, progressive: true, folder: "{deliverable}"}
  - {name: thumb, size: longest, number: 120, format: webp, quality: 80, folder: "{deliverable}"}
  - {name: thumb2, size: multiple, base: thumb, number: 2, format: webp, ground: transparent, folder: "{deliverable}"}
  - {name: icon, size: exact, width: 48, height: 48, format: png, ground: transparent, folder: "{deliverable}"}
  - {name: banner, size: exact, width: 800, height: 250, ground: "vertical #FFFFFF #DDDDDD", views: front,
     folder: "{deliverable}"}
  - {name: print, size: exact, width: 709, height: 709, density: 300, format: tiff, depth: "16", ground: transparent,
     folder: "{deliverable}"}
  - {name: modern, format: avif, quality: 60, ground: transparent, folder: "{deliverable}"}
  - {name: jp2, format: jpeg2000, quality: 70, density: 150, folder: "{deliverable}"}
  - {name: half, format: jpeg2000, lossless: true, size: percent, number: 50, folder: "{deliverable}"}
  - {name: parts, format: openraster, folder: "{deliverable}"}
  - {name: outline, format: svg, folder: "{deliverable}"}
information: {title: "{name}, {view}", creator: Brindle Yard, copyright: "© 2026 Brindle Yard",
  licence: "https://brindle-yard.example/licence", keywords: "{category}, {colour}"}
overlays:
  - {name: badge, text: "−{discount} %", when: discount > 10, plate: disc, plate_colour: "#A8321E", colour: "#FFFFFF"}
checks: [{rule: bytes, value: at most 30, only: shop}, {rule: visible}]
"""
SIZES = {
    "shop": (600, 600), "zoom": (900, 900), "thumb": (120, 120), "thumb2": (240, 240), "icon": (48, 48),
    "banner": (800, 250), "print": (709, 709), "modern": (600, 600), "jp2": (600, 600), "half": (300, 300),
}  # fmt: skip
ALPHA = {"thumb2", "icon", "print", "modern"}


@pytest.fixture(scope="module")
def out(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """What a run over two photos made."""
    root = tmp_path_factory.mktemp("twelve")
    (root / "photos").mkdir()
    shots = "filename,code,view\n"
    for photo, code, view in (("BRYD0108", "BY-2101", "front"), ("BRYD0111", "BY-2102", "back")):
        shutil.copy(PHOTOS / f"{photo}.JPG", root / "photos")
        shots += f"{photo}.JPG,{code},{view}\n"
    (root / "shots.csv").write_text(shots)
    (root / "all.yaml").write_text(STANDARD)
    done = zero_easel("run", root / "photos", "--out", root / "out", "--catalog", CATALOG, "--shotlist",
                      root / "shots.csv", "--standard", root / "all.yaml")  # fmt: skip
    assert done.returncode == 0, done.stderr
    return root / "out"


@pytest.fixture(scope="module")
def files(out: Path) -> dict[str, Path]:
    """The bowl's files by deliverable."""
    with (out / "manifest.csv").open(newline="", encoding="utf-8") as table:
        return {r["deliverable"]: out / r["output"] for r in csv.DictReader(table) if r["code"] == "BY-2101"}


def exiftool(*paths: Path) -> list[dict[str, Any]]:
    run = subprocess.run(
        ["exiftool", "-j", "-G1", "-n", *map(str, paths)], capture_output=True, text=True, check=True, timeout=60
    )
    return json.loads(run.stdout)  # type: ignore[no-any-return]


def test_every_deliverable_is_there_once(out: Path, files: dict[str, Path]) -> None:
    assert len(files) == 12 and all(path.is_file() for path in files.values())
    # The jug shows its back: the banner is for fronts only.
    jug = [path for path in out.rglob("BY-2102_back.*")]
    assert len(jug) == 11 and not (out / "banner/BY-2102_back.jpg").exists()


def test_sizes_alpha_and_pixels_by_pillow(files: dict[str, Path]) -> None:
    for name, size in SIZES.items():
        if name == "print":
            continue  # Pillow reads no colour of 16 bits
        with Image.open(files[name]) as picture:
            picture.load()
            assert picture.size == size, name
            has_alpha = picture.mode in ("RGBA", "LA")
            assert has_alpha == (name in ALPHA), name
            pixels = np.asarray(picture.convert("RGBA"))
        corner = pixels[2, 2]
        assert corner[3] == (0 if has_alpha else 255)
        if not has_alpha:
            assert corner[:3].min() >= 250, (name, corner)
        # The bowl is there in all of them, at the same share of its canvas.
        grey = pixels[..., :3].min(2) if not has_alpha else 255 - pixels[..., 3]
        assert (grey < 240).any()
    with Image.open(files["zoom"]) as picture:
        assert picture.info.get("progressive") or picture.info.get("progression")


def test_sixteen_bits_by_libtiff(files: dict[str, Path]) -> None:
    said = subprocess.run(["tiffinfo", str(files["print"])], capture_output=True, text=True, check=True).stdout
    for words in ("Image Width: 709 Image Length: 709", "Bits/Sample: 16", "Resolution: 300, 300 pixels/inch",
                  "Extra Samples: 1<unassoc-alpha>", "AdobeDeflate", "ICC Profile: <present>"):  # fmt: skip
        assert words in said, said


def test_information_profile_and_density_by_exiftool(files: dict[str, Path]) -> None:
    names = [name for name in files if name in SIZES]
    for name, tags in zip(names, exiftool(*(files[name] for name in names)), strict=True):
        for key, value in PRODUCT.items():
            assert str(tags[f"XMP-iptcExt:{key}"]).zfill(len(value)) == value, name
        assert tags["XMP-iptcExt:ProductInImageProductId"] == "BY-2101"
        assert tags["XMP-dc:Title"] == "Porcelain bowl 15 cm, front"
        assert tags["XMP-dc:Rights"] == "© 2026 Brindle Yard" and tags["XMP-dc:Subject"] == ["kitchen", "white"]
        assert tags["XMP-xmpRights:WebStatement"] == "https://brindle-yard.example/licence"
        density = {"print": 300, "jp2": 150}.get(name, 72)
        assert tags["IFD0:XResolution"] == pytest.approx(density), name
        if name in ("jp2", "half"):
            assert tags["Jpeg2000:ColorSpace"] == 16  # sRGB, by its number
        else:
            assert tags["ICC_Profile:ProfileDescription"] == "sRGB", name
    for tags in exiftool(files["shop"], files["print"]):
        assert tags["IPTC:ObjectName"] == "Porcelain bowl 15 cm, front"
        assert tags["IPTC:Keywords"] == ["kitchen", "white"] and tags["IPTC:By-line"] == "Brindle Yard"


def test_bytes_keep_their_limit_and_the_lists_tell_all(out: Path, files: dict[str, Path]) -> None:
    assert files["shop"].stat().st_size <= 30_000
    manifest = json.loads((out / "manifest.json").read_text())
    rows = {row["output"]: row for row in manifest["pictures"]}
    assert len(rows) == 23 and {row["checks"] for row in rows.values()} == {"passed"}
    shop = rows[files["shop"].name]
    # As good as the limit allows: one step more would not have fitted.
    assert 50 <= shop["quality"] <= 90 and shop["bytes"] > 24_000
    graph = json.loads((out / "images.jsonld").read_text())
    assert graph["@context"] == "https://schema.org"
    image = next(one for one in graph["@graph"] if one["contentUrl"] == files["thumb"].relative_to(out).as_posix())
    assert image["@type"] == "ImageObject" and image["encodingFormat"] == "image/webp" and image["width"] == 120
    assert image["about"] == {
        "@type": "Product", "sku": "BY-2101", "name": "Porcelain bowl 15 cm", "gtin": "02902000446339"
    }  # fmt: skip
    assert image["license"] == "https://brindle-yard.example/licence"


def test_the_badge_is_where_it_was_asked_for(files: dict[str, Path]) -> None:
    def red(name: str) -> float:
        pixels = np.asarray(Image.open(files[name]).convert("RGB")).astype(int)
        size = pixels.shape[0]
        part = pixels[: size // 4, -size // 4 :]
        return float((part[..., 0] - part[..., 1] > 80).mean())

    assert red("shop") > 0.05 and red("zoom") == 0


def test_layers_and_outline_by_the_standards_they_follow(files: dict[str, Path]) -> None:
    with zipfile.ZipFile(files["parts"]) as archive:
        first = archive.infolist()[0]
        assert first.filename == "mimetype" and first.compress_type == zipfile.ZIP_STORED
        assert archive.read("mimetype") == b"image/openraster"
        stack = ElementTree.fromstring(archive.read("stack.xml"))
        layers = [layer.get("name") for layer in stack.iter("layer")]
        assert layers == ["item", "shadow", "ground"] and (stack.get("w"), stack.get("h")) == ("600", "600")
        pictures = [Image.open(archive.open(str(layer.get("src")))).convert("RGBA") for layer in stack.iter("layer")]
        merged = np.asarray(Image.open(archive.open("mergedimage.png")).convert("RGB")).astype(int)
    item = np.asarray(pictures[0])
    inside = item[..., 3] == 255
    assert inside.mean() > 0.1 and np.abs(merged[inside] - item[inside][:, :3]).max() <= 1

    svg = ElementTree.fromstring(files["outline"].read_bytes())
    assert svg.get("viewBox") == "0 0 600 600" and svg.get("width") == f"{600 / 72:.4f}in"
    path = next(svg.iter("{http://www.w3.org/2000/svg}path"))
    points = np.array(
        [float(v) for v in str(path.get("d")).replace("M", " ").replace("L", " ").replace("Z", " ").split()]
    ).reshape(-1, 2)
    columns = np.flatnonzero((item[..., 3] >= 128).any(0))
    assert points[:, 0].min() == pytest.approx(columns[0], abs=1) and points[:, 0].max() == pytest.approx(
        columns[-1] + 1, abs=1
    )


def test_what_fails_is_held_back_and_told(tmp_path: Path) -> None:
    (tmp_path / "photos").mkdir()
    shutil.copy(PHOTOS / "BRYD0108.JPG", tmp_path / "photos/BY-2101_front.jpg")
    (tmp_path / "s.yaml").write_text(
        "deliverables: [{name: a}, {name: b, size: longest, number: 300, folder: b}]\nhand_over: passed\n"
        "checks: [{rule: longest, value: at least 1000}]\n"
    )
    done = zero_easel("run", tmp_path / "photos", "--out", tmp_path / "out", "--catalog", CATALOG, "--standard",
                      tmp_path / "s.yaml")  # fmt: skip
    assert done.returncode == 1 and "1 picture in" in done.stdout and "1 held back" in done.stdout
    assert "longest at least 1000: 300 px" in done.stderr
    assert not list((tmp_path / "out/b").iterdir()) and (tmp_path / "out/BY-2101_front.jpg").is_file()
    with (tmp_path / "out/manifest.csv").open(newline="", encoding="utf-8") as table:
        assert [row["status"] for row in csv.DictReader(table)] == ["done", "held back"]
