"""A worker that joins a Dask scheduler, and joins it again when it has gone and come back."""

import asyncio
import logging
import signal
from collections.abc import Callable
from contextlib import suppress

import distributed

from zero_easel.engines.cluster import METADATA, offered, settings_of_dask
from zero_easel.engines.engine import LONGEST_PAUSE, PAUSE
from zero_easel.engines.version import program

_ANSWER = 10.0


class OtherProgramError(Exception):
    """A scheduler that gives the work of another version, told in a sentence."""


def work_for(scheduler: str, jobs: int, say: Callable[[str], None]) -> None:
    """Work on `jobs` photos at once for whoever gives work at a scheduler's address, until the process is asked to end.
    say: is told when it joins, and when the scheduler has gone. Raises OtherProgramError."""
    settings_of_dask()
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    asyncio.run(_work_for(scheduler, jobs, say))


async def _work_for(scheduler: str, jobs: int, say: Callable[[str], None]) -> None:
    stopping, pause = asyncio.Event(), PAUSE
    for number in (signal.SIGINT, signal.SIGTERM):
        asyncio.get_running_loop().add_signal_handler(number, stopping.set)
    while not stopping.is_set():
        try:
            await _check(scheduler)
            async with distributed.Worker(
                scheduler,
                nthreads=jobs,
                resources=offered(jobs),
                memory_limit=0,
                dashboard=False,
                death_timeout=_ANSWER,
            ) as worker:
                say(f"Joined {scheduler} for {jobs} photo{'' if jobs == 1 else 's'} at once.")
                pause = PAUSE
                await _first(worker.finished(), stopping.wait())
                if stopping.is_set():
                    # What is in hand is given to somebody else.
                    await worker.close_gracefully()
                    return
            say(f"{scheduler} has gone; tried again.")
        except OtherProgramError:
            raise
        except Exception:
            say(f"{scheduler} does not answer; tried again in {pause:.0f} s.")
            with suppress(TimeoutError):
                await asyncio.wait_for(stopping.wait(), pause)
            pause = min(2 * pause, LONGEST_PAUSE)


async def _check(scheduler: str) -> None:
    """Raises OtherProgramError, or whatever a client raises if there is no answer."""
    async with distributed.Client(scheduler, asynchronous=True, timeout=_ANSWER, set_as_default=False) as client:
        known = await client.get_metadata([METADATA], default=None)
    if known not in (None, program()):
        raise OtherProgramError(f"Work at {scheduler} is for Zero Easel {known}; this is {program()}.")


async def _first(*waits: object) -> None:
    """Until one of them is through."""
    tasks = [asyncio.ensure_future(wait) for wait in waits]  # type: ignore[call-overload]
    await asyncio.wait(tasks, return_when=asyncio.FIRST_COMPLETED)
    for task in tasks:
        task.cancel()
