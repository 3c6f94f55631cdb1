"""Sizes as people say them."""

from typing import Any

import pytest

from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.sizes import read_deliverables, read_size


@pytest.mark.parametrize(
    ("text", "fields", "rest"),
    [
        ("1400", {"number": 1400}, ""),
        ("1250 wide", {"size": "width", "number": 1250}, ""),
        ("10,5 cm high", {"size": "height", "number": 1240}, ""),
        ("60 %", {"size": "percent", "number": 60}, ""),
        ("0,5 Mpx webp", {"size": "megapixels", "number": 0.5}, "webp"),
        ("9 x 13 cm", {"size": "exact", "width": 1063, "height": 1535}, ""),
        ("100 % printed 10 in", {"size": "percent", "number": 100, "printed": "10 in"}, ""),
    ],
)
def test_a_size_is_read(text: str, fields: dict[str, Any], rest: str) -> None:
    assert read_size(text, 300) == (fields, rest)


@pytest.mark.parametrize(
    ("text", "names"),
    [
        ("24x24,64x64 png", ["24x24", "64x64"]),
        ("400 webp, 10,5 cm wide; 60 %", ["400", "10-5 cm wide", "60 percent"]),
        ("400,200", ["400", "200"]),
        ("10,5 x 15,2 cm,300", ["10-5 x 15-2 cm", "300"]),
        ("100 % printed 10 in tiff", ["100 percent printed 10 in"]),
    ],
)
def test_several_sizes_are_taken_apart(text: str, names: list[str]) -> None:
    assert [one.name for one in read_deliverables(text, Deliverable(), 300)] == names
