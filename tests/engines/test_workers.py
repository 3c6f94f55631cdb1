"""Worker processes: one piece of work takes no other down, and none has for ever."""

import os
import time
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path

import numpy as np
import pytest

from zero_easel.engines.engine import Allowance
from zero_easel.engines.processes import OverdueError
from zero_easel.engines.workers import Workers


def double(number: int) -> int:
    return 2 * number


def noted(folder: str, number: int) -> int:
    """Leaves a trace for each time that it is begun; 3 dies, 5 takes for ever, 7 takes all memory."""
    with Path(folder, f"{number}").open("a") as file:
        file.write(".")
    if number == 3:
        os._exit(9)
    if number == 5:
        time.sleep(600)
    if number == 7:
        return len(np.ones(4_000_000_000, np.uint8))
    return 2 * number


def dies_once(folder: str) -> str:
    mark = Path(folder, "once")
    if not mark.exists():
        mark.touch()
        os._exit(9)
    return "done"


def waits_for(path: str) -> None:
    while not Path(path).exists():
        time.sleep(0.01)


def all_of(workers: Workers, tickets: dict[int, int]) -> dict[int, object]:
    found: dict[int, object] = {}
    while len(found) < len(tickets):
        for ticket, value in workers.results():
            assert tickets[ticket] not in found
            found[tickets[ticket]] = value
    return found


@pytest.fixture
def workers() -> object:
    made = Workers(2, Allowance(seconds=8, megabytes=1500))
    yield made
    made.close()


def test_what_dies_or_takes_for_ever_is_tried_twice_and_set_aside(workers: Workers, tmp_path: Path) -> None:
    tickets = {workers.submit(noted, str(tmp_path), number): number for number in range(10)}
    found = all_of(workers, tickets)
    assert [found[n] for n in (0, 1, 2, 4, 6, 8, 9)] == [0, 2, 4, 8, 12, 16, 18]
    assert isinstance(found[3], BrokenProcessPool)
    assert isinstance(found[5], OverdueError) and found[5].seconds == 8
    assert isinstance(found[7], MemoryError)
    begun = {int(path.name): len(path.read_text()) for path in tmp_path.iterdir()}
    assert begun == {n: 2 if n in (3, 5) else 1 for n in range(10)}
    assert workers.in_hand == 0 and workers.results(0) == []


def test_a_second_try_may_do(workers: Workers, tmp_path: Path) -> None:
    assert all_of(workers, {workers.submit(dies_once, str(tmp_path)): 0}) == {0: "done"}


def test_results_do_not_have_to_be_waited_for(workers: Workers, tmp_path: Path) -> None:
    slow = workers.submit(waits_for, str(tmp_path / "there"))
    assert workers.results(0.01) == [] and workers.in_hand == 1
    quick = [workers.submit(double, n) for n in range(5)]
    first = workers.results()
    assert first and all(ticket in quick for ticket, _ in first)
    seen = [ticket for ticket, _ in first]
    (tmp_path / "there").touch()
    while workers.in_hand or len(seen) < 6:
        seen += [ticket for ticket, _ in workers.results()]
    assert sorted(seen) == [slow, *quick]


def test_what_is_closed_gives_nothing_back(workers: Workers) -> None:
    done = workers.submit(double, 1)
    assert [ticket for ticket, _ in workers.results()] == [done]
    for number in range(20):
        workers.submit(double, number)
    time.sleep(0.2)
    workers.submit(time.sleep, 60)
    workers.submit(double, 1)
    workers.close()
    assert workers.in_hand == 0 and workers.results(0.1) == []
    # It may go on, and what comes back is what was asked for since.
    later = {workers.submit(double, number): number for number in range(3)}
    assert all_of(workers, later) == {0: 0, 1: 2, 2: 4}


def test_what_is_done_in_a_moment_is_done_once(workers: Workers) -> None:
    tickets = {workers.submit(double, n): n for n in range(400)}
    assert all_of(workers, tickets) == {n: 2 * n for n in range(400)}
