"""The database file and the vault."""

import os
from pathlib import Path

import pytest
from alembic import command
from sqlalchemy import text
from support import CATALOG, new_library

from zero_easel.core.clearing.marks import Mark
from zero_easel.core.standard.model import StandardError
from zero_easel.library.changes.standards import ensure_standard, set_rule
from zero_easel.library.products import find_code, find_products, import_catalog
from zero_easel.library.store.database import Database, alembic_config
from zero_easel.library.store.vault import Vault, cutout_key


@pytest.fixture
def database(tmp_path: Path) -> Database:
    return new_library(tmp_path / "easel.sqlite")


def test_migrations_make_what_the_models_say(tmp_path: Path) -> None:
    database = Database(tmp_path / "100% ours" / "easel.sqlite")
    database.migrate()
    command.check(alembic_config(database.url))
    database.migrate()


def test_readers_are_not_kept_waiting(database: Database) -> None:
    with database.session() as writer:
        assert writer.execute(text("PRAGMA journal_mode")).scalar() == "wal"
        import_catalog(writer, CATALOG.read_bytes(), "products.csv")
        with database.session() as reader:
            assert find_products(reader, "") == []
    with database.session() as reader:
        assert len(find_products(reader, "")) == 15


def test_a_block_that_fails_leaves_nothing(database: Database) -> None:
    with pytest.raises(ZeroDivisionError), database.session() as session:
        import_catalog(session, CATALOG.read_bytes(), "products.csv")
        raise ZeroDivisionError
    with database.session() as session:
        assert find_code(session, "by-2104") is None


def test_a_second_import_updates_by_code(database: Database) -> None:
    with database.session() as session:
        assert import_catalog(session, CATALOG.read_bytes(), "a.csv").added == 15
    with database.session() as session:
        again = import_catalog(session, b"code,name\nBY-2104,Big mug\nNEW-1,Cup\n", "b.csv")
        assert (again.added, again.changed) == (1, 1)
        assert find_products(session, "big")[0].code == "BY-2104"
        assert [p.code for p in find_products(session, "_1")] == []


def test_a_used_standard_is_not_changed_but_followed_by_the_next(database: Database) -> None:
    with database.session() as session:
        row = ensure_standard(session)
        set_rule(session, row, "canvas.width", "900")
        assert row.version == 1
        row.frozen = True
        set_rule(session, row, "canvas.width", "900")
        assert row.version == 1
        set_rule(session, row, "canvas.width", "901")
        assert (row.version, row.frozen) == (2, False)
        with pytest.raises(StandardError):
            set_rule(session, row, "canvas.width", "0")
        assert row.rules.canvas.width == 901


def test_the_vault_writes_an_original_once(tmp_path: Path) -> None:
    vault = Vault(tmp_path)
    vault.prepare()
    digest = vault.keep(b"photo")
    path = vault.original(digest).path()
    before = path.stat().st_mtime_ns
    assert vault.keep(b"photo") == digest
    assert path.stat().st_mtime_ns == before and path.read_bytes() == b"photo"
    (path.parent / ".part-left").write_bytes(b"half")
    vault.prepare()
    assert os.listdir(path.parent) == [digest]  # noqa: PTH208


def test_a_cutouts_key_follows_from_all_that_it_depends_on() -> None:
    assert cutout_key("a" * 64) == cutout_key("a" * 64)
    assert cutout_key("a" * 64) != cutout_key("b" * 64)
    assert cutout_key("a" * 64) != cutout_key("a" * 64, ["b" * 64])
    mark = Mark(kind="item", points=((1, 2),), radius=3)
    assert cutout_key("a" * 64) != cutout_key("a" * 64, (), [mark])
    assert cutout_key("a" * 64, ["b", "c"]) == cutout_key("a" * 64, ["c", "b"])
