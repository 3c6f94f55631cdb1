"""Starting the application on this computer."""

import gc
import socket
import sys
from contextlib import suppress
from pathlib import Path
from types import FrameType
from typing import NamedTuple

import structlog
import uvicorn
from filelock import Timeout

from zero_easel.demo import load_demo
from zero_easel.files import data_lock
from zero_easel.library.people.accounts import all_people
from zero_easel.library.store.people import Role
from zero_easel.library.store.vault import InUseError
from zero_easel.settings import Settings
from zero_easel.web.app import create_app
from zero_easel.web.news import News
from zero_easel.workbench import Workbench, build_workbench

HOST = "127.0.0.1"
_PORTS = 50
_TURN = 0.0005
"""Seconds for which a thread may keep others waiting; Python's own value is ten times that."""


class Listening(NamedTuple):
    """Where it is to be reached. host: an address of this machine. certificate, key: files for TLS, PEM."""

    port: int
    host: str = HOST
    certificate: Path | None = None
    key: Path | None = None

    @property
    def elsewhere(self) -> bool:
        """Whether other machines reach it."""
        return self.host not in (HOST, "localhost", "::1")

    @property
    def address(self) -> str:
        """As a browser on this machine has it, but for the port."""
        host = f"[{self.host}]" if ":" in self.host else self.host
        return f"{'https' if self.certificate else 'http'}://{host}"


def serve(listening: Listening, data: Path | None, *, demo: bool) -> None:
    """Serve until interrupted; demo loads the made-up shop first. Ends with a sentence and exit status 2 if it may not
    be reached so, and with a sentence if it cannot start."""
    # What went wrong in a few lines, not with every value that was at hand.
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper("%Y-%m-%d %H:%M:%S", utc=False),
            structlog.dev.ConsoleRenderer(exception_formatter=structlog.dev.plain_traceback),
        ]
    )
    settings = Settings() if data is None else Settings(data=data.resolve())
    if demo and data is None:
        settings = Settings(data=settings.data.with_name(settings.data.name + "-demo"))
    try:
        lock = data_lock(settings.data)
    except Timeout:
        sys.exit(f"zero-easel: another Zero Easel is using {settings.data}; end it, or name another folder by --data.")
    except OSError as error:
        sys.exit(f"zero-easel: {settings.data} cannot be used: {error.strerror or error}.")
    bench = _ready(settings)
    if reason := _why_not(listening, settings, bench):
        print(f"zero-easel: {reason}", file=sys.stderr)
        sys.exit(2)
    listener = _listen(listening)
    answer_first()
    if demo:
        load_demo(bench)
    print(f"Zero Easel is at {listening.address}:{listener.getsockname()[1]} - end it with Ctrl-C.", flush=True)
    print(f"Everything is kept in {settings.data}", flush=True)
    app = create_app(bench)
    config = uvicorn.Config(
        app,
        log_level="warning",
        timeout_graceful_shutdown=5,
        server_header=False,
        # Where a request comes from is asked of nobody but the proxies that are named.
        proxy_headers=bool(settings.trusted_proxies),
        forwarded_allow_ips=settings.trusted_proxies,
        ssl_certfile=listening.certificate,
        ssl_keyfile=listening.key,
    )
    with suppress(KeyboardInterrupt):
        _Server(config, app.state.news).run(sockets=[listener])
    del lock


def _why_not(listening: Listening, settings: Settings, bench: Workbench) -> str:
    """Why it may not be reached from elsewhere as it stands, as a sentence, or ""."""
    if listening.key and not listening.certificate:
        return "--key needs the --certificate that it belongs to."
    for file in (listening.certificate, listening.key):
        if file is not None and not file.is_file():
            return f"{file} is not there."
    if not listening.elsewhere:
        return ""
    with bench.database.session() as session:
        if not any(person.role == Role.OWNER and person.active for person in all_people(session)):
            return (
                f"others would reach it at {listening.host}, and nobody has an account. Make the owner first: "
                f"zero-easel owner NAME --data {settings.data}"
            )
    if not listening.certificate and not settings.trusted_proxies:
        return (
            "passwords would travel for everybody to read. Give --certificate and --key, or name the proxy that "
            "speaks TLS for it in ZERO_EASEL_PROXIES."
        )
    if not settings.host_names:
        return "say by which name browsers reach it: ZERO_EASEL_HOSTS=easel.shop.example"
    return ""


class _Server(uvicorn.Server):
    """Lets pages that listen for news go before it waits for what is still answered."""

    def __init__(self, config: uvicorn.Config, news: News) -> None:
        super().__init__(config)
        self._news = news

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        """See uvicorn.Server."""
        self._news.close()
        super().handle_exit(sig, frame)


def _ready(settings: Settings) -> Workbench:
    """The workbench, if the place of its files can be used; else it ends with a sentence."""
    try:
        bench = build_workbench(settings)
        bench.prepare()
    except (OSError, ValueError, InUseError) as error:
        reason = error.strerror if isinstance(error, OSError) and error.strerror else error
        sys.exit(f"zero-easel: photos and pictures cannot be kept in {settings.store or settings.data}: {reason}")
    return bench


def answer_first() -> None:
    """Let the garbage collector look at what lives long less often: with thousands of rows in hand it otherwise takes
    a quarter of each answer. And let an answer come to its turn sooner beside the thread that works off what waits:
    each question to the database gives the turn away, and takes so long to have it back."""
    sys.setswitchinterval(_TURN)
    gc.freeze()
    gc.set_threshold(100_000, 50, 100)


def _listen(listening: Listening) -> socket.socket:
    """A listening socket on the port, or, where nobody elsewhere counts on it, on the next free one."""
    port, tries = listening.port, 1 if listening.elsewhere else _PORTS
    for candidate in range(port, min(port + tries, 65536)):
        family = socket.AF_INET6 if ":" in listening.host else socket.AF_INET
        listener = socket.socket(family, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((listening.host, candidate))
            listener.listen(128)
            return listener
        except OSError:
            listener.close()
    sys.exit(f"zero-easel: no free port from {port} on; name another by --port.")
