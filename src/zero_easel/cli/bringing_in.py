"""Photos and tables that are brought in from the command line, into a library here or an application elsewhere."""

from pathlib import Path
from typing import Annotated

import typer
from rich.progress import Progress

from zero_easel.cli.asking import Server, Token, asking
from zero_easel.cli.given import UsageError, tell
from zero_easel.cli.options import CORES, AsJson, Data, Jobs
from zero_easel.cli.running import progress
from zero_easel.cli.stopping import insist
from zero_easel.library.incoming import Report
from zero_easel.library.intake import bring_all_in, list_incoming
from zero_easel.settings import Settings


def bring_in(
    paths: Annotated[list[Path], typer.Argument(metavar="PATH...", help="Photos, tables, ZIP archives, or folders.")],
    shoot: Annotated[str, typer.Option(help="Name of the shoot; made if there is none.")],
    recursive: Annotated[bool, typer.Option("--recursive", help="Look in subfolders too.")] = False,
    data: Data = None,
    jobs: Jobs = CORES,
    server: Server = "",
    token: Token = "",
    as_json: AsJson = False,
) -> None:
    """Bring photos and tables into the application's library. It may be running meanwhile. Exit status 1 if a photo has
    a problem."""
    missing = [path for path in paths if not path.exists()]
    if missing:
        raise UsageError(f"{missing[0]} does not exist.")
    files = list_incoming(paths, recursive)
    if not files:
        deeper = "" if recursive else " Add --recursive to look in its folders."
        raise UsageError(f"{paths[0]} holds nothing to bring in.{deeper}")
    with progress(hidden=as_json) as bar:
        count = _Count(bar, len(files), as_json=as_json)
        try:
            if server:
                _send(files, shoot, server, token, count)
            else:
                settings = Settings()
                bring_all_in((data or settings.data).resolve(), files, shoot, jobs, count.note, settings.store)
        except ValueError as error:
            raise UsageError(str(error)) from error
    problems = f", {count.refused} with a problem" if count.refused else ""
    if not as_json:
        print(f"{count.taken} photos brought in{problems}")
    raise typer.Exit(1 if count.refused else 0)


class _Count:
    """Photos that came in and that did not; says what there is to say of each file."""

    def __init__(self, bar: Progress, files: int, *, as_json: bool) -> None:
        self._bar, self._as_json = bar, as_json
        self._task = bar.add_task("Bringing in", total=files)
        self.taken = self.refused = 0

    def note(self, report: Report) -> None:
        """One more file."""
        self._bar.update(self._task, advance=1, total=(self._bar.tasks[0].total or 0) + report.of)
        if report.kind == "photo":
            self.taken, self.refused = self.taken + report.ok, self.refused + (not report.ok)
        if self._as_json:
            told = {"name": report.name, "kind": report.kind, "taken": report.ok, "said": report.message}
            tell(told, "", as_json=True)
        elif report.message:
            self._bar.console.print(report.message)


def _send(files: list[tuple[Path, str]], shoot: str, server: str, token: str, count: _Count) -> None:
    """Send files to an application elsewhere, into the newest shoot of that name."""
    with asking(None, server, token) as asked:
        there = asked.get("/shoots", name=shoot, limit=1)["items"]
        number = (there[0] if there else asked.ask("POST", "/shoots", json={"name": shoot}).json())["id"]
        for path, name in files:
            insist()
            try:
                with path.open("rb") as file:
                    answer = asked.ask("POST", f"/shoots/{number}/files", files={"files": (name, file)})
            except OSError as error:
                count.note(Report(name, "photo", False, f"{path} cannot be read: {error.strerror or error}."))
                continue
            for one in answer.json()["files"]:
                count.note(Report(one["name"], one["kind"], one["taken"], one["said"]))
