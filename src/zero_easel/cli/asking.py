"""Commands that ask an application: over its API, at another place or over the library of this machine, alike."""

import asyncio
import inspect
import os
import tempfile
from collections.abc import Callable, Iterator, Mapping
from contextlib import AbstractContextManager, contextmanager, suppress
from functools import wraps
from ipaddress import ip_address
from pathlib import Path
from typing import IO, Annotated, Any, NamedTuple
from urllib.parse import urlsplit

import httpx
import typer
from filelock import Timeout
from starlette.types import ASGIApp, Message

from zero_easel.api import PREFIX
from zero_easel.cli.given import UsageError, tell
from zero_easel.cli.options import AsJson, Data
from zero_easel.files import data_lock
from zero_easel.settings import Settings

UNREACHED, NOT_ALLOWED = 3, 4
"""Exit statuses: no application answers at that address; the token does not allow it."""
_SECONDS = httpx.Timeout(60.0, read=600.0)
_PIECE = 1 << 20

Server = Annotated[
    str,
    typer.Option(
        "--server",
        metavar="URL",
        envvar="ZERO_EASEL_SERVER",
        help="An application elsewhere, like https://shop.example; the library of this machine if not given.",
    ),
]
Token = Annotated[
    str,
    typer.Option("--token", envvar="ZERO_EASEL_TOKEN", help="That lets in there; rather by ZERO_EASEL_TOKEN."),
]


class Common(NamedTuple):
    """Where a command asks, and how it tells."""

    data: Path | None
    server: str
    token: str
    as_json: bool

    def asking(self, *, working: bool = False) -> AbstractContextManager["Api"]:
        """The API there, see asking()."""
        return asking(self.data, self.server, self.token, working=working)

    def tell(self, told: Mapping[str, object], words: str) -> None:
        """One line: the object, or words of it."""
        tell(told, words, as_json=self.as_json)


def asks(command: Callable[..., None]) -> Callable[..., None]:
    """A command whose parameter `where` stands for the options that all of them have: --data, --server, --token and
    --json."""
    given = inspect.signature(command, eval_str=True)
    own = [one for name, one in given.parameters.items() if name != "where"]
    kind = inspect.Parameter.KEYWORD_ONLY
    options = [
        inspect.Parameter("data", kind, default=None, annotation=Data),
        inspect.Parameter("server", kind, default="", annotation=Server),
        inspect.Parameter("token", kind, default="", annotation=Token),
        inspect.Parameter("as_json", kind, default=False, annotation=AsJson),
    ]

    @wraps(command)
    def with_options(*, data: Path | None, server: str, token: str, as_json: bool, **more: Any) -> None:
        command(where=Common(data, server, token, as_json), **more)

    with_options.__signature__ = given.replace(parameters=[*own, *options])  # type: ignore[attr-defined]
    return with_options


class Api:
    """The API, asked. Problems that it answers with end the command: exit status 4 for what a token does not allow,
    else 2, with the reason."""

    def __init__(self, client: httpx.Client, where: str) -> None:
        self._client, self._where = client, where

    def get(self, path: str, **query: Any) -> Any:
        """What is told at a path."""
        return self.ask("GET", path, params=query).json()

    def all(self, path: str, **query: Any) -> Iterator[Any]:
        """All that is listed at a path, part by part."""
        cursor = ""
        while cursor is not None:
            part = self.get(path, cursor=cursor, limit=500, **query)
            yield from part["items"]
            cursor = part["next"]

    def ask(self, method: str, path: str, **more: Any) -> httpx.Response:
        """An answer that is no problem."""
        try:
            answer = self._client.request(method, PREFIX + path, **more)
        except httpx.HTTPError as error:
            raise self._unreached(error) from error
        _insist(answer)
        return answer

    def change(self, method: str, path: str, **more: Any) -> Any:
        """Change what is at a path as it was just now: nobody is overruled who changes it meanwhile."""
        owner = path if method in ("PUT", "PATCH", "DELETE") else path.rpartition("/")[0]
        seen = self.ask("GET", owner).headers["ETag"]
        answer = self.ask(method, path, headers={"If-Match": seen}, **more)
        return answer.json() if answer.content else None

    def save(self, path: str, target: IO[bytes]) -> None:
        """Write a file that is told at a path."""
        try:
            with self._client.stream("GET", PREFIX + path) as answer:
                if answer.is_error:
                    answer.read()
                _insist(answer)
                for piece in answer.iter_bytes(_PIECE):
                    target.write(piece)
        except httpx.HTTPError as error:
            raise self._unreached(error) from error

    def shoot(self, name: str) -> dict[str, Any]:
        """The newest shoot of a name. Raises UsageError."""
        part = self.get("/shoots", name=name, limit=1)
        if not part["items"]:
            raise UsageError(f'there is no shoot "{name}".')
        found: dict[str, Any] = part["items"][0]
        return found

    def _unreached(self, error: Exception) -> UsageError:
        said = str(error) or type(error).__name__
        return UsageError(f"no application answers at {self._where}: {said}.", UNREACHED)


