"""Photos are matched before a page shows them; a large shoot into which photos come, not at each look."""

from pathlib import Path

import pytest
from sqlalchemy import update
from support import new_library

from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Original, PhotoRow, Shoot
from zero_easel.web.matched import Matching


def library(tmp_path: Path, count: int) -> Database:
    database = new_library(tmp_path / "easel.sqlite")
    with database.session() as session:
        create_shoot(session, "Shelf")
        session.add_all(Original(digest=f"{at:064}", bytes=10, width=40, height=30, read=True) for at in range(count))
        session.flush()
        session.add_all(PhotoRow(shoot_id=1, digest=f"{at:064}", name=f"{at}.jpg") for at in range(count))
    return database


def looked_at(database: Database, matching: Matching) -> bool:
    """Whether the shoot is matched after something has come in and somebody has looked."""
    with database.session() as session:
        session.execute(update(Shoot).values(stale=True))
    with database.session() as session:
        matching.ensure(database, session, 1)
        return not session.get_one(Shoot, 1).stale


@pytest.mark.parametrize(("count", "again"), [(3, True), (500, False)])
def test_a_large_shoot_rests_after_it_was_matched(count: int, again: bool, tmp_path: Path) -> None:
    database, patient = library(tmp_path, count), Matching(pause=1e9)
    assert looked_at(database, patient)
    assert looked_at(database, patient) is again
    assert looked_at(database, Matching(pause=0)) and looked_at(database, Matching(pause=0))
    database.close()
