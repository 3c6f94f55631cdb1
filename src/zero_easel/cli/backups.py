"""Backups from the command line: taken while the application runs, brought back elsewhere, and a library checked."""

import json
from pathlib import Path
from typing import Annotated

import typer
from filelock import Timeout

from zero_easel.cli.given import UsageError, console
from zero_easel.cli.options import AsJson, Data
from zero_easel.cli.running import progress
from zero_easel.files import data_lock
from zero_easel.library.backup import BackupCount, BackupError, back_up, verify
from zero_easel.library.backup import restore as bring_back
from zero_easel.library.store.vault import InUseError, Vault
from zero_easel.settings import Settings


def backup(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="Where it is kept; again there: only what is new.")],
    data: Data = None,
    as_json: AsJson = False,
) -> None:
    """Keep the library with all its pictures a second time. The application may be running."""
    settings = _settings(data)
    with progress(hidden=as_json) as bar:
        task = bar.add_task("Files", total=None)
        try:
            copied = back_up(settings.data, _vault(settings), folder, lambda: bar.advance(task))
        except (BackupError, OSError) as error:
            raise UsageError(_reason(error)) from error
    _tell(copied, f"in {folder}", as_json=as_json)


def restore(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="A backup.")],
    data: Annotated[Path, typer.Option(help="An empty folder, for everything the application keeps.")],
    as_json: AsJson = False,
) -> None:
    """Bring a backup back into an empty folder. Passwords of places to hand over to have to be typed again."""
    settings = Settings(data=data.resolve())
    try:
        lock = data_lock(settings.data)
    except Timeout as error:
        raise UsageError(f"an application is running on {settings.data}.") from error
    with progress(hidden=as_json) as bar:
        task = bar.add_task("Files", total=None)
        try:
            copied = bring_back(folder, settings.data, _vault(settings), lambda: bar.advance(task))
        except (BackupError, OSError, InUseError) as error:
            raise UsageError(_reason(error)) from error
        finally:
            lock.release()
    _tell(copied, f"in {settings.data}", as_json=as_json)


def verify_library(data: Data = None, as_json: AsJson = False) -> None:
    """Check all digests and references of a library. Exit status 1 if anything is not sound."""
    settings = _settings(data)
    count = 0
    with progress(hidden=as_json) as bar:
        task = bar.add_task("Files", total=None)
        try:
            for fault in verify(settings.data, _vault(settings), lambda: bar.advance(task)):
                count += 1
                print(json.dumps(fault._asdict(), ensure_ascii=False) if as_json else f"{fault.what}: {fault.why}.")
        except (BackupError, OSError) as error:
            raise UsageError(_reason(error)) from error
    if not as_json:
        print(f"{count} fault{'' if count == 1 else 's'}." if count else "Everything is as it should be.")
    raise typer.Exit(1 if count else 0)


def _settings(data: Path | None) -> Settings:
    return Settings() if data is None else Settings(data=data.resolve())


def _vault(settings: Settings) -> Vault:
    return Vault(settings.store or settings.data, settings.data)


def _reason(error: Exception) -> str:
    if isinstance(error, OSError) and error.strerror:
        return f"{error.filename}: {error.strerror}." if error.filename else f"{error.strerror}."
    return str(error)


def _tell(copied: BackupCount, where: str, *, as_json: bool) -> None:
    if as_json:
        print(json.dumps(copied._asdict()))
        return
    if copied.kept:
        console.print(f"{copied.kept:,} files were there already.")
    print(f"{copied.files:,} files, {copied.bytes / 1e6:.1f} MB, {where}")
