"""One photo of a shoot seen closer at the stage of light: how its light is spread, and how it agrees with others."""

from collections.abc import Collection, Sequence
from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.items.measure import Measures
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.placing.light import words_of
from zero_easel.core.placing.placement import NoteKind, Placement
from zero_easel.core.tone.balance import luminance, to_neutral
from zero_easel.core.tone.difference import delta_e, lab_of
from zero_easel.core.tone.spread import BINS, Spread, spread_of
from zero_easel.library.lists.lineup import RowEntry
from zero_easel.library.store.models import CutoutRow, PhotoRow, Shoot
from zero_easel.library.store.vault import Vault

_APART = 10.0
"""Delta E between one product's photos from which it is said unasked: other sides of a thing differ, too."""


class Closer(NamedTuple):
    """entry, placement: of the photo. spread: of its item, None without a cutout. before, after: the spread as SVG
    paths, 100 wide and 40 high. words: what is done to it. notes: reasons to look. others: how far its other views and
    its photos of other days are, in words."""

    entry: RowEntry
    placement: Placement
    spread: Spread | None
    before: str
    after: str
    words: list[str]
    notes: list[str]
    others: list[str]


def closer_of(
    session: Session,
    vault: Vault,
    shoot: Shoot,
    row: Sequence[RowEntry],
    placements: Sequence[Placement | None],
    at: int,
) -> Closer | None:
    """Photo number `at` of a row; None if it is not placed."""
    entry, placement = row[at], placements[at]
    if placement is None:
        return None
    pixels = preview_of(vault, entry.key, "small") if entry.key else None
    spread = spread_of(pixels, placement.tone) if pixels is not None else None
    most = max(max(spread.before), max(spread.after), 1e-6) if spread else 1.0
    drawn = [_path(counts, most) for counts in (spread.before, spread.after)] if spread else ["", ""]
    notes = [note.text for note in placement.notes if note.kind == NoteKind.LIGHT]
    others = [*_views(row, placements, at), *_other_days(session, shoot, entry)]
    return Closer(entry, placement, spread, drawn[0], drawn[1], words_of(placement, entry.subject), notes, others)


@lru_cache(8)
def preview_of(vault: Vault, key: str, kind: str) -> NDArray[np.uint8] | None:
    """A reduced cutout, (h, w, 4) sRGB; None where it is not there any more. What is named by a key never changes."""
    try:
        photo = read_photo(vault.preview(key, kind).path())
    except PhotoError:
        return None
    alpha = photo.alpha if photo.alpha is not None else np.full(photo.pixels.shape[:2], 255, np.uint8)
    return np.dstack([photo.pixels, alpha])


def agreements(
    row: Sequence[RowEntry], placements: Sequence[Placement | None], codes: Collection[str]
) -> dict[str, float]:
    """Of each of some products with several photos, the largest Delta E between their items' mean colours after the
    tone."""
    seen: dict[str, list[NDArray[np.float32]]] = {}
    for entry, placement in zip(row, placements, strict=True):
        if entry.line.code and entry.line.code in codes and (lab := _mean_after(entry, placement)) is not None:
            seen.setdefault(entry.line.code, []).append(lab)
    return {
        code: round(max(float(delta_e(one, other)) for one in labs for other in labs), 1)
        for code, labs in seen.items()
        if len(labs) > 1
    }


def _views(row: Sequence[RowEntry], placements: Sequence[Placement | None], at: int) -> list[str]:
    own, code = _mean_after(row[at], placements[at]), row[at].line.code
    if own is None or not code:
        return []
    found = []
    for entry, placement in zip(row, placements, strict=True):
        if entry is row[at] or entry.line.code != code or (lab := _mean_after(entry, placement)) is None:
            continue
        name = entry.subject.view or entry.line.name
        found.append(f"{name}: {float(delta_e(own, lab)):.1f} Delta E")
    return found


def _other_days(session: Session, shoot: Shoot, entry: RowEntry) -> list[str]:
    """Photos of the product and view in other shoots, both brought to white by their own backdrops."""
    own = _balanced(entry.subject.measures)
    if own is None or not entry.line.code:
        return []
    query = (
        select(Shoot.name, CutoutRow.measures)
        .select_from(PhotoRow)
        .join(Shoot, Shoot.id == PhotoRow.shoot_id)
        .join(CutoutRow, CutoutRow.key == PhotoRow.cutout_key)
        .where(PhotoRow.code == entry.line.code, PhotoRow.view == entry.line.view, PhotoRow.shoot_id != shoot.id)
        .where(~PhotoRow.left_out)
        .order_by(PhotoRow.id.desc())
        .limit(3)
    )
    found = []
    for name, measures in session.execute(query):
        other = _balanced(measures)
        if other is not None:
            found.append(f"in {name}, both by their backdrops: {float(delta_e(own, other)):.1f} Delta E")
    return found


def _mean_after(entry: RowEntry, placement: Placement | None) -> NDArray[np.float32] | None:
    measures = entry.subject.measures
    if placement is None or measures is None or measures.light is None:
        return None
    planes = placement.tone.curved(placement.tone.on([np.full(1, v, np.float32) for v in measures.light]))
    return np.asarray(lab_of(np.stack(planes, -1))[0])


def _balanced(measures: Measures | None) -> NDArray[np.float32] | None:
    """An item's mean as it would be on a backdrop of 80 % light."""
    if measures is None or measures.light is None or measures.backdrop is None or min(measures.backdrop) <= 0:
        return None
    matrix = to_neutral(measures.backdrop) * (0.8 / max(luminance(measures.backdrop), 1e-3))
    return lab_of(np.maximum(matrix @ np.asarray(measures.light), 0).astype(np.float32))


def _path(counts: Sequence[float], most: float) -> str:
    """A stepless outline that stands on its base."""
    points = [f"{100 * (k + 0.5) / BINS:.2f} {40 - 38 * np.sqrt(count / most):.2f}" for k, count in enumerate(counts)]
    return f"M0 40L{'L'.join(points)}L100 40Z"


def is_apart(agreement: float) -> bool:
    """Whether views of one product differ so that it is seen."""
    return agreement > _APART
