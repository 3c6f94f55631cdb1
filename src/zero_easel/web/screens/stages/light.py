"""Light: a shoot's items as a field of swatches, what their backdrops say, and the sentences that follow it."""

import json
from collections.abc import Sequence
from typing import Annotated, Any, NamedTuple
from urllib.parse import urlsplit

import numpy as np
from fastapi import APIRouter, Form, HTTPException, Request
from fastapi.responses import HTMLResponse, Response
from numpy.typing import NDArray
from pydantic import BaseModel, Field
from sqlalchemy import select
from sqlalchemy.orm import InstrumentedAttribute

from zero_easel.core.finishing.encode import encode_png
from zero_easel.core.light.colour import to_linear, to_srgb8
from zero_easel.core.light.geometry import Size
from zero_easel.core.light.hex_colour import write_hex
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.placing.light import backdrop_of, words_of
from zero_easel.core.placing.placement import NoteKind, Placement
from zero_easel.core.standard.editing import values_as_typed
from zero_easel.core.standard.model import ALL, StandardError
from zero_easel.core.tone.balance import middle_of
from zero_easel.core.tone.difference import delta_e, lab_of
from zero_easel.core.tone.spread import lost_drawn, reading_at
from zero_easel.core.tone.target import calibrated
from zero_easel.core.tone.toning import Tone
from zero_easel.engines.decoders import decoders
from zero_easel.library.changes.history import undoable
from zero_easel.library.changes.placing import at_place, change_rule, rectify, set_neutral, set_target
from zero_easel.library.changes.repairs import leave_photo_out
from zero_easel.library.changes.standards import change_rules, following
from zero_easel.library.changes.undo import redo, undo
from zero_easel.library.lists.kept import kept
from zero_easel.library.lists.lines import PhotoLine, lines_of
from zero_easel.library.lists.lineup import RowEntry, laid_out, row_of
from zero_easel.library.store.models import Original, PhotoRow, Shoot
from zero_easel.pipeline import rectified_photo
from zero_easel.web.closer import agreements, closer_of, is_apart, preview_of
from zero_easel.web.meanwhile import InMind, Seen
from zero_easel.web.page import Bench, Db, MatchedShoot, Number, ShootById, found, plural, show
from zero_easel.web.screens.standards import ruled, set_meanwhile, step_told
from zero_easel.web.stages import stages
from zero_easel.web.straightening import known_lens, straight_large

router = APIRouter()
_FIRST = 66
"""Swatches that are drawn unasked; those whose light differs most stand first."""
_AROUND = 6
"""px of the photo around a click over which its colour is averaged."""


class Swatch(NamedTuple):
    """An item's light. before, after: colours of its backdrop and of its mean, as #RRGGBB, "" where not known. apart:
    Delta E of its backdrop from the shoot's middle, None if not known. by_hand: whether a person said what is neutral.
    notes: reasons to look. words: what is done to it. agreement: Delta E between the photos of its product."""

    entry: RowEntry
    tone: Tone
    backdrop: tuple[str, str]
    item: tuple[str, str]
    apart: float | None
    by_hand: bool
    notes: list[str]
    words: str
    agreement: float | None


def swatches_of(row: Sequence[RowEntry], placements: Sequence[Placement | None], order: Sequence[int]) -> list[Swatch]:
    """Of those photos of a row that are numbered, in their order. All of them are placed."""
    apart, found = _apart(row), []
    agreed = agreements(row, placements, {row[at].line.code for at in order})
    for at in order:
        entry, placement = row[at], placements[at]
        assert placement is not None
        own = entry.subject.measures.light if entry.subject.measures else None
        both = _both(backdrop_of(entry.subject), placement.tone), _both(own, placement.tone)
        by_hand, words = entry.subject.adjustment.neutral is not None, "; ".join(words_of(placement, entry.subject))
        notes, agreement = _notes(placement), agreed.get(entry.line.code)
        far = None if np.isnan(apart[at]) else round(float(apart[at]), 1)
        found.append(Swatch(entry, placement.tone, *both, far, by_hand, notes, words, agreement))
    return found


def _order(row: Sequence[RowEntry], placements: Sequence[Placement | None]) -> list[int]:
    """The photos that are placed: those with notes first, then by how far their backdrops are from the middle."""
    placed = [at for at, placement in enumerate(placements) if placement is not None]
    apart = np.nan_to_num(_apart(row).round(1), nan=-1.0)
    return sorted(placed, key=lambda at: (not _notes(placements[at]), -apart[at]))


