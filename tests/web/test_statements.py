"""How often a page asks the database: for what it shows, and no more, however large a shoot is."""

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from fastapi.testclient import TestClient
from sqlalchemy import event
from sqlalchemy.engine import Engine
from support import PHOTOS

MOST = 5
JOURNAL = 3
"""Statements that tell the journal of a change."""
WORK = ("dispatcher", "watching folders", "handing over", "webhooks")
"""Threads that work off what waits."""


@contextmanager
def counted() -> Iterator[list[str]]:
    """Statements meanwhile, but for those of threads that work off what waits, and for looks at the counters of
    changes, a row for each table."""
    found: list[str] = []

    def note(_connection: Any, _cursor: Any, statement: str, *_: Any) -> None:
        if threading.current_thread().name not in WORK and "FROM changed" not in statement:
            found.append(statement)

    event.listen(Engine, "before_cursor_execute", note)
    try:
        yield found
    finally:
        event.remove(Engine, "before_cursor_execute", note)


def test_a_rule_is_changed_in_few_statements(cleared: TestClient) -> None:
    for address in ("/standards/1/rule", "/shoots/1/place/rule"):
        for share in ("80", "70"):
            with counted() as statements:
                answer = cleared.post(address, data={"field": "item.share", "value": share})
            assert answer.status_code == 200
        assert 0 < len(statements) <= MOST + JOURNAL, "\n".join(statements)


def test_a_photo_is_left_out_in_few_statements(cleared: TestClient) -> None:
    for address in ("/photos/1/leave-out", "/photos/1/leave-out"):
        with counted() as statements:
            assert cleared.post(address).status_code == 200
        assert 0 < len(statements) <= MOST + JOURNAL, "\n".join(statements)


def test_the_first_page_asks_for_all_shoots_at_once(cleared: TestClient) -> None:
    for at in range(12):
        shoot = str(cleared.post("/shoots", data={"name": f"Shoot {at}"}).url).split("/")[4]
        photo = (PHOTOS / "BRYD0105.JPG").read_bytes()
        cleared.post(f"/shoots/{shoot}/files", files=[("files", (f"{at}.JPG", photo))])
    with counted() as statements:
        page = cleared.get("/").text
    assert "Shoot 11" in page and 0 < len(statements) <= MOST, "\n".join(statements)
