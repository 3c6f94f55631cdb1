"""What is kept of a shoot's photos is never older than what stands in the library, whoever changed it."""

import sqlite3
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import delete, update
from sqlalchemy.orm import Session
from support import new_library

from zero_easel.core.standard.model import Standard
from zero_easel.library.batches import plan_shoot
from zero_easel.library.lists.kept import one_look
from zero_easel.library.lists.lines import lines_of
from zero_easel.library.lists.lineup import laid_out, row_of
from zero_easel.library.products import import_catalog
from zero_easel.library.shoots import create_shoot
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Original, PhotoRow, ProductRow, Shoot

COUNT = 6


@pytest.fixture(scope="module")
def database(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Database]:
    database = new_library(tmp_path_factory.mktemp("kept") / "easel.sqlite")
    with database.session() as session:
        create_shoot(session, "Shelf")
        for at in range(COUNT):
            session.add(Original(digest=f"{at:064}", bytes=10, width=40, height=30, read=True))
            session.flush()
            session.add(PhotoRow(shoot_id=1, digest=f"{at:064}", name=f"{at}.jpg"))
    yield database
    database.close()


def told(session: Session) -> list[object]:
    """All that is kept."""
    row, shoot = row_of(session, 1), session.get_one(Shoot, 1)
    plan = plan_shoot(session, shoot)
    return [lines_of(session, 1), row, laid_out(session, 1, row, Standard()), [one for _, one in plan.pictures]]


def fresh(path: Path) -> list[object]:
    """The same from a copy of the library that nobody has looked at."""
    copy = path.with_name("copy.sqlite")
    copy.unlink(missing_ok=True)
    with sqlite3.connect(path) as source, sqlite3.connect(copy) as target:
        source.backup(target)
    database = Database(copy)
    with database.session() as session:
        found = told(session)
    database.close()
    return found


def change(session: Session, what: str, at: int) -> None:
    photo = PhotoRow.id == at + 1
    if what == "left out":
        session.execute(update(PhotoRow).where(photo).values(left_out=~PhotoRow.left_out))
    elif what == "code":
        session.execute(update(PhotoRow).where(photo).values(code=f"A-{at}", by_hand=True))
    elif what == "size":
        session.execute(update(Original).where(Original.digest == f"{at:064}").values(width=Original.width + 1))
    elif what == "product":
        import_catalog(session, f"code,name\nA-{at},Thing {at}\n".encode(), "products.csv")
    elif what == "no products":
        session.execute(delete(ProductRow))
    elif what == "name":
        session.execute(update(Shoot).values(name=f"Shelf {at}"))


CHANGES = st.tuples(
    st.sampled_from(["left out", "code", "size", "product", "no products", "name"]), st.integers(0, COUNT - 1)
)


@settings(max_examples=40)
@given(steps=st.lists(st.tuples(CHANGES, st.booleans()), max_size=6))
def test_it_follows_every_change_and_forgets_what_was_taken_back(
    database: Database, steps: list[tuple[tuple[str, int], bool]]
) -> None:
    for (what, at), stays in steps:
        with database.session() as session:
            told(session)
        session = Session(database.engine)
        try:
            change(session, what, at)
            # Who has changed something sees it at once; nobody else is to hear of it yet.
            told(session)
            session.commit() if stays else session.rollback()
        finally:
            session.close()
        with database.session() as session:
            assert told(session) == fresh(database.path)


def test_what_has_not_changed_is_not_worked_out_again(database: Database) -> None:
    with database.session() as session:
        first = told(session)
    with database.session() as session:
        again = told(session)
        assert all(one is other for one, other in zip(first[:3], again[:3], strict=True))
        session.execute(update(PhotoRow).values(problem="x"))
    with database.session() as session:
        assert lines_of(session, 1) is not first[0] and lines_of(session, 1)[0].problem == "x"


def test_one_look_sees_one_state(database: Database) -> None:
    with database.session() as looking:
        one_look(looking)
        before = lines_of(looking, 1)
        with database.session() as other:
            other.execute(update(PhotoRow).where(PhotoRow.id == 1).values(view="seen later"))
            assert any(line.view == "seen later" for line in lines_of(other, 1))
        assert lines_of(looking, 1) is before
        # What it changes itself it sees.
        looking.execute(update(PhotoRow).where(PhotoRow.id == 2).values(view="its own"))
        assert {"seen later", "its own"} <= {line.view for line in lines_of(looking, 1)}
    with database.session() as session:
        assert {"seen later", "its own"} <= {line.view for line in lines_of(session, 1)}