def _apart(row: Sequence[RowEntry]) -> NDArray[np.float64]:
    """(n,) Delta E of each photo's backdrop from the middle one; nan where it is not known."""
    lights = [backdrop_of(entry.subject) for entry in row]
    middle = middle_of([light for light in lights if light is not None])
    if middle is None:
        return np.full(len(row), np.nan)
    colours = np.array([light or (np.nan,) * 3 for light in lights], np.float32)
    return np.asarray(delta_e(lab_of(colours), lab_of(np.array(middle, np.float32))), np.float64)


def _notes(placement: Placement | None) -> list[str]:
    return [note.text for note in placement.notes if note.kind == NoteKind.LIGHT] if placement else []


def _both(light: tuple[float, float, float] | None, tone: Tone) -> tuple[str, str]:
    """A colour as shot and as it becomes, as CSS has it."""
    if light is None:
        return "", ""
    planes = tone.curved(tone.on([np.full(1, v, np.float32) for v in light]))
    pair = np.clip([light, np.concatenate(planes)], 0, 1).astype(np.float32)
    before, after = (write_hex("#" + bytes(row).hex()) for row in to_srgb8(pair))
    return before, after


@router.get("/shoots/{shoot_id}/light")
def light_page(request: Request, session: Db, shoot: MatchedShoot) -> HTMLResponse:
    """The field of swatches, and the sentences on light."""
    return show(request, "light.html", marks=stages(session, shoot), stage="light", **_context(request, session, shoot))


@router.post("/shoots/{shoot_id}/light/rule")
def rule(
    request: Request,
    session: Db,
    shoot: ShootById,
    mind: InMind,
    saw: Seen,
    field: str = Form(),
    value: str = Form(""),
) -> HTMLResponse:
    """Change one value; what is not possible is said, and nothing changes."""
    error, conflict = "", set_meanwhile(mind, shoot.standard, ALL, field, value, saw)
    try:
        if conflict is not None:
            raise StandardError(conflict.said)
        change_rule(session, shoot, field, value)
    except StandardError as problem:
        error = str(problem)
    told = {"error": error, "saved": not error, "marks": stages(session, shoot), "stage": "light"}
    answer = show(request, "_light_answer.html", 200, **told, **_context(request, session, shoot))
    answer.headers["HX-Trigger"] = json.dumps({"ruled": ruled(shoot.standard.rules, ALL, field, error, conflict)})
    return answer


@router.post("/shoots/{shoot_id}/light/step/{direction}")
def step(request: Request, session: Db, shoot: ShootById, direction: str) -> HTMLResponse:
    """Undo or redo."""
    done = found({"undo": undo, "redo": redo}.get(direction), "command")(session, at_place(shoot))
    return _fresh(request, session, shoot, step_told(direction, done))


@router.get("/shoots/{shoot_id}/light/closer/{photo_id}")
def closer(request: Request, session: Db, bench: Bench, shoot: ShootById, photo_id: Number) -> HTMLResponse:
    """One photo large, with how its light is spread and how it agrees with others."""
    row, placements, at = _placed(session, shoot, photo_id)
    seen = found(closer_of(session, bench.vault, shoot, row, placements, at), "photo")
    return show(request, "_closer.html", shoot=shoot, one=seen)


@router.get("/shoots/{shoot_id}/light/lost/{photo_id}.png")
def lost_parts(session: Db, bench: Bench, shoot: ShootById, photo_id: Number) -> Response:
    """What of an item is clipped or blocked after its tone, to lay over it."""
    row, placements, at = _placed(session, shoot, photo_id)
    placement = found(placements[at], "photo")
    pixels = found(preview_of(bench.vault, row[at].key, "large") if row[at].key else None, "cutout")
    return Response(encode_png(lost_drawn(pixels, placement.tone)), media_type="image/png")


@router.get("/shoots/{shoot_id}/light/place/{photo_id}")
def place(session: Db, bench: Bench, shoot: ShootById, photo_id: Number, x: float, y: float) -> dict[str, Any]:
    """Colours at a place, in shares of the photo's width and height: as shot, and as they become."""
    row, placements, at = _placed(session, shoot, photo_id)
    placement = found(placements[at], "photo")
    line, undone = row[at].line, row[at].subject.adjustment.rectified
    pixels = found(straight_large(session, bench.vault, line.digest, Size(line.width, line.height), undone), "photo")
    try:
        before, after = reading_at(pixels, x, y, placement.tone)
    except ValueError as error:
        raise HTTPException(422, "That is not on the photo.") from error
    return {"before": before._asdict(), "after": after._asdict()}


