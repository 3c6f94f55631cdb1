"""Contact sheets: pages of many small pictures with captions, as PDF with text as text."""

import io
import math
from collections.abc import Callable, Iterable, Sequence
from typing import Literal, NamedTuple

import cv2
import numpy as np
from pydantic import Field, field_validator
from reportlab.lib.pagesizes import A4, landscape, portrait
from reportlab.lib.units import mm
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from zero_easel.core.finishing.encode import encode
from zero_easel.core.finishing.fonts import font_file
from zero_easel.core.light.colour import Encoded
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.patterns import Pattern
from zero_easel.core.standard.rule import Part

LIMIT = 18_000_000
"""Bytes that the pictures of a whole sheet may take together."""
_PRINTED = 200
"""px per inch of the pictures, unless the limit wants less."""
_MOST = 60_000
"""Bytes that one picture takes at most where there are few."""
_EDGE = 12 * mm
_HEAD, _LINE = 10 * mm, 3.6 * mm
_SMALLEST = 64


class ContactSheet(Part):
    """per_page: pictures on a page. orientation: how the paper lies, A4. gap: between pictures, mm. caption: pattern of
    the line under each; caption_2: of a second line, "" for none. title: at the head of each page. numbers: whether
    pages are numbered."""

    per_page: int = Field(default=20, ge=1, le=200)
    orientation: Literal["portrait", "landscape"] = "portrait"
    gap: float = Field(default=5, ge=0, le=40)
    caption: str = Field(default="{code}", max_length=200)
    caption_2: str = Field(default="{name}", max_length=200)
    title: str = Field(default="", max_length=200)
    numbers: bool = True

    @field_validator("caption", "caption_2")
    @classmethod
    def _good_pattern(cls, value: str) -> str:
        if value.strip():
            Pattern(value)
        return value.strip()

    @property
    def captions(self) -> list[str]:
        """The patterns of the lines under each picture."""
        return [pattern for pattern in (self.caption, self.caption_2) if pattern]


class Entry(NamedTuple):
    """picture: gives (h, w, 3) uint8 sRGB, at least as large as it is printed; called once. lines: of its caption."""

    picture: Callable[[], Encoded]
    lines: Sequence[str]


class Grid(NamedTuple):
    """columns and rows of a page; width and height of a cell, and of the picture in it, in points."""

    columns: int
    rows: int
    cell: tuple[float, float]
    picture: tuple[float, float]


def grid_of(rules: ContactSheet) -> Grid:
    """The grid with the largest square pictures that holds per_page of them. Raises ValueError if none does."""
    width, height = _paper(rules)
    inner, upright = width - 2 * _EDGE, height - 2 * _EDGE - _HEAD - (_LINE if rules.numbers else 0)
    text, gap = len(rules.captions) * _LINE + 1.5 * mm, rules.gap * mm
    best: Grid | None = None
    for columns in range(1, rules.per_page + 1):
        rows = math.ceil(rules.per_page / columns)
        wide, high = (inner - (columns - 1) * gap) / columns, (upright - (rows - 1) * gap) / rows
        room = (wide, high - text)
        if min(room) > 0 and (best is None or min(room) > min(best.picture)):
            best = Grid(columns, rows, (wide, high), room)
    if best is None or min(best.picture) < 8 * mm:
        raise ValueError(f"{rules.per_page} pictures do not fit on a page with gaps of {rules.gap:g} mm")
    return best


def contact_sheet(entries: Iterable[Entry], count: int, rules: ContactSheet) -> bytes:
    """A PDF of so many pictures; at most LIMIT bytes of them. Raises ValueError if they do not fit on their pages."""
    grid, paper = grid_of(rules), _paper(rules)
    _fonts()
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=paper, pageCompression=1, invariant=1)
    canvas.setTitle(rules.title or "Contact sheet")
    canvas.setCreator("Zero Easel")
    pages, limit = max(1, math.ceil(count / rules.per_page)), min(_MOST * 4, LIMIT / max(1, count))
    for at, entry in enumerate(entries):
        place = at % rules.per_page
        if place == 0:
            if at:
                canvas.showPage()
            _furnish(canvas, rules, paper, at // rules.per_page + 1, pages)
        left = _EDGE + (place % grid.columns) * (grid.cell[0] + rules.gap * mm)
        top = paper[1] - _EDGE - _HEAD - (place // grid.columns) * (grid.cell[1] + rules.gap * mm)
        _draw(canvas, entry, grid, (left, top), limit)
    canvas.save()
    return buffer.getvalue()


def _paper(rules: ContactSheet) -> tuple[float, float]:
    width, height = (landscape if rules.orientation == "landscape" else portrait)(A4)
    return float(width), float(height)


def _fonts() -> None:
    if "zero-text" not in pdfmetrics.getRegisteredFontNames():
        for name in ("text", "mono"):
            pdfmetrics.registerFont(TTFont(f"zero-{name}", str(font_file(name))))


def _furnish(canvas: Canvas, rules: ContactSheet, paper: tuple[float, float], page: int, pages: int) -> None:
    """Title, line and page number."""
    canvas.setFont("zero-text", 12)
    canvas.drawString(_EDGE, paper[1] - _EDGE - 4 * mm, rules.title)
    canvas.setLineWidth(0.4)
    canvas.line(_EDGE, paper[1] - _EDGE - 6.5 * mm, paper[0] - _EDGE, paper[1] - _EDGE - 6.5 * mm)
    if rules.numbers:
        canvas.setFont("zero-text", 8)
        canvas.drawRightString(paper[0] - _EDGE, _EDGE - 4 * mm, f"{page} / {pages}")


def _draw(canvas: Canvas, entry: Entry, grid: Grid, corner: tuple[float, float], limit: float) -> None:
    pixels = entry.picture()
    h, w = pixels.shape[:2]
    scale = min(grid.picture[0] / w, grid.picture[1] / h)
    wide, high = w * scale, h * scale
    left, top = corner[0] + (grid.cell[0] - wide) / 2, corner[1] - (grid.picture[1] - high)
    data = _small(pixels, round(max(wide, high) / 72 * _PRINTED), limit)
    canvas.drawImage(ImageReader(io.BytesIO(data)), left, top - high, wide, high)
    for number, line in enumerate(entry.lines):
        font = "zero-mono" if number == 0 else "zero-text"
        canvas.setFont(font, 7.5)
        canvas.drawString(
            corner[0], corner[1] - grid.picture[1] - (number + 1) * _LINE, _fitted(line, font, grid.cell[0])
        )


def _small(pixels: Encoded, longest: int, limit: float) -> bytes:
    """A JPEG of at most so many px, and if need be fewer, within a limit of bytes."""
    h, w = pixels.shape[:2]
    while True:
        scale = min(1.0, longest / max(h, w))
        size = (max(1, round(w * scale)), max(1, round(h * scale)))
        small = cv2.resize(pixels, size, interpolation=cv2.INTER_AREA) if scale < 1 else pixels
        made = encode(np.asarray(small), Deliverable(quality=82, max_kb=limit / 1000, min_quality=55))
        if made.fits or longest <= _SMALLEST:
            return made.data
        longest = max(_SMALLEST, round(longest * 0.75))


def _fitted(text: str, font: str, width: float) -> str:
    """Cut, with an ellipsis, to the width of its cell."""
    if pdfmetrics.stringWidth(text, font, 7.5) <= width:
        return text
    while text and pdfmetrics.stringWidth(f"{text}…", font, 7.5) > width:
        text = text[:-1]
    return f"{text.rstrip()}…"
