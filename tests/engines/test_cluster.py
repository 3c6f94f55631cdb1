"""Dask workers: the same pieces, limits and results as processes of this machine; what dies costs nothing."""

import math
import os
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures.process import BrokenProcessPool
from contextlib import suppress

import pytest
from clusters import Machine, joined, new_scheduler, new_worker, slowly
from support import until

from zero_easel.engines.cluster import Cluster
from zero_easel.engines.engine import Allowance, map_pieces
from zero_easel.engines.processes import OverdueError
from zero_easel.files import UnreachableError


@pytest.fixture
def own() -> Iterator[Cluster]:
    made = Cluster("", 2, Allowance(seconds=6, megabytes=1500))
    yield made
    made.close()


@pytest.fixture
def scheduler() -> Iterator[Machine]:
    machine = new_scheduler()
    yield machine
    machine.end()


def test_pieces_are_mapped_and_a_bad_one_is_set_aside_alone(own: Cluster) -> None:
    results = dict(map_pieces(own, math.sqrt, ((at, (at - 1,)) for at in range(8))))
    assert results[5] == 2.0 and isinstance(results[0], ValueError) and len(results) == 8
    assert isinstance(dict(map_pieces(own, os._exit, [(0, (3,))]))[0], BrokenProcessPool)
    assert isinstance(dict(map_pieces(own, time.sleep, [(0, (600,))]))[0], OverdueError)
    assert own.capacity == 2 and "http" in own.about()


@pytest.mark.slow
def test_a_worker_that_dies_costs_nothing(scheduler: Machine) -> None:
    cluster, workers = Cluster(scheduler.address), [new_worker(scheduler.address) for _ in range(2)]
    try:
        joined(cluster, 2)
        results, begun = {}, 0
        for at, value in map_pieces(cluster, slowly, ((at, (at,)) for at in range(30))):
            results[at], begun = value, begun + 1
            if begun == 5:
                workers[0].kill()
        assert results == {at: 2 * at for at in range(30)}
    finally:
        cluster.close()
        for worker in workers:
            worker.end()


@pytest.mark.slow
def test_a_scheduler_that_dies_is_waited_for(scheduler: Machine) -> None:
    cluster, worker = Cluster(scheduler.address), new_worker(scheduler.address)
    told: list[str] = []

    def revive(reason: str) -> None:
        told.append(reason)
        if scheduler.ended:
            scheduler.start()

    try:
        joined(cluster, 1)
        results = {}
        for at, value in map_pieces(cluster, slowly, ((at, (at,)) for at in range(12)), revive):
            results[at] = value
            if at == 3:
                scheduler.kill()
        assert results == {at: 2 * at for at in range(12)}
        assert told and scheduler.address in told[0] and "does not answer" in told[0]
    finally:
        cluster.close()
        worker.end()


def test_an_address_where_nobody_is_is_told() -> None:
    with pytest.raises(UnreachableError, match=r"tcp://127\.0\.0\.1:1 does not answer"):
        Cluster("tcp://127.0.0.1:1").submit(math.sqrt, 4)


def test_another_version_is_refused_by_both_sides(scheduler: Machine) -> None:
    """A worker of the same code under another release stands for any other program."""
    program = "import zero_easel.engines.version as v; v._COMPUTING = (); from zero_easel.cli import main; main()"
    command = [sys.executable, "-c", program, "worker", scheduler.address, "--jobs", "1"]
    other = subprocess.Popen(command, stderr=subprocess.PIPE, text=True)
    cluster = Cluster(scheduler.address)
    try:
        # It joins while nobody has said yet whose work there will be.
        assert other.stderr is not None and any("Joined" in line for line in other.stderr)
        ticket = cluster.submit(math.sqrt, 4)
        until(lambda: cluster.capacity == 0 and "another version" in cluster.about())
        assert cluster.results(0.5) == []
        late = subprocess.run(command, capture_output=True, text=True)
        assert late.returncode == 2 and "is for Zero Easel" in late.stderr
        worker = new_worker(scheduler.address)
        try:
            until(lambda: [(one.ticket, one.value) for one in cluster.results(1.0)] == [(ticket, 2.0)])
        finally:
            worker.end()
    finally:
        cluster.close()
        other.send_signal(signal.SIGTERM)
        with suppress(subprocess.TimeoutExpired):
            other.wait(60)
        other.kill()
