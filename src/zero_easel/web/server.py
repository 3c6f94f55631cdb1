"""Starting the application on this computer."""

import gc
import socket
import sys
from contextlib import suppress
from pathlib import Path
from types import FrameType

import structlog
import uvicorn
from filelock import Timeout

from zero_easel.demo import load_demo
from zero_easel.files import data_lock
from zero_easel.library.store.vault import InUseError
from zero_easel.settings import Settings
from zero_easel.web.app import create_app
from zero_easel.web.news import News
from zero_easel.workbench import Workbench, build_workbench

HOST = "127.0.0.1"
_PORTS = 50
_TURN = 0.0005
"""Seconds for which a thread may keep others waiting; Python's own value is ten times that."""


def serve(port: int, data: Path | None, *, demo: bool) -> None:
    """Serve until interrupted; demo loads the made-up shop first. Ends with a sentence if it cannot start."""
    # What went wrong in a few lines, not with every value that was at hand.
    structlog.configure(
        processors=[
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
    listener = _listen(port)
    answer_first()
    bench = _ready(settings)
    if demo:
        load_demo(bench)
    print(f"Zero Easel is at http://{HOST}:{listener.getsockname()[1]} - end it with Ctrl-C.", flush=True)
    print(f"Everything is kept in {settings.data}", flush=True)
    app = create_app(bench)
    config = uvicorn.Config(app, log_level="warning", timeout_graceful_shutdown=5)
    with suppress(KeyboardInterrupt):
        _Server(config, app.state.news).run(sockets=[listener])
    del lock


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


def _listen(port: int) -> socket.socket:
    """A listening socket on the port, or on the next free one."""
    for candidate in range(port, min(port + _PORTS, 65536)):
        listener = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
        listener.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            listener.bind((HOST, candidate))
            listener.listen(128)
            return listener
        except OSError:
            listener.close()
    sys.exit(f"zero-easel: no free port from {port} on; name another by --port.")
