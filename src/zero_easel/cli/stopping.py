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


_asked: list[KeyboardInterrupt] = []


class Stopped(KeyboardInterrupt):
    """The system asks for the end, as it does before it is shut down."""


class Commands(TyperGroup):
    """Commands that may be stopped: what was under way has written its lists by then."""

    def invoke(self, ctx: Any) -> object:
        """Run the command."""
        _asked.clear()
        try:
            return super().invoke(ctx)
        except KeyboardInterrupt as stop:
            console.print("Stopped before the end. What is finished is kept; the same command can be given again.")
            sys.exit(_BY_SYSTEM if isinstance(stop, Stopped) else _BY_HAND)


def prepare_process() -> None:
    """Let SIGTERM end a command as Ctrl-C does, and let no odd file name end it while it is printed."""
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, _stop)
    for stream in (sys.stdout, sys.stderr):
        if isinstance(stream, TextIOWrapper):
            stream.reconfigure(errors="replace")


def insist() -> None:
    """Stop if that was asked for and went unheard; called wherever a command comes by between two pieces of work.

    What a signal raises is lost if it arrives in a destructor or in a callback of a library, where nobody can catch it
    (sys.unraisablehook).
    """
    if _asked:
        raise _asked[-1]


def _stop(number: int, _frame: FrameType | None) -> None:
    _asked.append(Stopped() if number == signal.SIGTERM else KeyboardInterrupt())
    raise _asked[-1]
