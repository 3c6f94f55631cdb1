"""A command that is to stop stops, whatever it is doing."""

import signal
from collections.abc import Iterator

import pytest

from zero_easel.cli.stopping import Stopped, insist, prepare_process


@pytest.fixture(autouse=True)
def handlers() -> Iterator[None]:
    """Signals are this process's own again afterwards."""
    before = {number: signal.getsignal(number) for number in (signal.SIGINT, signal.SIGTERM)}
    prepare_process()
    yield
    for number, handler in before.items():
        signal.signal(number, handler)


class SignalledAtItsEnd:
    """Something in whose destructor a signal arrives: what that raises is caught by nobody."""

    def __init__(self, number: signal.Signals) -> None:
        self.number = number

    def __del__(self) -> None:
        signal.raise_signal(self.number)


@pytest.mark.filterwarnings("ignore::pytest.PytestUnraisableExceptionWarning")
@pytest.mark.parametrize(("number", "kind"), [(signal.SIGINT, KeyboardInterrupt), (signal.SIGTERM, Stopped)])
def test_a_stop_that_nobody_heard_is_not_lost(number: signal.Signals, kind: type[BaseException]) -> None:
    SignalledAtItsEnd(number)
    with pytest.raises(kind):
        insist()