def _insist(answer: httpx.Response) -> None:
    if not answer.is_error and not answer.is_redirect:
        return
    try:
        told: Mapping[str, Any] = answer.json()
        faults = "; ".join(f"{one['at']}: {one['detail']}" for one in told.get("errors", ()))
        reason = str(told["detail"]) + (f" {faults}" if faults else "")
    except (ValueError, KeyError, TypeError):
        reason = f"the application answered {answer.status_code} {answer.reason_phrase}, which is nothing of its own."
    raise UsageError(reason, NOT_ALLOWED if answer.status_code in (401, 403) else 2)


@contextmanager
def asking(data: Path | None, server: str, token: str, *, working: bool = False) -> Iterator[Api]:
    """The API of an application elsewhere, or over the library of a data folder. working: what waits there is worked
    off meanwhile, by this command if no application is running on the folder. Raises UsageError."""
    if server:
        with _elsewhere(server, token) as client:
            yield Api(client, server)
        return
    with _here(data, working=working) as app:
        client = httpx.Client(base_url="http://127.0.0.1", transport=_Transport(app))
        with client:
            yield Api(client, "this machine")


def _elsewhere(server: str, token: str) -> httpx.Client:
    parts = urlsplit(server)
    if parts.scheme not in ("http", "https") or not parts.hostname:
        raise UsageError(f"--server {server} is no address; one reads https://shop.example.")
    if not token:
        raise UsageError("an application elsewhere asks for a token: --token, or ZERO_EASEL_TOKEN.")
    if parts.scheme == "http" and not _is_here(parts.hostname):
        raise UsageError(f"a token would travel to {parts.hostname} for everybody to read; use https.")
    headers = {"Authorization": f"Bearer {token}"}
    return httpx.Client(base_url=server.rstrip("/"), headers=headers, timeout=_SECONDS)


def _is_here(host: str) -> bool:
    try:
        return ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


@contextmanager
def _here(data: Path | None, *, working: bool) -> Iterator[ASGIApp]:
    # Only here: it takes a second to load, and whoever asks elsewhere does not need it.
    from zero_easel.api.app import create_api
    from zero_easel.workbench import build_workbench

    settings = Settings() if data is None else Settings(data=data.resolve())
    if not (settings.data / "zero-easel.sqlite").is_file():
        raise UsageError(f"{settings.data} holds no library.")
    bench = build_workbench(settings)
    lock = None
    if working:
        with suppress(Timeout):  # the application that is running there works it off
            lock = data_lock(settings.data)
    try:
        if lock is not None:
            bench.open()
        else:
            bench.database.migrate()
        yield create_api(bench, local=True)
    finally:
        if lock is not None:
            bench.close()
            lock.release()
        bench.database.close()


class _Transport(httpx.BaseTransport):
    """Asks an ASGI application of this process. Answers lie in memory if they are small, else in a file."""

    def __init__(self, app: ASGIApp) -> None:
        self._app = app

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        """See httpx.BaseTransport."""
        return asyncio.run(self._ask(request))

    async def _ask(self, request: httpx.Request) -> httpx.Response:
        body = request.read()
        sent = [{"type": "http.request", "body": body, "more_body": False}]
        start: dict[str, Any] = {}
        told = tempfile.SpooledTemporaryFile(max_size=16 * _PIECE)  # noqa: SIM115 - the answer closes it

        async def receive() -> Message:
            if not sent:
                # Nobody hangs up; whoever listens for that is told nothing until the answer is through.
                await asyncio.Event().wait()
            return sent.pop()

        async def send(message: Message) -> None:
            if message["type"] == "http.response.start":
                start.update(message)
            elif message["type"] == "http.response.body":
                told.write(message.get("body", b""))

        await self._app(_scope_of(request), receive, send)
        told.seek(0)
        return httpx.Response(start["status"], headers=start["headers"], stream=_Told(told))


class _Told(httpx.SyncByteStream):
    def __init__(self, file: IO[bytes]) -> None:
        self._file = file

    def __iter__(self) -> Iterator[bytes]:
        while piece := self._file.read(_PIECE):
            yield piece

    def close(self) -> None:
        self._file.close()


def _scope_of(request: httpx.Request) -> dict[str, Any]:
    path = request.url.path.removeprefix(PREFIX)
    return {
        "type": "http",
        "asgi": {"version": "3.0"},
        "http_version": "1.1",
        "method": request.method,
        "headers": [(key.lower(), value) for key, value in request.headers.raw],
        "scheme": "http",
        "path": path,
        "raw_path": request.url.raw_path.split(b"?")[0].removeprefix(PREFIX.encode()),
        "query_string": request.url.query,
        "server": ("127.0.0.1", 80),
        "client": ("127.0.0.1", os.getpid()),
        "root_path": "",
    }
