"""Stored standards: many, with a history; and what an older library's become."""

import json
from pathlib import Path

import pytest
from alembic import command
from sqlalchemy import create_engine, select, text
from sqlalchemy.orm import Session
from support import THEN, put

from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.differences import Difference
from zero_easel.core.standard.model import Standard, StandardError
from zero_easel.core.standard.overlays import Overlay
from zero_easel.library.changes.history import Where, undoable
from zero_easel.library.changes.standards import (
    add_parts,
    add_standard,
    all_standards,
    ensure_standard,
    freeze,
    remove_standard,
    restore,
    set_rule,
    used_by,
    versions_of,
)
from zero_easel.library.changes.undo import redo as redo_there
from zero_easel.library.changes.undo import undo as undo_there
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.database import Database, alembic_config
from zero_easel.library.store.models import PictureRow, Run, Stage, StandardRow


def stack(row: StandardRow) -> Where:
    return Where(Stage.STANDARD, row.id)


def undo(session: Session, row: StandardRow) -> list[Difference]:
    step = undo_there(session, stack(row))
    return step.changes if step else []


def redo(session: Session, row: StandardRow) -> list[Difference]:
    step = redo_there(session, stack(row))
    return step.changes if step else []


def steps_open(session: Session, row: StandardRow) -> tuple[int, int]:
    found = undoable(session, stack(row))
    return found.undos, found.redos


def told(changes: list[Difference]) -> list[str]:
    return [change.text for change in changes]


def test_versions_are_kept_told_and_restored(session: Session) -> None:
    row = ensure_standard(session)
    freeze(session, row, "first")
    set_rule(session, row, "item.share", "70")
    set_rule(session, row, "item.share", "72")
    assert row.version == 2 and not row.frozen
    freeze(session, row)
    add_parts(session, row, "deliverables", Deliverable(name="thumb", size="longest", number=200))
    now, second, first = versions_of(session, row)
    assert (now.number, now.current, second.number, first.label) == (3, True, 2, "first")
    assert told(now.changes) == ["deliverable thumb new"] and told(second.changes) == ["share 84 % → 72 %"]
    assert told(first.changes) == []
    restore(session, row, 1)
    # What was changed meanwhile is kept as a version of its own.
    assert row.rules.item.share == 84 and row.version == 4
    assert [v.number for v in versions_of(session, row)] == [4, 3, 2, 1]
    assert set_rule(session, row, "item.share", "84") == row.rules and row.version == 4
    with pytest.raises(StandardError, match="no version 9"):
        restore(session, row, 9)


def test_every_change_can_be_taken_back_and_done_again(session: Session) -> None:
    row = ensure_standard(session)
    assert told(undo(session, row)) == [] and steps_open(session, row) == (0, 0)
    set_rule(session, row, "item.share", "70")
    set_rule(session, row, "item.share", "70 %")  # nothing new, no step
    add_parts(session, row, "deliverables", Deliverable(name="thumb"))
    with pytest.raises(StandardError):
        set_rule(session, row, "item.share", "0")
    assert steps_open(session, row) == (2, 0)
    assert told(undo(session, row)) == ["deliverable thumb gone"]
    assert told(undo(session, row)) == ["share 70 % → 84 %"] and row.rules == Standard()
    assert told(redo(session, row)) == ["share 84 % → 70 %"] and steps_open(session, row) == (1, 1)
    freeze(session, row)
    assert told(undo(session, row)) == ["share 70 % → 84 %"] and row.version == 2
    set_rule(session, row, "item.share", "60")
    assert told(redo(session, row)) == []  # another way was taken
    other = add_standard(session, Standard(name="B"))
    assert told(undo(session, other)) == [] and steps_open(session, other) == (0, 0)


