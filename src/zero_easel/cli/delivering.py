"""Runs and what becomes of them, from the command line: made, handed over, and told; here or elsewhere."""

import os
import time
from contextlib import suppress
from pathlib import Path
from typing import Annotated, Any

import typer
from filelock import Timeout

from zero_easel.cli.asking import Api, Common, asks
from zero_easel.cli.given import UsageError, console
from zero_easel.cli.library import ShootName
from zero_easel.cli.running import progress
from zero_easel.cli.stopping import insist
from zero_easel.files import data_lock, write_to
from zero_easel.settings import Settings

runs = typer.Typer(no_args_is_help=True, help="Runs of the application: how they stand; pause, go on, stop.")
targets = typer.Typer(no_args_is_help=True, help="Where pictures of a shoot are handed over, and how far they are.")
RunNumber = Annotated[int, typer.Argument(metavar="RUN", help="Its number.")]
TargetName = Annotated[str, typer.Argument(metavar="TARGET", help="Its name.")]
_LOOK = 0.5
_AWAY = ("rejected", "given up")


@runs.command("list")
@asks
def list_runs(where: Common) -> None:
    """All runs, the newest first. How many pictures are made, failed and remain, how fast, and until when."""
    with where.asking() as asked:
        for one in asked.all("/runs"):
            where.tell(one, _line(one))


def _line(run: dict[str, Any]) -> str:
    pace = f", {run['per_minute']:.1f} a minute, {run['seconds_left']:.0f} s left" if run["per_minute"] else ""
    failed = f", {run['failed']} failed" if run["failed"] else ""
    counts = f"{run['done']} done, {run['remaining']} remaining"
    return f"{run['id']}\t{run['shoot_name']}\t{run['state']}\t{counts}{failed}{pace}"


@runs.command()
@asks
def pause(where: Common, run: RunNumber) -> None:
    """Let a run rest; what is in hand is finished."""
    _wish(where, run, "pause")


@runs.command()
@asks
def stop(where: Common, run: RunNumber) -> None:
    """Stop a run; what it made is kept, and it may go on later."""
    _wish(where, run, "stop")


@runs.command("go-on")
@asks
def go_on(where: Common, run: RunNumber) -> None:
    """Take a run up again. The application that is running on the folder does it."""
    if not where.server:
        _insist_on_application(where.data)
    _wish(where, run, "go-on")


@runs.command("try-again")
@asks
def try_again(where: Common, run: RunNumber) -> None:
    """Make what failed in a run once more. The application that is running on the folder does it."""
    if not where.server:
        _insist_on_application(where.data)
    _wish(where, run, "try-again")


@runs.command()
@asks
def first(where: Common, run: RunNumber) -> None:
    """Let a run go before all others."""
    _wish(where, run, "go-first")


def _wish(where: Common, number: int, wish: str) -> None:
    with where.asking() as asked:
        run = asked.ask("POST", f"/runs/{number}/wishes", json={"wish": wish}).json()
    words = f"Run {number} goes before all others." if wish == "go-first" else f"Run {number} is {run['state']}."
    where.tell(run, words)


def _insist_on_application(data: Path | None) -> None:
    """Raises UsageError if no application is running on the folder, which would go on with a run."""
    folder = data or Settings().data
    with suppress(Timeout):
        data_lock(folder).release()
        raise UsageError(f"no application is running on {folder}; start it with: zero-easel serve --data {folder}")


