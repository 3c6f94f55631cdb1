"""Name: how files are called, tried out while it is typed, and the table old name -> new name."""

import json
from collections.abc import Collection, Sequence
from typing import Annotated, Any, NamedTuple

from fastapi import APIRouter, BackgroundTasks, Form, Request
from fastapi.responses import FileResponse, HTMLResponse, Response

from zero_easel.core.catalog.plan import GS1, Clash, Planned
from zero_easel.core.standard.editing import changed, values_as_typed
from zero_easel.core.standard.model import Names, Standard, StandardError
from zero_easel.core.standard.naming import portable
from zero_easel.core.standard.patterns import FIELDS, NamePattern, PatternError
from zero_easel.core.standard.rule import rules_in
from zero_easel.folder.renaming import RenameError
from zero_easel.library.batches import ShootPlan, example_of, plan_by, plan_lines
from zero_easel.library.changes.standards import following, set_rule
from zero_easel.library.lists.kept import kept
from zero_easel.library.lists.lines import PhotoLine, lines_of
from zero_easel.library.products import free_columns
from zero_easel.library.store.models import Shoot
from zero_easel.runs.archive import renamed_archive
from zero_easel.web.page import Bench, Db, Fields, MatchedShoot, Number, ShootById, show
from zero_easel.web.sentences import sentences_of
from zero_easel.web.stages import stages

router = APIRouter()
_PAGE = 200
_RULES = tuple(rules_in(Names))
_LABELS = ("Name", "Folders", "Replace", "Twice")


class Fault(NamedTuple):
    """What is wrong with a rule. before, at, after: the pattern around the place."""

    field: str
    message: str
    before: str = ""
    at: str = ""
    after: str = ""


@router.get("/shoots/{shoot_id}/names")
def names_page(request: Request, session: Db, shoot: MatchedShoot, only: str = "", page: Number = 1) -> HTMLResponse:
    """The rules of naming, and what they make of this shoot."""
    rules = shoot.standard.rules
    return show(request, "names.html", stage="names", **_names(session, shoot, rules, only, page))


@router.post("/shoots/{shoot_id}/names/try")
def try_names(request: Request, session: Db, shoot: ShootById, form: Fields) -> HTMLResponse:
    """What rules that are still being typed would make; nothing is kept."""
    values = {key: form[key] for key in _RULES if key in form}
    rules, fault = _tried(shoot.standard.rules, values, free_columns(session))
    context = _names(session, shoot, rules, form.get("only", ""), 1, fault)
    return show(request, "_names_made.html", **context)


@router.post("/shoots/{shoot_id}/names")
def keep_rule(
    request: Request,
    session: Db,
    shoot: ShootById,
    field: Annotated[str, Form()],
    value: Annotated[str, Form()] = "",
    only: Annotated[str, Form()] = "",
) -> HTMLResponse:
    """Keep one rule; what is not possible is said, and nothing changes."""
    before = shoot.standard.rules
    rules, fault = _tried(before, {field: value}, free_columns(session))
    context = _names(session, shoot, rules, only, 1, fault)
    fault = context["fault"]
    if fault is None and field in _RULES:
        set_rule(session, shoot.standard, f"names.{field}", value)
        session.flush()
    context["marks"] = stages(session, shoot)
    answer = show(request, "_names_made.html", answer=True, stage="names", saved=fault is None, **context)
    kept = shoot.standard.rules.names
    answer.headers["HX-Trigger"] = json.dumps({"named": {key: str(getattr(kept, key)) for key in _RULES}})
    return answer


@router.get("/shoots/{shoot_id}/renamed.zip")
def renamed(session: Db, bench: Bench, shoot: MatchedShoot, after: BackgroundTasks) -> Response:
    """The photos themselves, byte by byte, under their new names: no pixel is touched."""
    try:
        planned = plan_lines(session, shoot.name, lines_of(session, shoot.id), shoot.standard.rules, copies=True)
        path = renamed_archive(bench.vault, planned.pictures)
    except (PatternError, RenameError) as error:
        return HTMLResponse(str(error), 409)
    after.add_task(path.unlink, missing_ok=True)
    name = f"{portable(shoot.name)}-renamed.zip"
    return FileResponse(path, media_type="application/zip", filename=name, background=after)


def _tried(rules: Standard, values: dict[str, str], columns: list[str]) -> tuple[Standard, Fault | None]:
    """The rules with some replaced; what is not possible stays as it was, and the first of that is told."""
    fault = None
    for key, value in values.items():
        try:
            if key in ("name", "folder") and value.strip():
                NamePattern(value, columns)
            rules = changed(rules, f"names.{key}", value)
        except PatternError as error:
            fault = fault or _pointing(key, value, error)
        except StandardError as error:
            fault = fault or Fault(key, str(error))
    return rules, fault


def _pointing(field: str, text: str, error: PatternError) -> Fault:
    at, end = error.at, error.at + error.length
    return Fault(field, str(error), text[:at], text[at:end], text[end:])


def _names(
    session: Db, shoot: Shoot, rules: Standard, only: str, page: Number, fault: Fault | None = None
) -> dict[str, Any]:
    plan: ShootPlan | None = None
    planned: list[tuple[PhotoLine, Planned]] = []
    clashes: Sequence[Clash] = []
    try:
        plan = plan_by(session, shoot, rules)
        planned, clashes = plan.pictures, plan.batch.clashes
    except PatternError as error:
        fault = fault or Fault("find", str(error))
    key = ("named", shoot.id, id(plan))
    clashing, problems, changed = kept(session, key, lambda: (plan, _counted(planned, clashes)))[1]
    rows = [pair for pair in planned if _wanted(pair[1], only, clashing)] if only else planned
    pages = max(1, -(-len(rows) // _PAGE))
    page = min(max(1, page), pages)
    return {
        "shoot": shoot,
        "marks": stages(session, shoot),
        "rules": rules,
        "row": shoot.standard,
        "follows": following(session, shoot),
        "fault": fault,
        "planned": planned,
        "rows": rows[(page - 1) * _PAGE : page * _PAGE],
        "page": page,
        "pages": pages,
        "only": only,
        "clashes": clashes,
        "clashing": clashing,
        "example": example_of([one for _, one in planned]),
        "problems": problems,
        "gs1": GS1,
        "changed": changed,
        "fields": (*FIELDS, *free_columns(session)),
        "rule_values": values_as_typed(rules),
        "labelled": list(zip(_LABELS, sentences_of("names"), strict=True)),
    }


def _counted(planned: Sequence[tuple[PhotoLine, Planned]], clashes: Sequence[Clash]) -> tuple[frozenset[str], int, int]:
    """Paths of photos whose pictures would share a name, how many pictures have problems, how many a new name."""
    twice = {original for clash in clashes for original in clash.originals}
    clashing = frozenset(plan.path for _, plan in planned if plan.path in twice or plan.original in twice)
    problems = sum(bool(plan.problems) or plan.path in clashing for _, plan in planned)
    return clashing, problems, sum(plan.original != plan.output for _, plan in planned)


def _wanted(plan: Planned, only: str, clashing: Collection[str]) -> bool:
    if only == "problem":
        return bool(plan.problems) or plan.path in clashing
    return plan.original != plan.output if only == "changed" else True
