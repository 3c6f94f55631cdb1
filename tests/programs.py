"""Another program that asks an application by its API."""

from collections.abc import Collection, Sequence
from pathlib import Path
from typing import Any

from fastapi.testclient import TestClient
from httpx import Response

from zero_easel.api import PREFIX
from zero_easel.library.store.access import Right
from zero_easel.library.store.database import Database
from zero_easel.library.tokens import issue
from zero_easel.settings import Settings
from zero_easel.web.app import create_app
from zero_easel.workbench import build_workbench


def application(folder: Path, **settings: Any) -> TestClient:
    """The application over a data folder; it runs while it is entered."""
    settings = {"jobs": 1, "upload_mb": 20, "rate": 100_000, "out": str(folder.parent)} | settings
    bench = build_workbench(Settings(data=folder, **settings))
    return TestClient(create_app(bench), base_url="http://127.0.0.1:8470", raise_server_exceptions=False)


def token_for(folder: Path, rights: Collection[Right] = tuple(Right), days: int = 30) -> str:
    """A new token."""
    database = Database(folder / "zero-easel.sqlite")
    with database.session() as session:
        text = issue(session, "a test", rights, days)[1]
    database.close()
    return text


class Program:
    """Asks with a token. What is no success fails the test, but for ask()."""

    def __init__(self, client: TestClient, folder: Path, rights: Collection[Right] = tuple(Right)) -> None:
        self.client, self.token = client, token_for(folder, rights)

    def ask(self, method: str, path: str, **more: Any) -> Response:
        """Whatever is answered."""
        headers = {"Authorization": f"Bearer {self.token}", **more.pop("headers", {})}
        return self.client.request(method, PREFIX + path, headers=headers, **more)

    def get(self, path: str, **query: Any) -> Any:
        """What is told."""
        return told(self.ask("GET", path, params=query))

    def all(self, path: str, limit: int = 500, **query: Any) -> list[Any]:
        """All of a list."""
        found, cursor = [], ""
        while cursor is not None:
            part = self.get(path, cursor=cursor, limit=limit, **query)
            found, cursor = found + part["items"], part["next"]
        return found

    def post(self, path: str, body: Any = None, **headers: str) -> Any:
        """What was created, or done."""
        return told(self.ask("POST", path, json=body, headers=headers))

    def seen(self, path: str) -> str:
        """The ETag of what is there."""
        return str(self.ask("GET", path).headers["ETag"])

    def change(self, method: str, path: str, body: Any = None, seen: str | None = None) -> Response:
        """Change what was seen, by default what is there just now."""
        return self.ask(method, path, json=body, headers={"If-Match": seen or self.seen(path)})

    def files(self, shoot: int, files: Sequence[tuple[str, bytes]]) -> list[Any]:
        """Bring files in."""
        answer = self.ask("POST", f"/shoots/{shoot}/files", files=[("files", one) for one in files])
        return list(told(answer)["files"])


def told(answer: Response) -> Any:
    """What a successful answer holds."""
    assert answer.is_success, f"{answer.status_code} {answer.text}"
    return answer.json() if answer.content else None


def problem(answer: Response, status: int) -> str:
    """The sentence of an answer that is a problem of some status (RFC 9457)."""
    assert answer.status_code == status, f"{answer.status_code} {answer.text}"
    assert answer.headers["content-type"] == "application/problem+json"
    details = answer.json()
    assert details["status"] == status and details["title"] and details["type"] == "about:blank"
    return str(details["detail"])
