"""Whole pictures: photos that keep their backdrop, their sizes, formats and names, run and result, all on one page."""

import json
from collections.abc import Mapping, Sequence
from contextlib import suppress
from functools import lru_cache
from pathlib import Path
from typing import Annotated, Any, NamedTuple

from fastapi import APIRouter, BackgroundTasks, Form, HTTPException, Request
from fastapi.responses import HTMLResponse, JSONResponse, RedirectResponse, Response
from pydantic import BaseModel, Field

from zero_easel.core.catalog.plan import Planned
from zero_easel.core.finishing.overlay_places import PlacedOverlay, placed_overlays
from zero_easel.core.photos.assets import Assets
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.placing.layout import cuts_nothing
from zero_easel.core.placing.placement import KeptPart, NoteKind, Placement
from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.editing import changed, values_as_typed
from zero_easel.core.standard.grounds import Ground, read_ground
from zero_easel.core.standard.model import ALL, Standard, StandardError, validated
from zero_easel.core.standard.patterns import PatternError
from zero_easel.core.standard.sizes import SETS, read_deliverables, read_size
from zero_easel.library.batches import ShootPlan, example_of, plan_shoot
from zero_easel.library.changes.history import Where, undoable
from zero_easel.library.changes.placing import keep_part_of
from zero_easel.library.changes.repairs import leave_out
from zero_easel.library.changes.standards import add_parts, all_standards, change_rules, following, remove_part
from zero_easel.library.changes.undo import redo, undo
from zero_easel.library.lists.lines import PhotoLine, lines_of
from zero_easel.library.lists.listing import Ask, listed
from zero_easel.library.shoots import cut_out_too, remake_small, rename_shoot
from zero_easel.library.size_sets import forget_sizes, keep_sizes, size_sets
from zero_easel.library.store.models import PhotoRow, Shoot, Stage
from zero_easel.pipeline import clear
from zero_easel.planning.batch import lay_all
from zero_easel.runs.service import RunError, ask_for_run, latest_run
from zero_easel.web.meanwhile import InMind, Seen
from zero_easel.web.page import Bench, Db, Number, ShootById, file_size, found, show
from zero_easel.web.screens.runs import run_context
from zero_easel.web.screens.stages.bring_in import SHOWN, Asked
from zero_easel.web.screens.standards import ruled, set_meanwhile, step_told
from zero_easel.web.stages import stages

router = APIRouter()
_FILTERS = ("", "small", "soft", "twice", "out", "broken")
_SETS = ("zoom", "thumbnail", "icons", "banner", "print")
"""Deliverables that are offered besides one of one's own."""
_LONGEST = 84
"""px on the page of the longer side of a photo, or of its largest picture if that is larger."""
_ROUNDS = 6


class WholePicture(NamedTuple):
    """What becomes of a photo in one size. placement: None while the photo is not measured yet."""

    planned: Planned
    placement: Placement | None
    ground: Ground
    wanted: Deliverable
    marks: list[PlacedOverlay]

    @property
    def noteworthy(self) -> list[str]:
        """What a person should know of it."""
        notes = self.placement.notes if self.placement else ()
        known = [note.text for note in notes if note.kind in (NoteKind.CLIPPED, NoteKind.ENLARGED, NoteKind.LIMIT)]
        if self.placement and self.wanted.printed:
            known.append(f"{self.wanted.printed} at {self.wanted.density_on(self.placement.canvas, 0):.0f} px/in")
        return [*known, *(str(problem) for problem in self.planned.problems)]


class WholeRow(NamedTuple):
    """A photo and its pictures. by: px on the page to a px of the photo or picture, so that they are seen in their true
    proportion."""

    line: PhotoLine
    pictures: list[WholePicture]
    by: float


@router.get("/shoots/{shoot_id}/whole")
def whole_page(request: Request, session: Db, bench: Bench, shoot: ShootById, ask: Asked) -> HTMLResponse:
    """The photos, three sentences, and the pictures as they will be."""
    return show(request, "whole.html", **_context(session, bench, shoot, ask))


@router.post("/shoots/{shoot_id}/name")
def rename(session: Db, shoot: ShootById, name: str = Form("")) -> Response:
    """Call a shoot otherwise; an empty name changes nothing."""
    if name.strip():
        rename_shoot(session, shoot, name)
    return RedirectResponse(f"/shoots/{shoot.id}", 303)


