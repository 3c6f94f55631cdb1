"""Runs over a folder as they are seen on the command line: progress, what went wrong, and how it ended."""

from collections.abc import Callable
from typing import Any

import typer
from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeElapsedColumn, TimeRemainingColumn

from zero_easel.cli.given import UsageError, console, some, tell
from zero_easel.cli.stopping import insist
from zero_easel.engines.engine import Engine
from zero_easel.engines.making import Made
from zero_easel.folder.batch import FolderRun, execute
from zero_easel.planning.manifest import DONE, FAILED, HELD, LEFT_OUT, NAME, ManifestRow


def carry_out(
    work: FolderRun,
    engine: Engine,
    then: Callable[[list[ManifestRow]], None] = lambda _: None,
    *,
    as_json: bool = False,
) -> None:
    """Make all pictures of a run by an engine; say what became of them, and end with its status.
    then: is done with what was made. Raises UsageError."""
    for done in work.finished:
        console.print(f"{done} holds what an earlier run made, and is not read.")
    for _, reason in work.unusable:
        console.print(reason)
    cut: list[str] = []

    def note(row: ManifestRow, made: Made) -> None:
        bar.advance(task)
        if made.cut_sides:
            cut.append(row.original)
        if row.status == FAILED:
            bar.console.print(row.message)

    def wait(reason: str) -> None:
        bar.console.print(f"It waits: {reason}. It goes on by itself as soon as it can.")

    with progress(hidden=as_json) as bar:
        task = bar.add_task("Pictures", total=len(work.batch.pictures))
        try:
            rows = execute(work, engine, note, wait)
            then(rows)
        except OSError as error:
            raise UsageError(f"{work.out} cannot be written: {error.strerror or error}.") from error
    _report(rows, cut, work, as_json=as_json)


def _report(rows: list[ManifestRow], cut: list[str], work: FolderRun, *, as_json: bool) -> None:
    """Say what became of a run, and end with its status. cut: photos of which an item is cut off."""
    out, to_look_at = work.out, work.to_look_at
    left_out = [row.original for row in rows if row.status == LEFT_OUT]
    if left_out:
        console.print(f"Left out, each with its reason in {out / NAME}: {some(left_out)}.")
    if cut:
        console.print(f"An item is cut off in {some(cut)}; see {out / NAME}.")
    unmet = [row for row in rows if row.checks not in ("", "passed")]
    for row in unmet[:10]:
        console.print(f"{row.original}, {row.deliverable}: {row.checks}.")
    if len(unmet) > 10:
        console.print(f"{len(unmet) - 10} more fail a check; see {out / NAME}.")
    failed = len({row.original for row in rows if row.status == FAILED})
    held = sum(row.status == HELD for row in rows)
    made = sum(row.status == DONE for row in rows)
    look = f"{len(to_look_at)} of them to look at" if to_look_at else ""
    message = [
        f"{len(left_out)} left out" + (f" ({look})" if look else "") if left_out else "",
        f"{failed} photo{'' if failed == 1 else 's'} failed" if failed else "",
        f"{held} held back" if held else "",
    ]
    if as_json:
        for row in rows:
            tell(row._asdict(), "", as_json=True)
    else:
        print(", ".join([f"{made} picture{'' if made == 1 else 's'} in {out}", *filter(None, message)]))
    raise typer.Exit(1 if failed or held or to_look_at else 0)


class _Bar(Progress):
    """A bar that is told of each finished piece of work, and lets nothing go on that is to stop."""

    def update(self, *args: Any, **changes: Any) -> None:
        insist()
        super().update(*args, **changes)

    def advance(self, *args: Any, **changes: Any) -> None:
        insist()
        super().advance(*args, **changes)


def progress(hidden: bool = False) -> Progress:
    """A bar on a terminal, nothing elsewhere; lines printed beside it go to standard error."""
    return _Bar(
        TextColumn("{task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        TimeElapsedColumn(),
        TimeRemainingColumn(),
        console=console,
        disable=hidden or not console.is_terminal,
    )
