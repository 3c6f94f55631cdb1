"""Standards: what every picture must be, and their versions."""

from typing import Annotated

from fastapi import APIRouter, BackgroundTasks, Response
from pydantic import BaseModel, Field
from sqlalchemy import select

from zero_easel.api import PREFIX
from zero_easel.api.access import Bench, Reading, Writing, may
from zero_easel.api.once import Creating, made
from zero_easel.api.pages import Listing, PartAsked
from zero_easel.api.problems import Refusal, found, problems
from zero_easel.api.told import ChangedStandard, Moment, Other, SeenStandard, Sent
from zero_easel.api.versions import Seen, tagged
from zero_easel.core.standard.model import Standard, StandardError
from zero_easel.core.standard.yaml.file import write_standard
from zero_easel.library.changes.standards import (
    Version,
    add_standard,
    change_rules,
    ensure_standard,
    remove_standard,
    versions_of,
)
from zero_easel.library.store.access import Right
from zero_easel.library.store.models import StandardRow

router = APIRouter(tags=["standards"])


class StandardTold(BaseModel):
    """A standard without its rules. version: number of what it says now. frozen: a run used this version, or a person
    named it, so that the next change opens another. parent: the standard that it was derived from."""

    id: int = Field(examples=[1])
    name: str = Field(examples=["Brindle Yard"])
    version: int
    frozen: bool
    updated: Moment
    parent: int | None


class StandardWhole(StandardTold):
    """A standard with its rules, as docs/formats.md tells of them."""

    rules: Standard


class NewStandard(Sent):
    """A copy of another standard, or one by rules of its own; whatever these leave out is as in the built-in one."""

    name: Annotated[str, Field(min_length=1, max_length=110, pattern=r"\S", examples=["Winter"])]
    like: Other | None = None
    rules: Standard | None = None


class VersionTold(BaseModel):
    """A version of a standard. changes: what it changed of the one before, in words. runs: those that used it."""

    number: int
    label: str
    changes: list[str]
    runs: list[int]
    current: bool


class Versions(BaseModel):
    """All versions of a standard, the newest first."""

    versions: list[VersionTold]


def _told(row: StandardRow) -> StandardTold:
    return StandardTold(
        id=row.id,
        name=row.rules.name,
        version=row.version,
        frozen=row.frozen,
        updated=row.updated,
        parent=row.parent_id,
    )


def _whole(row: StandardRow) -> StandardWhole:
    return StandardWhole.model_construct(rules=row.rules, **dict(_told(row)))


@router.get("/standards", dependencies=may(Right.READ))
def list_standards(session: Reading, cursor: PartAsked) -> Listing[StandardTold]:
    """All standards, the shop's first one first."""
    ensure_standard(session)
    return cursor.part(cursor.rows(session, select(StandardRow), StandardRow.id), _told, lambda row: row.id)


@router.post(
    "/standards",
    status_code=201,
    response_model=StandardWhole,
    dependencies=may(Right.STANDARDS),
    responses=problems(404),
)
def new_standard(session: Writing, asked: NewStandard, once: Creating) -> Response:
    """One more standard. A name that is taken gets a number."""

    def create() -> Response:
        like = found(session.get(StandardRow, asked.like), "standard").rules if asked.like else Standard()
        rules = asked.rules or like
        row = add_standard(session, rules.model_copy(update={"name": " ".join(asked.name.split())}))
        return made(_whole(row), f"{PREFIX}/standards/{row.id}", row.rules)

    return once.do(asked, create)


@router.get("/standards/{standard_id}", dependencies=may(Right.READ))
def read_standard(row: SeenStandard, response: Response) -> StandardWhole:
    """One standard with its rules."""
    tagged(response, row.rules)
    return _whole(row)


@router.get(
    "/standards/{standard_id}/file",
    dependencies=may(Right.READ),
    response_class=Response,
    responses={200: {"content": {"application/yaml": {"schema": {"type": "object"}}}}},
)
def read_file(row: SeenStandard) -> Response:
    """The rules as a commented YAML file, as the command line reads them."""
    return Response(write_standard(row.rules), media_type="application/yaml")


@router.put("/standards/{standard_id}/rules", dependencies=may(Right.STANDARDS), responses=problems(409, 412, 428))
def change_standard(
    session: Writing,
    bench: Bench,
    row: ChangedStandard,
    asked: Standard,
    seen: Seen,
    response: Response,
    after: BackgroundTasks,
) -> StandardWhole:
    """Replace all rules. Shoots follow from their next run on; what was made stays. 409 if a pattern asks for a column
    that the catalog does not have."""
    seen.must_be(row.rules)
    try:
        change_rules(session, row, asked)
    except StandardError as error:
        raise Refusal(409, f"{error}.") from error
    after.add_task(bench.dispatcher.wake)
    tagged(response, row.rules)
    return _whole(row)


@router.delete(
    "/standards/{standard_id}", status_code=204, dependencies=may(Right.STANDARDS), responses=problems(409, 412, 428)
)
def delete_standard(session: Writing, row: ChangedStandard, seen: Seen) -> None:
    """Delete a standard that no shoot follows and no run used."""
    seen.must_be(row.rules)
    try:
        remove_standard(session, row)
    except StandardError as error:
        raise Refusal(409, f"It stays: {error}.") from error


@router.get("/standards/{standard_id}/versions", dependencies=may(Right.READ))
def read_versions(session: Reading, row: SeenStandard) -> Versions:
    """What became of a standard."""
    return Versions(versions=[_version(one) for one in versions_of(session, row)])


def _version(one: Version) -> VersionTold:
    changes = [difference.text for difference in one.changes]
    return VersionTold(number=one.number, label=one.label, changes=changes, runs=one.runs, current=one.current)