@router.post("/shoots/{shoot_id}/whole/rule")
def change_rule(
    request: Request,
    session: Db,
    bench: Bench,
    shoot: ShootById,
    after: BackgroundTasks,
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
        change_rules(session, shoot.standard, _said(shoot.standard.rules, field, value))
    except StandardError as problem:
        error = str(problem)
    after.add_task(bench.dispatcher.wake)  # what is to be cleared now, is
    steps = undoable(session, Where(Stage.STANDARD, shoot.standard_id))
    answer = show(request, "_whole_answer.html", error=error, saved="" if error else field, steps=steps)
    answer.headers["HX-Trigger"] = json.dumps({"ruled": ruled(shoot.standard.rules, ALL, field, error, conflict)})
    if not error and field.endswith(".name") and field != "names.name":
        answer.headers["HX-Refresh"] = "true"  # every field of that size has another name now
    return answer


@router.post("/shoots/{shoot_id}/whole/step/{direction}")
def step(request: Request, session: Db, shoot: ShootById, direction: str) -> HTMLResponse:
    """Undo or redo a change of the sentences."""
    done = found({"undo": undo, "redo": redo}.get(direction), "command")(
        session, Where(Stage.STANDARD, shoot.standard_id)
    )
    return show(request, "_whole_rules.html", message=step_told(direction, done), **_sentences(session, shoot))


@router.post("/shoots/{shoot_id}/whole/sizes")
def add_size(
    request: Request,
    session: Db,
    bench: Bench,
    shoot: ShootById,
    ask: Asked,
    kind: str = Form(""),
    remove: str = Form(""),
) -> Response:
    """One size more, or one less."""
    try:
        if remove:
            remove_part(session, shoot.standard, "deliverables", remove)
        else:
            sizes = _sizes_of(kind, shoot.standard.rules, size_sets(session))
            add_parts(session, shoot.standard, "deliverables", *sizes)
    except ValueError as problem:
        return show(request, "whole.html", 409, **_context(session, bench, shoot, ask) | {"error": f"{problem}."})
    return RedirectResponse(f"/shoots/{shoot.id}/whole", 303)


@router.post("/shoots/{shoot_id}/whole/set")
def keep_set(
    request: Request,
    session: Db,
    bench: Bench,
    shoot: ShootById,
    ask: Asked,
    name: str = Form(""),
    forget: str = Form(""),
) -> Response:
    """Keep the sizes under a name, or let go of those that were kept under one."""
    try:
        if forget:
            forget_sizes(session, forget)
        else:
            keep_sizes(session, name, shoot.standard.rules.deliverables)
    except ValueError as problem:
        return show(
            request, "whole.html", 409, **_context(session, bench, shoot, ask) | {"error": f"Not kept: {problem}."}
        )
    return RedirectResponse(f"/shoots/{shoot.id}/whole", 303)


@router.post("/shoots/{shoot_id}/whole/run")
def run(request: Request, session: Db, bench: Bench, shoot: ShootById, ask: Asked, after: BackgroundTasks) -> Response:
    """Start a run."""
    try:
        ask_for_run(session, bench.vault, shoot)
    except RunError as error:
        return show(request, "whole.html", 409, **_context(session, bench, shoot, ask) | {"error": str(error)})
    after.add_task(bench.dispatcher.wake)
    return RedirectResponse(f"/shoots/{shoot.id}/whole", 303)


@router.post("/shoots/{shoot_id}/whole/leave-out")
def leave_chosen_out(session: Db, shoot: ShootById, photos: Annotated[list[Number], Form()]) -> Response:
    """Leave some photos out of runs; the files stay."""
    leave_out(session, shoot, photos, True)
    return Response(status_code=204)


class ChosenPart(BaseModel):
    """What of a photo is kept where a size is filled. x, y: its middle, px of the upright photo. ratio: of the sizes
    that it is for, None for all."""

    photo: Number
    x: Annotated[float, Field(ge=0, le=100_000)]
    y: Annotated[float, Field(ge=0, le=100_000)]
    zoom: Annotated[float, Field(ge=1, le=20)] = 1.0
    ratio: Annotated[float | None, Field(gt=0.0001, le=10_000)] = None


@router.post("/shoots/{shoot_id}/whole/part")
def keep_part(session: Db, shoot: ShootById, part: ChosenPart) -> Response:
    """Keep another part of a photo where a size is filled."""
    try:
        keep_part_of(session, shoot, part.photo, KeptPart(part.ratio or 0, part.x, part.y, part.zoom))
    except StandardError as problem:
        return Response(str(problem), 404)
    return Response(status_code=204)


@router.get("/shoots/{shoot_id}/whole/item/{photo_id}")
def find_item(session: Db, bench: Bench, shoot: ShootById, photo_id: Number) -> dict[str, list[float] | None]:
    """Where the item of a photo is, as left, top, right and bottom in px of the upright photo; null where none is
    found. What a part that is kept may catch on."""
    photo = session.get(PhotoRow, photo_id)
    if photo is None or photo.shoot_id != shoot.id:
        raise HTTPException(404, "There is no such photo in this shoot.")
    large = bench.vault.large(photo.digest)
    if not large.exists():
        remake_small(session, bench.vault, photo.digest)
    shares = _item_in(large.path()) if large.exists() else None
    sides = (photo.original.width or 0, photo.original.height or 0) * 2
    return {"box": [share * side for share, side in zip(shares, sides, strict=True)] if shares else None}


@lru_cache(500)
def _item_in(picture: Path) -> tuple[float, float, float, float] | None:
    """The box of the item, in shares of the picture's width and height."""
    try:
        item = clear(read_photo(picture))
    except PhotoError:
        return None
    if item.measures is None:
        return None
    (left, top), (right, bottom) = item.measures.hull.min(0), item.measures.hull.max(0)
    width, height = item.frame
    return float(left / width), float(top / height), float(right / width), float(bottom / height)


@router.post("/shoots/{shoot_id}/cut-out")
def cut_out(session: Db, bench: Bench, shoot: ShootById, after: BackgroundTasks) -> Response:
    """The photos' items are cut out from here on."""
    cut_out_too(session, shoot)
    after.add_task(bench.dispatcher.wake)
    return RedirectResponse(f"/shoots/{shoot.id}/clear", 303)


@router.get("/shoots/{shoot_id}/whole/bytes")
def weigh(session: Db, bench: Bench, shoot: ShootById, turn: Number = 0) -> JSONResponse:
    """What pictures weigh or will weigh, in words, by photo and size; asked again while that makes it surer."""
    try:
        estimates = bench.estimator.estimate(session, bench.vault, shoot)
    except PatternError:
        estimates = []
    pictures, known, count = {}, 0, 0
    for one in estimates:
        for photo, size, sure in one.each:
            words = file_size(round(size))
            pictures[f"{photo} {one.deliverable}"] = words if sure else f"about {words}"
        known, count = known + one.known, count + one.count
    total = sum(one.total for one in estimates)
    words = ""
    if total:
        before = max(one.before for one in estimates)
        about = "" if known == count else "about "
        words = f"{file_size(before)} of photos give {about}{file_size(round(total))} of pictures"
    again = any(one.high - one.low > 0.2 * one.total for one in estimates) and turn < _ROUNDS
    return JSONResponse({"pictures": pictures, "total": words, "again": again})


def _said(rules: Standard, field: str, value: str) -> Standard:
    """The rules with one value changed; where a size is asked for, another kind of size may be said as well, like 60 %
    or 1800x1125. Raises StandardError."""
    part, _, rest = field.partition(".")
    name, _, last = rest.rpartition(".")
    if part == "deliverables" and last in ("number", "width", "height"):
        with suppress(ValueError, KeyError):
            own = rules.deliverable(name)
            said, behind = read_size(value, own.density or rules.canvas.density)
            if "size" in said and not behind:
                # A number that is out of bounds under the old kind may be right under the new one.
                fields = own.model_dump() | said
                others = [one.model_dump() if one.name != name else fields for one in rules.deliverables]
                return validated(rules.model_dump() | {"deliverables": others})
    return changed(rules, field, value)


def _sizes_of(kind: str, rules: Standard, own: Mapping[str, Sequence[Deliverable]]) -> list[Deliverable]:
    """Sizes to add: of a set, also of one's own, or as they are said. Whole pictures have no views, and fill a
    banner."""
    for name, sizes in own.items():
        if name.casefold() == " ".join(kind.split()).casefold():
            return list(sizes)
    if kind not in _SETS:
        last = rules.deliverables[0]
        return read_deliverables(kind.strip() or "400", last, last.density or rules.canvas.density)
    by = "cover" if kind == "banner" else "contain"
    return [one.model_copy(update={"views": "", "by": by}) for one in SETS[kind][1]]


def _in_words(sizes: Sequence[Deliverable]) -> str:
    return f"your own: {', '.join(one.name for one in sizes)}"


def _context(session: Db, bench: Bench, shoot: Shoot, ask: Ask) -> dict[str, Any]:
    error, plan = "", None
    try:
        plan = plan_shoot(session, shoot)
    except PatternError as problem:
        error = f"The file names cannot be made: {problem}."
    lines = plan.lines if plan else lines_of(session, shoot.id)
    page = listed(lines, ask, shoot.standard.rules.canvas)
    newest = latest_run(session, shoot.id)
    pictures = plan.batch.pictures if plan else []
    return _sentences(session, shoot, plan) | {
        "error": error,
        "page": page,
        "ask": ask,
        "shown": {key: SHOWN[key] for key in _FILTERS},
        "total": len(lines),
        "stage": "whole",
        "rows": _rows(shoot, plan, page.lines, bench.vault.assets)
        if plan
        else [WholeRow(line, [], 0.0) for line in page.lines],
        "pictures_count": len(pictures),
        "staying": len(lines) - len({picture.at for picture in pictures}),
        "marks": {mark.key: mark for mark in stages(session, shoot)},
        "clashes": plan.batch.clashes if plan else [],
        **(run_context(session, newest, "line") if newest else {"run": None, "at": None}),
    }


def _sentences(session: Db, shoot: Shoot, plan: ShootPlan | None = None) -> dict[str, Any]:
    row = shoot.standard
    own_sets = size_sets(session)
    others = [(one.id, one.rules.name) for one in all_standards(session) if cuts_nothing(one.rules)]
    return {
        "shoot": shoot,
        "row": row,
        "rules": row.rules,
        "shown_values": values_as_typed(row.rules),
        "example": example_of(plan.batch.pictures) if plan else "",
        "follows": following(session, shoot),
        "standards": others,
        "sets": {key: SETS[key][0] for key in _SETS} | {name: _in_words(sizes) for name, sizes in own_sets.items()},
        "own_sets": own_sets,
        "steps": undoable(session, Where(Stage.STANDARD, row.id)),
        "plain": True,
        "clears": not cuts_nothing(row.rules),
    }


def _rows(shoot: Shoot, plan: ShootPlan, lines: list[PhotoLine], assets: Assets) -> list[WholeRow]:
    """The photos of a page with what becomes of each."""
    rules = shoot.standard.rules
    shown = {line.id for line in lines}
    ats = {at for at, line in enumerate(plan.lines) if line.id in shown}
    places = lay_all({at: subject for at, subject in plan.batch.subjects.items() if at in ats}, rules)
    wanted = {d.name: d for d in rules.deliverables}
    grounds = {name: read_ground(one.ground_on(rules.canvas.ground)) for name, one in wanted.items()}
    made: dict[int, list[WholePicture]] = {}
    for planned in plan.batch.pictures:
        if planned.at in ats:
            placement = places[planned.deliverable][planned.at]
            photo = plan.lines[planned.at].id
            name = planned.deliverable
            marks = _marks(rules, wanted[name], planned, placement, assets)
            made.setdefault(photo, []).append(WholePicture(planned, placement, grounds[name], wanted[name], marks))
    return [WholeRow(line, made.get(line.id, []), _scale(line, made.get(line.id, []))) for line in lines]


def _marks(
    rules: Standard, wanted: Deliverable, planned: Planned, placement: Placement | None, assets: Assets
) -> list[PlacedOverlay]:
    """Overlays on a picture."""
    overlays = [one for one in rules.overlays if one.name in wanted.overlays]
    return placed_overlays(overlays, planned.values, assets, placement.canvas) if placement else []


def _scale(line: PhotoLine, pictures: list[WholePicture]) -> float:
    sides = [line.width, line.height, *(side for one in pictures if one.placement for side in one.placement.canvas)]
    return _LONGEST / max(*sides, 1)
