"""How many bytes a run will make, before it is run: some pictures are made and measured, the rest follows from them."""

import math
import time
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from itertools import zip_longest
from typing import NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.placing.layout import is_by_row, lay_out, rules_of
from zero_easel.core.placing.placement import Placement, Subject
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.sizes import rules_on, size_of
from zero_easel.library.batches import plan_shoot
from zero_easel.library.store.models import PhotoRow, Shoot
from zero_easel.library.store.vault import Vault
from zero_easel.pipeline import PictureError, Source, Task, picture_of
from zero_easel.planning.batch import lay_all
from zero_easel.runs.drafts.drafting import Draft, drafts_of
from zero_easel.runs.drafts.reuse import made_before
from zero_easel.runs.work import kept_source

PATIENCE = 2.3
"""Seconds after which no further picture is begun."""
_SEEN = 0.85
"""Power with which a picture's bytes grow with its preview's weight: at a larger size less of each px is new."""
_SOFTER = 0.25
"""Power with which bytes fall behind what is seen, as a photo is enlarged."""
_USUAL_SPREAD = 0.2
"""Of bytes about what a picture's preview lets expect, before there is anything to tell it by."""


@dataclass(frozen=True)
class Estimate:
    """Of one deliverable. count: pictures. known: how many of them were made or measured. total: bytes of all; low,
    high: where the truth lies in 19 of 20 cases. before: bytes of the originals. each: by photo id the bytes of its
    picture, and whether they are known."""

    deliverable: str
    count: int
    known: int
    total: float
    low: float
    high: float
    before: int
    each: Sequence[tuple[int, float, bool]] = ()


@dataclass
class _Wanted:
    """A picture that is to come. hint: a number that grows with its bytes, 0 if unknown. bytes: once they are known."""

    row: Draft
    photo: PhotoRow
    subject: Subject
    placement: Placement | None
    hint: float
    bytes: int | None = None


class Estimator:
    """Estimates, and what was measured for them: the longer it is asked, the better it knows."""

    def __init__(self) -> None:
        self._measured: dict[str, int] = {}

    def estimate(self, session: Session, vault: Vault, shoot: Shoot, patience: float = PATIENCE) -> list[Estimate]:
        """One estimate per deliverable of the shoot's standard, in its order. Raises PatternError if names cannot be
        made; deliverables without pictures are left out."""
        started = time.monotonic()
        standard = shoot.standard.rules
        wanted = self._wanted(session, shoot, standard)
        self._measure(vault, standard, wanted, started + patience)
        return [
            estimate_of(name, [one for one in wanted if one.row.deliverable == name])
            for name in (deliverable.name for deliverable in standard.deliverables)
            if any(one.row.deliverable == name for one in wanted)
        ]

    def _wanted(self, session: Session, shoot: Shoot, standard: Standard) -> list[_Wanted]:
        planned = plan_shoot(session, shoot)
        rows = [row for row in drafts_of(session, shoot, standard, planned) if row.output]
        made = made_before(session, [row.key for row in rows]) | self._measured
        subjects = {planned.lines[at].id: subject for at, subject in planned.batch.subjects.items()}
        photos = {
            photo.id: photo for photo in session.scalars(select(PhotoRow).where(PhotoRow.shoot_id == shoot.id)).unique()
        }
        seen = _seen(standard, subjects)
        placed = lay_all(subjects, standard) if is_by_row(standard) else {}
        found = []
        for row in rows:
            photo, place = photos[row.photo_id], placed.get(row.deliverable, {}).get(row.photo_id)
            hint = _hint(photo, seen[row.deliverable].get(row.photo_id), subjects[photo.id], standard)
            found.append(_Wanted(row, photo, subjects[photo.id], place, hint, made.get(row.key)))
        return found

    def _measure(self, vault: Vault, standard: Standard, wanted: Sequence[_Wanted], until: float) -> None:
        """Make pictures, spread over all photos and deliverables, until time is up."""
        assets = vault.assets
        by_photo: dict[int, list[_Wanted]] = {}
        for one in wanted:
            if one.bytes is None and one.hint:
                by_photo.setdefault(one.photo.id, []).append(one)
        order = _spread(sorted(by_photo, key=lambda photo: (sum(o.hint for o in by_photo[photo]), photo)))

        def make(pictures: list[_Wanted], source: Source) -> None:
            for one in pictures:
                if time.monotonic() > until:
                    return
                task = Task(one.row.deliverable, one.row.output, one.row.fields, one.placement)
                try:
                    one.bytes = len(picture_of(source, one.subject, standard, task, assets).data)
                except PictureError:
                    continue
                self._measured[one.row.key] = one.bytes

        with ThreadPoolExecutor(2) as pool:
            # Each photo's kept cutout is read once for what is made of it in one go.
            begun = [
                pool.submit(make, pictures, kept_source(vault, pictures[0].photo))
                for pictures in _in_turn([by_photo[photo] for photo in order])
            ]
        for future in begun:
            future.result()