def test_a_standard_that_something_needs_stays(session: Session) -> None:
    first, second = ensure_standard(session), add_standard(session, Standard())
    assert [row.rules.name for row in all_standards(session)] == ["Shop pictures", "Shop pictures 2"]
    shoot = create_shoot(session, "Row")
    assert used_by(session, first) == [shoot]
    with pytest.raises(StandardError, match="shoots use it"):
        remove_standard(session, first)
    remove_standard(session, second)
    shoot.standard_id = add_standard(session, Standard(name="B")).id
    session.flush()
    remove_standard(session, first)
    with pytest.raises(StandardError, match=r"shoots use it|only one"):
        remove_standard(session, all_standards(session)[0])


def test_patterns_are_held_to_the_catalog_wherever_they_stand(session: Session) -> None:
    row = ensure_standard(session)
    for field, value in (("information.title", "{nam}"), ("names.name", "{cod}"), ("deliverables.shop.file", "{size}")):
        with pytest.raises(StandardError, match="no column"):
            set_rule(session, row, field, value)
    with pytest.raises(StandardError, match="asks for a column 'discount'"):
        add_parts(session, row, "overlays", Overlay(text="x", when="discount"))
    assert row.rules == Standard()


OLD = Standard().model_dump(mode="json", include={"name", "canvas", "item", "exceptions"}) | {
    "views": {"": ["front"]},
    "deliverable": {"format": "webp", "quality": 77, "name": "{code}-{n}", "folder": "{category}", "count": "run",
                    "start": 5, "find": "", "put": "", "find_as": "text", "twice": "count"},
}  # fmt: skip


def test_an_older_library_keeps_its_rules_runs_and_pictures(tmp_path: Path) -> None:
    path = tmp_path / "easel.sqlite"
    url = f"sqlite:///{path}"
    command.upgrade(alembic_config(url), "0004")
    engine = create_engine(url)
    with engine.begin() as connection:
        rules = json.dumps(OLD)
        put(connection, "standard", id=1, version=2, frozen=1, rules=rules, updated=THEN)
        put(connection, "shoot", id=1, name="A", created=THEN, standard_id=1, stale=0)
        put(connection, "original", digest="d", bytes=9, format="JPEG", width=90, height=90, bits=8, orientation=1,
            profile="", density=72, error="", read=1, codes="[]", card_like=0)  # fmt: skip
        put(connection, "photo", id=1, shoot_id=1, digest="d", name="a.jpg", folder="", added=THEN, code="A",
            view="front", turn="", why="", doubt="", card=0, not_card=0, by_hand=0, listed=1, left_out=0,
            clearing="done", problem="", accepted=0, empty=0, marks="[]", marks_at=0)  # fmt: skip
        put(connection, "run", id=1, shoot_id=1, standard_version=1, rules=rules, state="done", note="", created=THEN,
            resumed=THEN, done_before=0)  # fmt: skip
        put(connection, "picture", id=1, run_id=1, photo_id=1, original="a.jpg", code="A", view="front",
            output="A-5.webp", state="done", width=90, height=90, bytes=5, sha256="x", note="", message="")  # fmt: skip
    engine.dispose()
    database = Database(path)
    database.migrate()
    with database.session() as session:
        row = ensure_standard(session)
        now = row.rules
        assert (now.deliverables[0].format, now.deliverables[0].quality, now.deliverables[0].name) == (
            "webp",
            77,
            "shop",
        )
        assert now.names.name == "{code}-{n}" and now.names.start == 5 and now.names.on_duplicate == "count"
        run = session.scalars(select(Run)).one()
        assert run.standard_id == 1 and run.rules == now
        picture = session.scalars(select(PictureRow)).one()
        assert (picture.deliverable, picture.output, list(picture.checks), picture.reused) == (
            "shop",
            "A-5.webp",
            [],
            False,
        )
        assert [(v.number, v.runs) for v in versions_of(session, row)] == [(1, [1])]
    database.close()
    command.downgrade(alembic_config(url), "0004")
    with create_engine(url).begin() as connection:
        back = json.loads(str(connection.execute(text("SELECT rules FROM standard")).scalar()))
        assert back["deliverable"] == OLD["deliverable"] and "names" not in back
        assert connection.execute(text("SELECT count(*) FROM picture")).scalar() == 1