def _placed(session: Db, shoot: Shoot, photo_id: int) -> tuple[list[RowEntry], list[Placement | None], int]:
    row = row_of(session, shoot.id)
    at = found(next((n for n, entry in enumerate(row) if entry.line.id == photo_id), None), "photo in this shoot")
    return row, laid_out(session, shoot.id, row, shoot.standard.rules), at


_HOUSE: dict[str, Any] = {"white": "backdrop", "exposure": "backdrop", "noise": 60, "sharpening": 40}
"""What the house does: all of it by measurement, and little of it."""


@router.post("/shoots/{shoot_id}/light/house")
def house(request: Request, session: Db, shoot: ShootById) -> HTMLResponse:
    """White, exposure, noise and sharpness by measurement, in one step."""
    rules = shoot.standard.rules
    after = rules.model_copy(update={"item": rules.item.model_copy(update=_HOUSE)})
    change_rules(session, shoot.standard, after, at_place(shoot))
    return _fresh(request, session, shoot, "Light is done as the house does it")


class Neutral(BaseModel):
    """A place on a photo that ought to be neutral, in px of the upright photo; None takes that back. together: for all
    photos of the shoot."""

    photo: Number
    x: Annotated[float | None, Field(ge=0, le=100_000)] = None
    y: Annotated[float | None, Field(ge=0, le=100_000)] = None
    together: bool = False


@router.post("/shoots/{shoot_id}/light/neutral")
def neutral(session: Db, bench: Bench, shoot: ShootById, asked: Neutral) -> Response:
    """Take what a person clicked for white light, or what is measured again."""
    photo = session.get(PhotoRow, asked.photo)
    if photo is None or photo.shoot_id != shoot.id:
        raise HTTPException(404, "There is no such photo in this shoot.")
    colour = None
    if asked.x is not None and asked.y is not None:
        try:
            whole = decoders().do(photo.name, read_photo, bench.vault.original(photo.digest).path(), photo.name)
            pixels = rectified_photo(whole, photo.adjustment.rectified).pixels
        except PhotoError as error:
            raise HTTPException(409, str(error)) from error
        left, top = (max(0, round(at) - _AROUND) for at in (asked.x, asked.y))
        part = pixels[top : top + 2 * _AROUND + 1, left : left + 2 * _AROUND + 1].reshape(-1, 3)
        if not len(part):
            raise HTTPException(422, "That is not on the photo.")
        red, green, blue = (float(v) for v in np.median(to_linear(part), 0))
        colour = (red, green, blue)
    ids = [entry.line.id for entry in row_of(session, shoot.id)] if asked.together else [photo.id]
    set_neutral(session, shoot, ids, colour)
    return Response(status_code=204)


class Target(NamedTuple):
    """A photo of the shoot that shows a colour target. error: mean Delta E that remains, None if it cannot be used.
    used: whether the shoot's photos follow it. without: how many do not."""

    photo: PhotoLine
    error: float | None
    used: bool
    without: int


def targets_of(session: Db, shoot: Shoot, row: Sequence[RowEntry]) -> list[Target]:
    """All, in shooting order."""
    found = []
    shown = _shown(session, shoot, Original.target)
    for line in lines_of(session, shoot.id) if shown else ():
        patches = shown.get(line.id)
        if patches and line.card and not line.left_out:
            known = calibrated(patches)
            following = sum(entry.subject.adjustment.target == known.matrix for entry in row) if known else 0
            found.append(Target(line, known.error if known else None, following > 0, len(row) - following))
    return found


class Grey(NamedTuple):
    """A photo of the shoot that seems to show a grey card. used: whether all photos take it for neutral."""

    photo: PhotoLine
    used: bool


def greys_of(session: Db, shoot: Shoot, row: Sequence[RowEntry]) -> list[Grey]:
    """All without a product, in shooting order: a grey box with a code is goods."""
    shown = _shown(session, shoot, Original.grey)
    lines = [line for line in lines_of(session, shoot.id) if line.id in shown] if shown else []
    return [
        Grey(line, bool(row) and all(entry.subject.adjustment.neutral == shown[line.id] for entry in row))
        for line in lines
        if not line.code and not line.card
    ]


