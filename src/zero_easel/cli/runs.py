"""Runs of the application from the command line: how they stand, and pause, go on, stop, or go first."""

import json
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated

import typer
from filelock import Timeout
from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.cli.given import UsageError
from zero_easel.cli.options import Data
from zero_easel.files import data_lock
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import Run, RunState
from zero_easel.runs.service import RunError, go_first, progress_of, set_state
from zero_easel.settings import Settings

app = typer.Typer(no_args_is_help=True, help="How runs of the application stand; pause them, go on, stop, go first.")
Number = Annotated[int, typer.Argument(metavar="RUN", help="Its number.")]


@app.command("list")
def list_runs(
    data: Data = None, as_json: Annotated[bool, typer.Option("--json", help="One JSON object a line.")] = False
) -> None:
    """All runs, the newest first: how many pictures are made, failed and remain, how fast, and until when."""
    with _library(data) as session:
        for run in session.scalars(select(Run).order_by(Run.id.desc())):
            at = progress_of(session, run)
            told = {
                "run": run.id,
                "shoot": run.shoot.name,
                "state": str(at.state),
                "done": at.done,
                "failed": at.failed,
                "remaining": at.remaining,
                "per_minute": round(at.per_minute, 1) if at.per_minute else None,
                "seconds_left": round(at.seconds_left) if at.seconds_left is not None else None,
            }
            print(json.dumps(told, ensure_ascii=False) if as_json else _line(run, told))


@app.command()
def pause(run: Number, data: Data = None) -> None:
    """Let a run rest; what is in hand is finished."""
    _set(run, RunState.PAUSED, data)


@app.command()
def stop(run: Number, data: Data = None) -> None:
    """Stop a run; what it made is kept, and it may go on later."""
    _set(run, RunState.STOPPED, data)


@app.command("go-on")
def go_on(run: Number, data: Data = None) -> None:
    """Take a run up again, in the application that is running on the folder."""
    folder = _folder(data)
    try:
        lock = data_lock(folder)
    except Timeout:
        _set(run, RunState.RUNNING, data)
        return
    lock.release()
    raise UsageError(f"no application is running on {folder}; start it with: zero-easel serve --data {folder}")


@app.command()
def first(run: Number, data: Data = None) -> None:
    """Let a run go before all others."""
    with _library(data) as session:
        found = _run(session, run)
        go_first(session, found)
        print(f"Run {run} goes before all others.")


def _set(number: int, state: RunState, data: Path | None) -> None:
    with _library(data) as session:
        run = _run(session, number)
        try:
            set_state(session, run, state)
        except RunError as error:
            raise UsageError(str(error)) from error
        print(f"Run {number} is {state}.")


def _run(session: Session, number: int) -> Run:
    run = session.get(Run, number)
    if run is None:
        raise UsageError(f"there is no run {number}.")
    return run


def _line(run: Run, told: dict[str, object]) -> str:
    pace = f", {told['per_minute']} a minute, {told['seconds_left']} s left" if told["per_minute"] else ""
    failed = f", {told['failed']} failed" if told["failed"] else ""
    counts = f"{told['done']} done, {told['remaining']} remaining"
    return f"{run.id}\t{run.shoot.name}\t{told['state']}\t{counts}{failed}{pace}"


def _folder(data: Path | None) -> Path:
    return data or Settings().data


@contextmanager
def _library(data: Path | None) -> Iterator[Session]:
    """A session on the library of a data folder, which the application may have open, too. Raises UsageError."""
    path = _folder(data) / "zero-easel.sqlite"
    if not path.is_file():
        raise UsageError(f"{path.parent} holds no library.")
    database = Database(path)
    try:
        database.migrate()
        with database.session() as session:
            yield session
    finally:
        database.close()
