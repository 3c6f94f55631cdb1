"""What became of each photo, as lists that go with the pictures: CSV (RFC 4180), JSON, and JSON-LD for the shop's pages
(schema.org ImageObject)."""

import csv
import json
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path, PurePosixPath
from typing import Any, NamedTuple

from zero_easel.core.catalog.plan import Planned
from zero_easel.core.catalog.tables import write_table
from zero_easel.core.finishing.checking import Checked
from zero_easel.core.finishing.embed import metadata_of
from zero_easel.core.standard.deliverable import FORMATS
from zero_easel.core.standard.information import Information
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.naming import printable
from zero_easel.core.standard.patterns import Value
from zero_easel.engines.making import Made

NAME = "manifest.csv"
JSON_NAME = "manifest.json"
LD_NAME = "images.jsonld"
DONE, FAILED, LEFT_OUT, WAITING = "done", "failed", "left out", "waiting"
HELD = "held back"
"""Status of a picture that is made but fails a check, where the standard hands over only what passed."""
NAMES = (NAME, JSON_NAME, LD_NAME)
_MIME = {kind.suffix: kind.mime for kind in FORMATS.values()}


def is_finished(folder: Path) -> bool:
    """Whether a folder holds the pictures of a run, by the manifest in it."""
    try:
        with (folder / NAME).open(encoding="utf-8-sig", newline="") as file:
            return next(csv.reader(file), []) == list(ManifestRow._fields)
    except (OSError, UnicodeError, csv.Error):
        return False


class ManifestRow(NamedTuple):
    """One picture of a run, or a photo that gives none. status: done, held back, failed, left out, or waiting. Numbers
    are 0 where there is no picture. checks: "passed", or what is not met; "" where none were asked."""

    original: str
    code: str
    view: str
    output: str
    width: int
    height: int
    bytes: int
    sha256: str
    status: str
    message: str
    deliverable: str = ""
    quality: int = 0
    checks: str = ""


def manifest_row(picture: Planned, status: str, made: Made, rules: Standard) -> ManifestRow:
    """The row of one picture, or of a photo that gives none. status: done, failed, left out, or where it stands."""
    if status == DONE and not is_handed_over(made, rules):
        status = HELD
    if status == FAILED:
        return ManifestRow(
            picture.original, picture.code, picture.view, "", 0, 0, 0, "", FAILED, made.failure, picture.deliverable
        )
    message = "; ".join(text for text in (picture.note, made.message) if text)
    return ManifestRow(
        picture.original,
        picture.code,
        picture.view,
        picture.output if status == DONE else "",
        made.width,
        made.height,
        made.bytes,
        made.sha256,
        status,
        message,
        picture.deliverable,
        made.quality,
        checks_in_words(made.checks),
    )


def is_handed_over(made: Made, rules: Standard) -> bool:
    """Whether a finished picture leaves the house: always, or if it meets all checks and the standard asks for that."""
    return rules.hand_over == "all" or all(check.ok for check in made.checks)


def checks_in_words(checks: Sequence[Checked]) -> str:
    """How a picture met its checks, in one cell of a table."""
    failed = [f"{check.rule} {check.value}: {check.measured}".replace("  ", " ") for check in checks if not check.ok]
    return "; ".join(failed) if failed else ("passed" if checks else "")


def write_manifest(rows: Iterable[ManifestRow]) -> bytes:
    """The table with its headings, as CSV in UTF-8; cells that a spreadsheet would run are calmed, see write_table."""
    return write_table([ManifestRow._fields, *(["" if value == 0 else value for value in row] for row in rows)])


def write_json(rows: Iterable[ManifestRow], about: Mapping[str, Any]) -> bytes:
    """The same as JSON, with what the run was."""
    listed = [{key: value for key, value in row._asdict().items() if value not in ("", 0)} for row in rows]
    return _json({**about, "pictures": listed})


def write_linked(rows: Iterable[tuple[ManifestRow, Mapping[str, Value]]], information: Information) -> bytes:
    """The finished pictures as a graph of schema.org ImageObject, each with the Product that it shows. Addresses are
    the files' paths, relative to where they will lie."""
    graph = [_image(row, values, information) for row, values in rows if row.status == DONE]
    return _json({"@context": "https://schema.org", "@graph": graph})


def _json(content: Mapping[str, Any]) -> bytes:
    return printable(json.dumps(content, ensure_ascii=False, indent=1) + "\n").encode()


def _image(row: ManifestRow, values: Mapping[str, Value], information: Information) -> dict[str, Any]:
    card = metadata_of(information, values)
    product = {
        "@type": "Product",
        "sku": row.code,
        "name": card.product_name,
        "gtin": card.gtin,
        "description": card.product_description,
    }
    made = {
        "@type": "ImageObject",
        "@id": row.output,
        "contentUrl": row.output,
        "encodingFormat": _MIME.get(PurePosixPath(row.output).suffix, ""),
        "width": row.width,
        "height": row.height,
        "contentSize": f"{row.bytes} B",
        "sha256": row.sha256,
        "name": card.title,
        "description": card.description,
        "creator": {"@type": "Person", "name": card.creator} if card.creator else "",
        "copyrightNotice": card.copyright,
        "license": card.licence,
        "keywords": ", ".join(card.keywords),
        "about": {key: value for key, value in product.items() if value} if row.code else "",
    }
    return {key: value for key, value in made.items() if value}