def _shown(session: Db, shoot: Shoot, what: InstrumentedAttribute[Any]) -> dict[int, Any]:
    """What some photos of a shoot show besides goods, by their ids."""
    query = select(PhotoRow.id, what).join(Original, Original.digest == PhotoRow.digest)
    query = query.where(PhotoRow.shoot_id == shoot.id, what.is_not(None))
    key = ("shown", shoot.id, what.key)
    return kept(session, key, lambda: {at: value for at, value in session.execute(query) if value}, small=True)


@router.post("/shoots/{shoot_id}/light/grey/{photo_id}")
def grey(request: Request, session: Db, shoot: ShootById, photo_id: Number, use: bool = Form()) -> HTMLResponse:
    """Take a photo's grey card for neutral in all photos of the shoot, or let go of it."""
    photo = session.get(PhotoRow, photo_id)
    known = found(photo.original.grey if photo is not None and photo.shoot_id == shoot.id else None, "grey card")
    set_neutral(session, shoot, [entry.line.id for entry in row_of(session, shoot.id)], known if use else None)
    return _fresh(request, session, shoot, "")


@router.post("/shoots/{shoot_id}/light/grey/{photo_id}/out")
def grey_out(request: Request, session: Db, shoot: ShootById, photo_id: Number) -> HTMLResponse:
    """Leave the photo of a grey card out of runs."""
    photo = session.get(PhotoRow, photo_id)
    leave_photo_out(session, found(photo if photo is not None and photo.shoot_id == shoot.id else None, "photo"))
    return _fresh(request, session, shoot, "")


@router.post("/shoots/{shoot_id}/light/target/{photo_id}")
def target(request: Request, session: Db, shoot: ShootById, photo_id: Number, use: bool = Form()) -> HTMLResponse:
    """Bring the shoot to a photo's colour target, or let go of it."""
    photo = session.get(PhotoRow, photo_id)
    patches = photo.original.target if photo is not None and photo.shoot_id == shoot.id else None
    known = found(calibrated(patches) if patches else None, "colour target")
    set_target(session, shoot, known.matrix if use else None)
    return _fresh(request, session, shoot, "")


@router.post("/shoots/{shoot_id}/light/lenses")
def by_lenses(request: Request, session: Db, bench: Bench, shoot: ShootById) -> HTMLResponse:
    """Undo what the lens of each photo bent, where its file names one that is known."""
    row, wanted = row_of(session, shoot.id), {}
    for entry in row:
        if (lens := known_lens(bench.vault, entry.line.digest)) is not None:
            wanted[entry.line.id] = entry.subject.adjustment.rectified._replace(radial=lens.radial)
    if not wanted:
        return _fresh(request, session, shoot, "No photo of this shoot names a lens that is known")
    rectify(session, shoot, wanted, "lines in {} straightened by their lenses")
    rest = len(row) - len(wanted)
    more = f"; {plural(rest, 'photo')} without a lens that is known" if rest else ""
    return _fresh(request, session, shoot, f"{plural(len(wanted), 'photo')} straightened{more}")


def _fresh(request: Request, session: Db, shoot: Shoot, message: str) -> HTMLResponse:
    """The whole stage and the zero line as they are now."""
    more: dict[str, Any] = {
        "message": message,
        "answer": True,
        "marks": stages(session, shoot),
        "stage": "light",
    }
    return show(request, "_light.html", **more, **_context(request, session, shoot))


def _told(shoot: Shoot, field: str, error: str) -> dict[str, Any]:
    return ruled(shoot.standard.rules, ALL, field, error)


def _context(request: Request, session: Db, shoot: Shoot) -> dict[str, Any]:
    rules = shoot.standard.rules
    row = row_of(session, shoot.id)
    placements = laid_out(session, shoot.id, row, rules)
    key = ("light", shoot.id, id(row), rules.model_dump_json())
    order = kept(session, key, lambda: (row, _order(row, placements)))[1]
    drawn = order if _asks_for_all(request) else order[:_FIRST]
    return {
        "shoot": shoot,
        "row": shoot.standard,
        "rules": rules,
        "shown": values_as_typed(rules),
        "swatches": swatches_of(row, placements, drawn),
        "more": len(order) - len(drawn),
        "is_apart": is_apart,
        "house": all(getattr(rules.item, field) == value for field, value in _HOUSE.items()),
        "targets": targets_of(session, shoot, row),
        "greys": greys_of(session, shoot, row),
        "follows": following(session, shoot),
        "steps": undoable(session, at_place(shoot)),
    }


def _asks_for_all(request: Request) -> bool:
    """Whether the page that is looked at, or that a part is asked for, shows all swatches."""
    return "all=1" in urlsplit(request.headers.get("HX-Current-URL", str(request.url))).query