def _in_turn(photos: list[list[_Wanted]]) -> Iterator[list[_Wanted]]:
    """The pictures of photos in such an order that all deliverables are soon weighed, each on another photo: half of
    one photo's and the other half of the next one's, then the rest of both."""
    nothing: list[_Wanted] = []
    for first, second in zip_longest(photos[::2], photos[1::2], fillvalue=nothing):
        yield from filter(None, (first[::2], second[1::2], first[1::2], second[::2]))


def estimate_of(name: str, wanted: Sequence[_Wanted]) -> Estimate:
    """Bytes of one deliverable: those measured, and for the others their hints times the ratio that was found (the
    ratio estimator of survey sampling; Cochran, Sampling Techniques, 1977, chapter 6)."""
    known = [(one.hint, one.bytes) for one in wanted if one.bytes is not None]
    if not known:
        return Estimate(name, len(wanted), 0, 0.0, 0.0, 0.0, _before(wanted))
    open_ = [one.hint for one in wanted if one.bytes is None]
    sure = sum(size for _, size in known)
    before = _before(wanted)
    if not open_:
        each = [(one.photo.id, float(one.bytes or 0), True) for one in wanted]
        return Estimate(name, len(wanted), len(known), sure, sure, sure, before, each)
    weighed = [(hint, size) for hint, size in known if hint]
    usual = sure / len(known)
    # Nothing to tell one from another by: all are as those that were weighed.
    ratio = sum(size for _, size in weighed) / sum(hint for hint, _ in weighed) if weighed else 0.0
    expected = [(hint * ratio if hint and ratio else usual) for hint in open_]
    left = iter(expected)
    each = [(o.photo.id, next(left), False) if o.bytes is None else (o.photo.id, float(o.bytes), True) for o in wanted]
    rest, n = sum(expected), len(known)
    # What is usual counts as two samples: two that happen to agree must not look certain.
    missed = sum((size - (hint * ratio if hint and ratio else usual)) ** 2 for hint, size in known)
    missed += 2 * (_USUAL_SPREAD * usual) ** 2
    deviation = math.sqrt(missed / (n + 1))
    # Few samples: what is estimated of the deviation is itself uncertain, so the factor is the larger.
    factor = 2 + 6 / max(1, n)
    spread = factor * deviation * math.sqrt(len(open_) + len(open_) ** 2 / max(1, n))
    total = sure + rest
    return Estimate(name, len(wanted), len(known), total, max(sure, total - spread), total + spread, before, each)


def _before(wanted: Sequence[_Wanted]) -> int:
    return sum(one.photo.original.bytes for one in {one.photo.id: one for one in wanted}.values())


class _Seen(NamedTuple):
    """How large a photo's item is drawn: scale: px to a px of the photo. longest: px of its longer side."""

    scale: float
    longest: float


def _seen(standard: Standard, subjects: Mapping[int, Subject]) -> dict[str, dict[int, _Seen]]:
    """How large each item is drawn on each deliverable. Canvases of one shape differ by a factor only, so that few rows
    are laid out."""
    row = list(subjects.values())
    by_shape: dict[float, tuple[int, dict[int, _Seen]]] = {}
    found = {}
    for wanted in standard.deliverables:
        width, height = size_of(standard, wanted)
        shape = round(width / height, 2)
        if shape not in by_shape:
            placement = zip(subjects, lay_out(row, rules_on(standard, wanted)), strict=True)
            by_shape[shape] = width, {photo: _seen_of(lay) for photo, lay in placement if lay is not None}
        first, sizes = by_shape[shape]
        factor = width / first
        found[wanted.name] = {photo: _Seen(s.scale * factor, s.longest * factor) for photo, s in sizes.items()}
    return found


def _seen_of(placement: Placement) -> _Seen:
    box = placement.box
    return _Seen(placement.scale, max(box.width, box.height) if box else float(max(placement.canvas)))


def _hint(photo: PhotoRow, seen: _Seen | None, subject: Subject, standard: Standard) -> float:
    """From how much there is to see in a photo's cutout, or in the whole of it, and how large it is drawn; what is
    enlarged gains no detail by it."""
    if seen is None:
        return 0.0
    if rules_of(subject, standard).backdrop == "kept":
        weight = photo.original.bytes
    elif photo.cutout is None:
        return 0.0
    else:
        weight = photo.cutout.weight or photo.original.bytes
    return float(weight**_SEEN * seen.longest * min(1.0, 1 / seen.scale) ** _SOFTER)


def _spread(ordered: list[int]) -> list[int]:
    """The same in an order of which every beginning is spread evenly over the whole (van der Corput's sequence)."""
    bits = max(1, (len(ordered) - 1).bit_length())
    places = (int(f"{at:0{bits}b}"[::-1], 2) for at in range(1 << bits))
    return [ordered[at] for at in places if at < len(ordered)]
