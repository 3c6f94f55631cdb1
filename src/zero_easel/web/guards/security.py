"""What stands between the application and the rest of the browser: hosts, cross-site requests, sizes, policies."""

import secrets
from collections.abc import Collection, Mapping, MutableMapping
from urllib.parse import urlsplit

import structlog
from starlette.datastructures import Headers, MutableHeaders
from starlette.responses import PlainTextResponse, Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from zero_easel.api import PREFIX
from zero_easel.api.problems import Refusal, answer

_LOOPBACK = frozenset({"127.0.0.1", "localhost", "[::1]", "::1"})
_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' blob:; font-src 'self'; "
    "connect-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
)


class Guard:
    """ASGI middleware: known host names only (a foreign name that resolves here is an attack), no request that changes
    anything from another site, no body over the limit, and a strict content policy on every answer. Each request has a
    number, which its answer and the log name. hosts: names that it answers to, besides those of this machine itself.
    answered: counts answers by their status."""

    def __init__(
        self,
        app: ASGIApp,
        upload_bytes: int,
        hosts: Collection[str] = (),
        answered: MutableMapping[str, int] | None = None,
    ) -> None:
        self._app, self._limit = app, upload_bytes
        self._answered = {} if answered is None else answered
        self._hosts = _LOOPBACK | {host.casefold() for host in hosts}

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Let a request through, or answer it with the reason why not."""
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        number = secrets.token_hex(8)
        structlog.contextvars.bind_contextvars(request=number)
        send = self._numbered(send, number)
        refused = _refusal(scope["method"], Headers(scope=scope), self._limit, self._hosts)
        if refused:
            await refusal(scope, *refused)(scope, receive, _with_policy(send, secure=scope["scheme"] == "https"))
            return
        send = _with_policy(send, secure=scope["scheme"] == "https")
        if scope["method"] == "HEAD":
            # Answered as GET is (RFC 9110, 9.3.2), and what would follow the headers is left out.
            scope, send = {**scope, "method": "GET"}, _without_body(send)
        await self._app(scope, _Counted(receive, self._limit), send)

    def _numbered(self, send: Send, number: str) -> Send:
        async def sender(message: Message) -> None:
            if message["type"] == "http.response.start":
                MutableHeaders(scope=message)["X-Request-Id"] = number
                status = str(message["status"])
                self._answered[status] = self._answered.get(status, 0) + 1
            await send(message)

        return sender


def refusal(scope: Scope, status: int, reason: str, headers: Mapping[str, str] | None = None) -> Response:
    """An answer that says why a request is let through no further, as whoever asked reads it."""
    if scope["path"].startswith(PREFIX):
        return answer(Refusal(status, reason, headers))
    return PlainTextResponse(reason, status, dict(headers or {}))


def _refusal(method: str, headers: Headers, limit: int, hosts: Collection[str]) -> tuple[int, str] | None:
    if _host_of(headers.get("host", "")) not in hosts:
        return 400, "This application is not at this address."
    if method not in _SAFE:
        site = headers.get("sec-fetch-site", "same-origin")
        origin = headers.get("origin")
        if site not in ("same-origin", "none") or (origin and origin.partition("://")[2] != headers["host"]):
            return 403, "Requests from other sites are refused."
    length = headers.get("content-length", "")
    if length.isdigit() and int(length) > limit:
        return 413, f"Files up to {limit // 1_000_000} MB are taken."
    return None


def _host_of(header: str) -> str:
    try:
        return urlsplit(f"//{header}").hostname or ""
    except ValueError:
        return ""


def _without_body(send: Send) -> Send:
    async def sender(message: Message) -> None:
        await send({**message, "body": b""} if message["type"] == "http.response.body" else message)

    return sender


class _Counted:
    """Receives a body and stops once it is longer than it may be, whatever its headers promised."""

    def __init__(self, receive: Receive, limit: int) -> None:
        self._receive, self._left = receive, limit

    async def __call__(self) -> Message:
        message = await self._receive()
        self._left -= len(message.get("body", b""))
        if self._left < 0:
            return {"type": "http.disconnect"}
        return message


def _with_policy(send: Send, *, secure: bool) -> Send:
    async def sender(message: Message) -> None:
        if message["type"] == "http.response.start":
            headers = MutableHeaders(scope=message)
            headers["Content-Security-Policy"] = POLICY
            headers["X-Content-Type-Options"] = "nosniff"
            headers["Referrer-Policy"] = "same-origin"
            headers["Cross-Origin-Opener-Policy"] = "same-origin"
            headers["Cross-Origin-Resource-Policy"] = "same-origin"
            headers.setdefault("Cache-Control", "no-store")
            if secure:
                headers["Strict-Transport-Security"] = "max-age=31536000"
        await send(message)

    return sender
