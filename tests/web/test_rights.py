"""Who may ask for what: each address, asked as nobody, as somebody whose session has ended, with a link that is not for
it, and in each role. What is to be answered stands in docs/rights.md, which is made from the routes."""

import re
import shutil
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from people import PASSWORD, add_people
from programs import application
from support import HERE

from zero_easel.doors.approving import make_link
from zero_easel.library.people.sign_ins import IDLE
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Shoot, now
from zero_easel.library.store.people import JournalEntry, Person, Role, SignIn

ROWS = re.findall(r"^\| (\w+) \| `(.+?)` \| (\w+) \|", (HERE.parent / "docs/rights.md").read_text(), re.MULTILINE)
FILLED = {"digest": "0" * 64, "key": "0" * 64, "kind": "csv", "direction": "undo", "stage": "match", "part": "checks"}
COOKIE = "zero-easel"


@pytest.fixture(scope="module")
def team(prepared: Path, tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = shutil.copytree(prepared, tmp_path_factory.mktemp("team") / "data")
    add_people(folder, Ida=Role.OWNER, Mara=Role.MAKER, Vito=Role.VIEWER)
    return folder


@pytest.fixture(scope="module")
def client(team: Path) -> Iterator[TestClient]:
    with application(team) as client:
        yield client


def sign_in(client: TestClient, name: str) -> str:
    """What the cookie of somebody holds who has just signed in."""
    client.cookies.clear()
    answer = client.post("/sign-in", data={"name": name, "password": PASSWORD}, follow_redirects=False)
    assert answer.status_code == 303, answer.text
    cookie = str(answer.cookies[COOKIE])
    client.cookies.clear()
    return cookie


def filled(path: str) -> str:
    return re.sub(r"{(\w+?)(:\w+)?}", lambda found: FILLED.get(found[1], "1"), path)


def ask(client: TestClient, method: str, path: str, cookie: str = "") -> int:
    headers = {"Accept": "text/html"} | ({"Cookie": f"{COOKIE}={cookie}"} if cookie else {})
    return client.request(method, filled(path), headers=headers, follow_redirects=False).status_code


def test_each_address_is_told() -> None:
    assert len(ROWS) > 150 and {needs for _, _, needs in ROWS} == {"all", "viewer", "maker", "owner"}
    for method, path, needs in ROWS:
        assert needs in ("viewer", "owner", "all") or method != "GET", path
        assert method == "GET" or needs != "viewer" or path.startswith(("/account", "/sign-out", "/notes")), path


def test_nobody_gets_in_without_a_session_that_is_good(client: TestClient, team: Path) -> None:
    ended, link = sign_in(client, "Mara"), ""
    database = Database(team / "zero-easel.sqlite")
    with database.session() as session:
        session.query(SignIn).update({"used": now() - IDLE - timedelta(minutes=1)})
        link = make_link(session, session.get_one(Shoot, 1), "a customer")[1]
    database.close()
    for method, path, needs in ROWS:
        for cookie in ("", ended, "made-up", link):
            status = ask(client, method, path, cookie)
            if needs != "all":
                assert status == (303 if method == "GET" else 401), (method, path, status)
            else:
                assert status not in (401, 403) or path.startswith("/approve/"), (method, path, status)


@pytest.mark.parametrize("name", ["Vito", "Mara", "Ida"])
def test_each_role_may_what_the_table_says(name: str, client: TestClient) -> None:
    roles = {"Vito": ["viewer"], "Mara": ["viewer", "maker"], "Ida": ["viewer", "maker", "owner"]}
    cookie = sign_in(client, name)
    for method, path, needs in ROWS:
        if needs == "all" or path in ("/sign-out",) or path.endswith("/shutter"):
            continue
        may = needs in roles[name]
        if may and (method != "GET" or path == "/news"):
            continue  # what it does is told by other tests; here it is enough that others may not
        status = ask(client, method, path, cookie)
        assert (status == 403) == (not may), (method, path, status)
        assert may is False or status < 500, (method, path, status)


def test_a_viewer_changes_nothing(client: TestClient, team: Path) -> None:
    def told() -> int:
        database = Database(team / "zero-easel.sqlite")
        with database.session() as session:
            count = session.query(JournalEntry).count()
        database.close()
        return count

    cookie, before = sign_in(client, "Vito"), told()
    for method, path, needs in ROWS:
        if method != "GET" and needs in ("maker", "owner"):
            assert ask(client, method, path, cookie) == 403
    assert told() == before
    answer = client.post("/api/v1/shoots", json={"name": "x"}, headers={"Cookie": f"{COOKIE}={cookie}"})
    assert answer.status_code == 401


def test_what_somebody_may_no_more_they_may_at_once_no_more(client: TestClient, team: Path) -> None:
    cookie = sign_in(client, "Mara")
    data, headers = {"name": "Row"}, {"Cookie": f"{COOKIE}={cookie}"}
    assert client.post("/shoots/1/name", data=data, headers=headers, follow_redirects=False).status_code == 303
    database = Database(team / "zero-easel.sqlite")
    with database.session() as session:
        session.query(Person).filter_by(name="Mara").update({"role": Role.VIEWER})
    assert client.post("/shoots/1/name", data=data, headers=headers).status_code == 403
    with database.session() as session:
        session.query(Person).filter_by(name="Mara").update({"role": Role.MAKER, "active": False})
    assert client.post("/shoots/1/name", data=data, headers=headers).status_code == 401
    database.close()
