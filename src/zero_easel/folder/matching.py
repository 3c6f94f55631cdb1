"""What the photos of a folder show: by shot list, by name, and by the code cards among them."""

from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple

from zero_easel.core.catalog.cards import Snap
from zero_easel.core.catalog.matching import Match, Matcher, odd_counts
from zero_easel.core.catalog.products import Product, Shot
from zero_easel.core.catalog.shooting import Frame, in_shooting_order
from zero_easel.core.photos.decoding import header_of, read_photo
from zero_easel.core.photos.raw import RAW_SUFFIXES
from zero_easel.core.photos.reading import Reading
from zero_easel.core.standard.naming import printable
from zero_easel.engines.workers import map_processes
from zero_easel.pipeline import reading_of


class Matched(NamedTuple):
    """A photo and what it shows. taken: when, None if the file does not tell."""

    path: Path
    match: Match
    taken: datetime | None


def match_photos(
    photos: Sequence[Path],
    products: Sequence[Product],
    shots: Sequence[Shot],
    jobs: int,
    on_read: Callable[[int, int], None] | None = None,
    *,
    cards: bool = True,
    raw_counts: bool | None = True,
) -> list[Matched]:
    """What photo files show, in shooting order: by shot list and name, and by code cards, if there may be any, where
    these do not tell."""
    matcher = Matcher(products, shots, cards=cards, raw_counts=raw_counts)
    plain = [matcher.match(name_of(path)) for path in photos]
    seen: dict[int, tuple[Reading, datetime | None] | None] = {}
    if cards and any(not match.code for match in plain):
        work = ((index, (path,)) for index, path in enumerate(photos))
        for index, result in map_processes(_read, work, min(jobs, len(photos))):
            seen[index] = None if isinstance(result, Exception) else result
            if on_read is not None:
                on_read(len(seen), len(photos))
    snaps = [
        _snap(path, seen[index] if index in seen else (Reading(), _taken(path))) for index, path in enumerate(photos)
    ]
    matches = matcher.match_all(snaps)
    order = in_shooting_order([snap.frame for snap in snaps])
    return [Matched(photos[at], matches[at], snaps[at].frame.taken) for at in order]


def _taken(path: Path) -> datetime | None:
    header = header_of(path)
    return header.taken if header else None


def texts_on(photos: Sequence[Path], jobs: int) -> list[str]:
    """Names of photo files without their ends, and what the code cards among them say."""
    work = ((index, (path,)) for index, path in enumerate(photos))
    seen = map_processes(_read, work, min(jobs, len(photos))) if photos else ()
    read = [result[0] for _, result in seen if not isinstance(result, Exception)]
    cards = [text for reading in read if reading.card_like for text in reading.codes]
    return [*(path.stem for path in photos), *cards]


def _read(path: Path) -> tuple[Reading, datetime | None]:
    photo = read_photo(path, name_of(path))
    return reading_of(photo), photo.facts.taken


def _snap(path: Path, seen: tuple[Reading, datetime | None] | None) -> Snap:
    kind: dict[str, Any] = {"folder": str(path.parent), "raw": path.suffix.lower() in RAW_SUFFIXES}
    if seen is None:
        return Snap(Frame(name_of(path), None), unreadable=True, **kind)
    reading, taken = seen
    frame, shown = Frame(name_of(path), taken), reading.target is not None
    return Snap(frame, reading.codes, reading.card_like, look=reading.look, target=shown, **kind)


def doubts_of(matched: list[Matched]) -> list[str]:
    """What a person should make sure of, in sentences."""
    found = [f"{name_of(one.path)}: {one.match.doubt}" for one in matched if one.match.doubt and not one.match.card]
    found += [one.match.doubt for one in matched if one.match.doubt and one.match.card]
    odd = odd_counts(one.match.code for one in matched if not one.match.card)
    return found + [f"{code} has {n} photo{'' if n == 1 else 's'}, unlike most" for code, n in sorted(odd.items())]


def name_of(path: Path) -> str:
    """The name of a file as messages and lists call it."""
    return printable(path.name)