@asks
def deliver(
    where: Common,
    shoot: ShootName,
    to: Annotated[
        list[str] | None, typer.Option("--to", metavar="TARGET", help="Hand over there; once for each target.")
    ] = None,
    archive: Annotated[Path | None, typer.Option(help="Write all that is handed over into this ZIP file.")] = None,
) -> None:
    """Make the pictures of a shoot, and hand them over.

    By its standard; it waits until they are there. What was made of the very same things before is not made again. Exit
    status 1 if a picture failed, fails a check, or was turned away.
    """
    with where.asking(working=True) as asked:
        number = asked.shoot(shoot)["id"]
        places = [_target(asked, number, name) for name in to or ()]
        run = _made(asked, number)
        where.tell(run, _told(run))
        unmet = 0
        for state, only in (("failed", "all"), ("done", "unmet")):
            for picture in asked.all(f"/runs/{run['id']}/pictures", state=state, only=only):
                unmet += 1
                where.tell(picture, _why(picture))
        if archive is not None:
            _save(asked, run["id"], archive)
        whole = run["state"] == "done" and not unmet
        for place in places:
            whole = _handed_over(where, asked, number, run["id"], place) and whole
    raise typer.Exit(0 if whole else 1)


def _made(asked: Api, shoot: int) -> dict[str, Any]:
    """A new run over a shoot, at its end or at rest."""
    before = {run["id"] for run in asked.all("/runs", shoot=shoot)}
    answer = asked.ask("POST", f"/shoots/{shoot}/runs")
    run: dict[str, Any] | None = answer.json() if answer.status_code == 201 else None
    with progress() as bar:
        task = bar.add_task("Pictures", total=None)
        while run is None or run["state"] == "running":
            insist()
            time.sleep(_LOOK)
            if run is None:
                run = next((one for one in asked.all("/runs", shoot=shoot) if one["id"] not in before), None)
            if run is not None:
                run = asked.get(f"/runs/{run['id']}")
                bar.update(task, completed=run["done"] + run["failed"], total=run["total"])
    return run


def _told(run: dict[str, Any]) -> str:
    failed = f", {run['failed']} failed" if run["failed"] else ""
    kept = f", {run['reused']} of them kept from before" if run["reused"] else ""
    note = f" {run['note']}" if run["note"] else ""
    return f"Run {run['id']} is {run['state']}: {run['done']} pictures{kept}{failed}.{note}"


def _why(picture: dict[str, Any]) -> str:
    unmet = [f"{one['rule']} {one['value']}: {one['measured']}" for one in picture["checks"] if not one["ok"]]
    return f"{picture['original']}\t{picture['deliverable']}\t{'; '.join(unmet) or picture['message']}"


def _save(asked: Api, run: int, archive: Path) -> None:
    try:
        with write_to(archive) as file:
            asked.save(f"/runs/{run}/archive", file)
    except OSError as error:
        raise UsageError(f"{archive} cannot be written: {error.strerror or error}.") from error
    console.print(f"All of it is in {archive}.")


def _target(asked: Api, shoot: int, name: str) -> dict[str, Any]:
    found = list(asked.all(f"/shoots/{shoot}/targets"))
    one = next((target for target in found if target["name"] == name), None)
    if one is None:
        there = ", ".join(target["name"] for target in found) or "none"
        raise UsageError(f'the shoot has no target "{name}"; it has {there}.')
    return dict(one)


def _handed_over(where: Common, asked: Api, shoot: int, run: int, target: dict[str, Any]) -> bool:
    """Hand a run over and wait until each picture is there or turned away; returns whether all are there."""
    path = f"/shoots/{shoot}/targets/{target['id']}"
    asked.ask("POST", f"{path}/sendings", json={"run": run})
    trouble = ""
    while (at := asked.get(path))["waiting"]:
        if at["trouble"] and at["trouble"] != trouble:
            console.print(at["trouble"])
            trouble = at["trouble"]
        insist()
        time.sleep(_LOOK)
    away = [one for state in _AWAY for one in asked.all(f"{path}/sendings", state=state)]
    for one in away:
        where.tell(one, f"{one['path']}\t{one['state']}\t{one['said']}")
    there = at["sent"] + at["accepted"]
    where.tell(at, f"{there} pictures are at {at['name']}, {len(away)} were turned away.")
    return not away


