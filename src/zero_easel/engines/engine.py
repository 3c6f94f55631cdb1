"""What an engine is: it maps pure functions over pieces of work, wherever it has room for them."""

import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from typing import Any, NamedTuple, Protocol, TypeVar

from zero_easel.files import UnreachableError, no_room

T = TypeVar("T")
Job = tuple[int, tuple[Any, ...]]
"""Its index, and the arguments of the function."""
TRIES = 2
"""How often a piece of work is begun that takes its worker down, or too long."""
PAUSE, LONGEST_PAUSE = 2.0, 60.0
"""Seconds before what failed for want of a file, memory, processes or a scheduler is tried again: doubled each time."""


class Allowance(NamedTuple):
    """What one piece of work may take: seconds, and megabytes of memory besides what a worker takes anyway; 0 for as
    much as there is."""

    seconds: float = 0.0
    megabytes: int = 0


AS_MUCH_AS_THERE_IS = Allowance()


class Result(NamedTuple):
    """Of the piece with a ticket: what its function returned or raised."""

    ticket: int
    value: Any


class Engine(Protocol):
    """Pieces of work go out, results come back in any order, and no piece can take another down. Functions are those
    of modules, arguments and results small: no pixels.

    A piece whose worker dies, or that takes more than it may, is tried a second time; then its result is that error.
    """

    @property
    def capacity(self) -> int:
        """Pieces that are worked on at once, as far as is known at the moment; 0 while there is no worker."""

    @property
    def megabytes(self) -> int:
        """Memory that all its workers share on this computer; 0 if they are elsewhere, or it is not known."""

    @property
    def in_hand(self) -> int:
        """Pieces that were submitted and have not come back."""

    def submit(self, function: Callable[..., Any], *arguments: Any, urgency: int = 0) -> int:
        """Give a piece of work; returns its ticket. urgency: of what waits the more urgent goes first. Raises OSError
        if it cannot be given anywhere at the moment."""

    def results(self, seconds: float | None = None) -> list[Result]:
        """What has come back, waiting for it no longer than that, or for ever. Raises OSError as submit does; what is
        in hand stays so."""

    def about(self) -> str:
        """Where work is done, as a phrase for people."""

    def close(self) -> None:
        """Let go of all that is in hand; nothing of it comes back any more. The next submit begins anew."""


def map_pieces(
    engine: Engine,
    function: Callable[..., T],
    work: Iterable[Job],
    on_trouble: Callable[[str], None] | None = None,
) -> Iterator[tuple[int, T | Exception]]:
    """Results of function(*arguments) by index as they come. Whatever the function raises is the result of that piece
    alone, as is the death of a worker, for want of memory as a rule.

    on_trouble: what cannot be done for want of room, or because something cannot be reached, is done again until it
    can, and this is told why before each pause; else that is its result.
    """
    source, waiting, again, pause = iter(work), dict[int, Job](), deque[Job](), PAUSE
    piece = next(source, None)
    while piece is not None or again or waiting:
        trouble = ""
        try:
            while (again or piece is not None) and engine.in_hand < 2 * max(1, engine.capacity):
                job = again[0] if again else piece
                assert job is not None
                waiting[engine.submit(function, *job[1])] = job
                if again:
                    again.popleft()
                else:
                    piece = next(source, None)
            back = engine.results()
        except UnreachableError as error:
            if on_trouble is None:
                raise
            trouble, back = str(error), []
        for ticket, value in back:
            job = waiting.pop(ticket)
            if on_trouble is not None and isinstance(value, Exception) and no_room(value):
                again.append(job)
                trouble = str(value)
            else:
                yield job[0], value
        if trouble and on_trouble is not None:
            on_trouble(trouble)
            time.sleep(pause)
        pause = min(2 * pause, LONGEST_PAUSE) if trouble else PAUSE


def patiently(function: Callable[[], T], on_trouble: Callable[[str], None] | None) -> T:
    """What a function returns, as soon as there is room for what it writes. on_trouble: see map_pieces."""
    pause = PAUSE
    while True:
        try:
            return function()
        except OSError as error:
            if on_trouble is None or not no_room(error):
                raise
            on_trouble(str(error))
            time.sleep(pause)
            pause = min(2 * pause, LONGEST_PAUSE)
