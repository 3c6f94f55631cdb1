"""Who is let in by which token, and what each may do."""

from datetime import timedelta
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from programs import Program, application, problem, token_for

from zero_easel.api import PREFIX
from zero_easel.library.store.access import AccessToken, Right
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import now
from zero_easel.library.tokens import TokenError, issue, revoke


def operations(client: TestClient) -> list[tuple[str, str]]:
    """All that may be asked, with numbers of what is there."""
    paths = client.get(f"{PREFIX}/openapi.json").json()["paths"]
    filled = {"{step}": "undo", "{code}": "BY-2102"}
    found = []
    for path, methods in paths.items():
        for name in [part for part in path.split("/") if part.startswith("{")]:
            path = path.replace(name, filled.get(name, "1"))
        found += [(method.upper(), path) for method in methods]
    assert len(found) > 50
    return found


def test_nobody_is_let_in_without_a_token_that_is_good(client: TestClient, folder: Path) -> None:
    database = Database(folder / "zero-easel.sqlite")
    with database.session() as session:
        gone, text = issue(session, "gone", tuple(Right))
        revoke(session, gone)
        old, expired = issue(session, "old", tuple(Right))
        old.expires = now() - timedelta(seconds=1)
    database.close()
    for method, path in operations(client):
        answer = client.request(method, PREFIX + path)
        assert "Show a token" in problem(answer, 401) and answer.headers["www-authenticate"] == "Bearer", (method, path)
        for header, said in (
            (f"Bearer {text}", "revoked"),
            (f"Bearer {expired}", "expired"),
            ("Bearer x", "not known"),
        ):
            answer = client.request(method, PREFIX + path, headers={"Authorization": header})
            assert said in problem(answer, 401), (method, path)
            assert "invalid_token" in answer.headers["www-authenticate"]


def test_a_token_allows_what_it_says_and_nothing_else(client: TestClient, folder: Path) -> None:
    reader, blind = Program(client, folder, [Right.READ]), Program(client, folder, [Right.PHOTOS, Right.RUNS])
    for method, path in operations(client):
        asked, other = (blind, reader) if method == "GET" else (reader, blind)
        answer = asked.ask(method, path)
        assert "does not allow" in problem(answer, 403), (method, path)
        assert "insufficient_scope" in answer.headers["www-authenticate"]
        assert method != "GET" or other.ask(method, path).status_code in (200, 404), path
    assert Program(client, folder, [Right.RUNS]).ask("POST", "/shoots", json={"name": "x"}).status_code == 403
    assert blind.ask("POST", "/shoots", json={"name": "x"}).status_code == 201
    assert "standards" in problem(blind.ask("PUT", "/standards/1/rules", json={}), 403)


def test_a_token_is_kept_nowhere_and_its_use_is_told(client: TestClient, program: Program, folder: Path) -> None:
    assert program.get("/token")["scopes"] == sorted(Right)
    token = program.token
    client.close()
    assert not any(token.encode() in file.read_bytes() for file in folder.rglob("*") if file.is_file())
    database = Database(folder / "zero-easel.sqlite")
    with database.session() as session:
        row = session.query(AccessToken).order_by(AccessToken.id.desc()).first()
        assert row is not None and row.used is not None and now() - row.used < timedelta(minutes=5)
        assert token.startswith(row.begins) and len(row.begins) == 10
    database.close()


def test_who_asks_too_much_waits(folder: Path) -> None:
    with application(folder, rate=30) as client:
        program = Program(client, folder)
        other = Program(client, folder)
        answers = [program.ask("GET", "/shoots") for _ in range(40)]
        refused = [answer for answer in answers if answer.status_code == 429]
        assert refused and int(refused[0].headers["Retry-After"]) >= 1
        assert "ask again" in problem(refused[0], 429)
        assert other.ask("GET", "/shoots").status_code == 200
        guesses = [client.get(f"{PREFIX}/shoots", headers={"Authorization": f"Bearer {at}"}) for at in range(5)]
        assert guesses[0].status_code == 401 and guesses[-1].status_code == 429


@pytest.mark.parametrize(
    ("name", "rights", "days", "said"),
    [
        (" ", [Right.READ], 1, "name"),
        ("x", [], 1, "allows"),
        ("x", [Right.READ], 0, "1 to"),
        ("x", list(Right), 9999, "1 to"),
    ],
)
def test_a_token_that_cannot_be(name: str, rights: list[Right], days: int, said: str, folder: Path) -> None:
    database = Database(folder / "zero-easel.sqlite")
    with database.session() as session, pytest.raises(TokenError, match=said):
        issue(session, name, rights, days)
    database.close()


def test_the_page_shows_a_token_once(client: TestClient) -> None:
    page = client.post("/programs/tokens", data={"name": "Export", "days": "5", "rights": ["read", "runs"]})
    text = page.text.split('once-text">')[1].split("<")[0]
    assert text.startswith("zeo_") and "Export" in page.text and "start runs" in page.text
    headers = {"Authorization": f"Bearer {text}"}
    assert client.get(f"{PREFIX}/token", headers=headers).json()["scopes"] == ["read", "runs"]
    assert text not in client.get(str(page.url)).text
    refused = client.post("/programs/tokens", data={"name": "", "days": "5", "rights": ["read"]})
    assert refused.status_code == 422 and "needs a name" in refused.text
    number = client.get("/programs").text.split("/programs/tokens/")[1].split("/")[0]
    assert "revoked" in client.post(f"/programs/tokens/{number}/revoke").text
    assert client.get(f"{PREFIX}/token", headers=headers).status_code == 401


def test_other_addresses_and_methods_are_told_apart(client: TestClient, folder: Path) -> None:
    headers = {"Authorization": f"Bearer {token_for(folder)}"}
    assert "nothing at this address" in problem(client.get(f"{PREFIX}/moon", headers=headers), 404)
    answer = client.delete(f"{PREFIX}/photos/1", headers=headers)
    assert "no such method" in problem(answer, 405) and answer.headers["Allow"] == "GET, PATCH"
    answer = client.post(f"{PREFIX}/shoots", headers={"Origin": "https://elsewhere.example", **headers}, json={})
    assert "other sites" in problem(answer, 403)