@targets.command("list")
@asks
def list_targets(where: Common, shoot: ShootName) -> None:
    """The targets of a shoot, with their counts. How many pictures are waiting, there, or turned away."""
    with where.asking() as asked:
        for one in asked.all(f"/shoots/{asked.shoot(shoot)['id']}/targets"):
            away = one["rejected"] + one["given_up"]
            counts = f"{one['waiting']} waiting, {one['sent'] + one['accepted']} there, {away} turned away"
            words = f"{one['name']}\t{one['kind']}\t{one['address']}\t{counts}\t{one['trouble']}".rstrip()
            where.tell(one, words)


@targets.command("add")
@asks
def add_target(
    where: Common,
    name: TargetName,
    shoot: ShootName,
    kind: Annotated[str, typer.Option(help="folder, sftp, s3, webdav or shop.")],
    address: Annotated[str, typer.Option(help="Like sftp://shop.example/pictures or /srv/shop/pictures.")],
    user: Annotated[str, typer.Option(help="Who logs in, or the key's name.")] = "",
    secret_file: Annotated[
        Path | None,
        typer.Option(help="File of its password, private key or token; else ZERO_EASEL_SECRET holds it."),
    ] = None,
    endpoint: Annotated[str, typer.Option(help="Of object storage that is not the usual one.")] = "",
    deliverable: Annotated[list[str] | None, typer.Option(help="Only this one goes there; once for each.")] = None,
    checked: Annotated[bool, typer.Option("--checked", help="Only pictures that meet all their checks.")] = False,
    path: Annotated[str, typer.Option(help="Pattern of the paths there.")] = "{folder}/{name}",
    by_itself: Annotated[bool, typer.Option("--by-itself", help="As soon as a run is through.")] = False,
    everywhere: Annotated[bool, typer.Option("--everywhere", help="For all shoots of the standard.")] = False,
    approved: Annotated[bool, typer.Option("--approved", help="Only pictures to which somebody said yes.")] = False,
) -> None:
    """One more place to which the pictures of a shoot are handed over."""
    wanted = {
        "name": name,
        "kind": kind,
        "address": address,
        "endpoint": endpoint,
        "user": user,
        "secret": _secret(secret_file),
        "deliverables": deliverable or [],
        "checked": checked,
        "path": path,
        "by_itself": by_itself,
        "everywhere": everywhere,
        "approved": approved,
    }
    with where.asking() as asked:
        made = asked.ask("POST", f"/shoots/{asked.shoot(shoot)['id']}/targets", json=wanted).json()
    where.tell(made, f"{made['name']} is a target of {shoot}.")


@targets.command("remove")
@asks
def remove_target(where: Common, name: TargetName, shoot: ShootName) -> None:
    """Hand nothing over there any more; what lies there stays."""
    with where.asking() as asked:
        number = asked.shoot(shoot)["id"]
        asked.change("DELETE", f"/shoots/{number}/targets/{_target(asked, number, name)['id']}")
    where.tell({"removed": name}, f"Nothing is handed over to {name} any more.")


@targets.command("send")
@asks
def send(where: Common, name: TargetName, shoot: ShootName) -> None:
    """Hand the newest run of a shoot over, and wait until it is there. Exit status 1 if one is turned
    away."""
    with where.asking(working=True) as asked:
        one = asked.shoot(shoot)
        if one["newest_run"] is None:
            raise UsageError(f"there is no run over {shoot} yet; zero-easel deliver makes one.")
        target = _target(asked, one["id"], name)
        whole = _handed_over(where, asked, one["id"], one["newest_run"], target)
    raise typer.Exit(0 if whole else 1)


def _secret(file: Path | None) -> str:
    """A password from where no list of processes shows it."""
    if file is None:
        return os.environ.get("ZERO_EASEL_SECRET", "")
    try:
        return file.read_text().strip()
    except (OSError, ValueError) as error:
        raise UsageError(f"{file} cannot be read: {getattr(error, 'strerror', None) or error}.") from error
