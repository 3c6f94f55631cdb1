"""What happens to a command that is stopped by hand or by the system: it ends at once, and says so."""

import signal
import sys
from io import TextIOWrapper
from types import FrameType
from typing import Any

from typer.core import TyperGroup

from zero_easel.cli.given import console

_BY_HAND, _BY_SYSTEM = 130, 143
"""Exit statuses by custom: 128 and the number of the signal."""


class Stopped(KeyboardInterrupt):
    """The system asks for the end, as it does before it is shut down."""


class Commands(TyperGroup):
    """Commands that may be stopped: what was under way has written its lists by then."""

    def invoke(self, ctx: Any) -> object:
        """Run the command."""
        try:
            return super().invoke(ctx)
        except KeyboardInterrupt as stop:
            console.print("Stopped before the end. What is finished is kept; the same command can be given again.")
            sys.exit(_BY_SYSTEM if isinstance(stop, Stopped) else _BY_HAND)


def prepare_process() -> None:
    """Let SIGTERM end a command as Ctrl-C does, and let no odd file name end it while it is printed."""
    signal.signal(signal.SIGTERM, _stop)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors="replace")


def _stop(_signal: int, _frame: FrameType | None) -> None:
    raise Stopped
