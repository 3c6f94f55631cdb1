"""The list of a shoot's photos as a person asks for it: sorted, filtered, a page at a time."""

from collections.abc import Callable, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from zero_easel.core.photos.reading import is_soft
from zero_easel.core.standard.naming import natural_key
from zero_easel.core.standard.rules import Canvas
from zero_easel.library.lists.lines import PhotoLine

PAGE = 200


class Ask(NamedTuple):
    """sort: a key of SORTS, "" for shooting order. down: the other way round. show: a key of filters_of. under: px,
    what "small" means. page: from 1."""

    sort: str = ""
    down: bool = False
    show: str = ""
    under: int = 1000
    page: int = 1


class Listed(NamedTuple):
    """One page of what was asked for. total: lines on all pages; still_in: of these not left out. counts: lines that
    each filter would show."""

    lines: list[PhotoLine]
    total: int
    still_in: int
    page: int
    pages: int
    counts: dict[str, int]


SORTS: dict[str, Callable[[PhotoLine], Any]] = {
    "name": lambda line: natural_key(line.name),
    "pixels": lambda line: max(line.width, line.height),
    "megapixels": lambda line: line.megapixels,
    "bytes": lambda line: line.bytes,
    "density": lambda line: line.density,
    "format": lambda line: (line.format, line.bits),
    "profile": lambda line: line.profile,
    "taken": lambda line: line.taken or datetime.max,
    "sharp": lambda line: softness(line) or 0.0,
}


def softness(line: PhotoLine) -> float | None:
    """Width of a photo's sharpest edges in px, as it would look at 2000 px; None where there are none."""
    return None if line.blur is None else line.blur * min(1.0, 2000 / max(line.width, line.height, 1))


def looks_soft(line: PhotoLine) -> bool:
    """Whether a photo of an item is out of focus."""
    return not line.card and not line.empty and is_soft(line.blur, line.width, line.height)


def filters_of(lines: Sequence[PhotoLine], under: int, canvas: Canvas) -> dict[str, Callable[[PhotoLine], bool]]:
    """The filters by their names; "ready" shows photos that are already as large as the standard asks."""
    seen: dict[str, int] = {}
    for line in lines:
        seen[line.digest] = seen.get(line.digest, 0) + 1
    return {
        "small": lambda line: not line.error and max(line.width, line.height) < under,
        "soft": looks_soft,
        "unmatched": lambda line: line.unmatched,
        "twice": lambda line: seen[line.digest] > 1,
        "ready": lambda line: (line.width, line.height) == (canvas.width, canvas.height),
        "cards": lambda line: line.card,
        "out": lambda line: line.left_out,
        "broken": lambda line: bool(line.error),
    }


def listed(lines: Sequence[PhotoLine], ask: Ask, canvas: Canvas) -> Listed:
    """One page of a shoot's lines, given in shooting order. Unreadable files come first where nothing else is asked."""
    filters = filters_of(lines, ask.under, canvas)
    counts = {key: sum(map(wanted, lines)) for key, wanted in filters.items()}
    found = [line for line in lines if ask.show not in filters or filters[ask.show](line)]
    if ask.sort in SORTS:
        found.sort(key=SORTS[ask.sort], reverse=ask.down)
    else:
        found = found[::-1] if ask.down else found
        found.sort(key=lambda line: not line.error)
    pages = max(1, -(-len(found) // PAGE))
    page = min(max(1, ask.page), pages)
    still_in = sum(not line.left_out and not line.error for line in found)
    return Listed(found[(page - 1) * PAGE : page * PAGE], len(found), still_in, page, pages, counts)


def wanted_ids(lines: Sequence[PhotoLine], ask: Ask, canvas: Canvas) -> list[int]:
    """Ids of all photos that a filter shows, on whatever page."""
    filters = filters_of(lines, ask.under, canvas)
    return [line.id for line in lines if ask.show in filters and filters[ask.show](line) and not line.error]
