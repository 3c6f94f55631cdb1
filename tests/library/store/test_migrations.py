"""The last migration, on a library as an earlier version left it."""

import json
from pathlib import Path

from alembic import command
from sqlalchemy import create_engine, select, text
from support import THEN, put

from zero_easel.core.placing.placement import Adjustment
from zero_easel.core.standard.model import Standard
from zero_easel.library.changes.history import Where
from zero_easel.library.changes.undo import redo, undo
from zero_easel.library.store.database import Database, alembic_config
from zero_easel.library.store.models import CutoutRow, PhotoRow, Stage, StandardRow

EARLIER = {"deliverables": {"max_kb": "limit", "min_quality": "least"}, "canvas": {"padding": "around"},
           "names": {"replace_with": "put", "on_duplicate": "twice"}}  # fmt: skip
MARKS = [{"kind": "item", "points": [[1, 2], [3, 4]], "radius": 5.0},
         {"kind": "backdrop", "points": [[9, 9]], "radius": 3.0}]  # fmt: skip


def earlier_rules() -> dict[str, object]:
    """The built-in standard in the words of the version before."""
    rules = Standard().model_dump(mode="json")
    for part, names in EARLIER.items():
        for row in rules[part] if isinstance(rules[part], list) else [rules[part]]:
            for new, old in names.items():
                row[old] = row.pop(new)
    rules["canvas"]["around"] = "20px"
    rules["deliverables"][0]["limit"] = 150
    return rules


def earlier_library(path: Path) -> str:
    url = f"sqlite:///{path}"
    command.upgrade(alembic_config(url), "0005")
    engine = create_engine(url)
    with engine.begin() as connection:
        put(connection, "standard", id=1, version=1, frozen=0, rules=json.dumps(earlier_rules()), updated=THEN)
        put(connection, "shoot", id=1, name="A", created=THEN, standard_id=1, stale=0)
        put(connection, "original", digest="d", bytes=9, format="JPEG", width=90, height=90, bits=8, orientation=1,
            profile="", density=72, error="", read=1, codes='["A-1"]', card_like=0)  # fmt: skip
        put(connection, "photo", id=1, shoot_id=1, digest="d", name="a.jpg", folder="", added=THEN, code="A",
            view="front", turn="", why="", doubt="", card=0, not_card=0, by_hand=0, listed=1, left_out=0,
            clearing="done", problem="", accepted=0, empty=0, marks=json.dumps(MARKS), marks_at=1,
            hand='{"right": 2.5, "turn": 3.0}')  # fmt: skip
        put(connection, "change", id=1, shoot_id=1, stage="place", said="A placed by hand",
            before='{"hands": {"1": {}}}',
            after='{"hands": {"1": {"right": 2.5, "turn": 3.0}}}', undone=0,
            made=THEN)  # fmt: skip
    engine.dispose()
    return url


def test_rules_places_and_marks_come_along_and_can_still_be_undone(tmp_path: Path) -> None:
    url = earlier_library(tmp_path / "easel.sqlite")
    database = Database(tmp_path / "easel.sqlite")
    database.migrate()
    with database.session() as session:
        rules = session.scalars(select(StandardRow)).one().rules
        assert rules.canvas.padding == "20px" and rules.deliverables[0].max_kb == 150
        photo = session.scalars(select(PhotoRow)).one()
        assert photo.adjustment == Adjustment(right=2.5, turn=3.0) and photo.original.codes == ("A-1",)
        assert [mark.kind for mark in photo.marks] == ["item"]
        assert redo(session, Where(Stage.TOUCH_UP, 1)) and [mark.kind for mark in photo.marks] == ["item", "backdrop"]
        assert undo(session, Where(Stage.TOUCH_UP, 1)) and undo(session, Where(Stage.TOUCH_UP, 1)) and not photo.marks
        assert undo(session, Where(Stage.PLACE, 1)) and photo.adjustment == Adjustment()
        assert redo(session, Where(Stage.PLACE, 1)) and photo.adjustment.right == 2.5
        assert session.scalars(select(CutoutRow)).all() == []
    database.close()

    command.downgrade(alembic_config(url), "0005")
    with create_engine(url).begin() as connection:
        kept = json.loads(str(connection.execute(text("SELECT rules FROM standard")).scalar()))
        assert kept["canvas"]["around"] == "20px" and kept["deliverables"][0]["limit"] == 150
        hand = json.loads(str(connection.execute(text("SELECT hand FROM photo")).scalar()))
        assert hand["right"] == 2.5
