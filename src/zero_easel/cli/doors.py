"""Files that come in by themselves, from the command line: a watched folder, and a camera's stand-in."""

import json
import re
import time
from collections.abc import Sequence
from pathlib import Path
from typing import Annotated

import typer
from filelock import Timeout
from sqlalchemy import select

from zero_easel.cli.given import UsageError, console, tell
from zero_easel.cli.options import AsJson, Data
from zero_easel.doors.folders import WatchError, watch_folder
from zero_easel.files import data_lock
from zero_easel.library.shoots import shoot_named
from zero_easel.library.store.doors import Arrival, WatchedFolder
from zero_easel.settings import Settings
from zero_easel.standins.camera import StandInCamera
from zero_easel.standins.shop import Shop, ShopServer
from zero_easel.workbench import Workbench, build_workbench

_EVERY = re.compile(r"(\d+(?:\.\d+)?)\s*(s|min)?", re.ASCII)


def watch(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="Whatever comes into it is taken.")],
    shoot: Annotated[str, typer.Option(help="Name of the shoot; made if there is none.")],
    move: Annotated[
        bool, typer.Option("--move", help="Files then go into done/ or refused/ within it; else they stay.")
    ] = False,
    finish: Annotated[bool, typer.Option("--finish", help="Start a run whenever all that came in is cleared.")] = False,
    as_json: AsJson = False,
    data: Data = None,
) -> None:
    """Let files of a folder come into a shoot by themselves. An application that is running on the data folder does it
    from then on; without one this command does, until it is stopped."""
    settings = Settings() if data is None else Settings(data=data.resolve())
    bench = build_workbench(settings)
    try:
        lock = data_lock(settings.data)
    except Timeout:
        _ask(bench, folder, shoot, move=move, finish=finish)
        bench.database.close()
        print(f"The application that is running on {settings.data} watches {folder} from now on.")
        return
    bench.prepare()
    number = _ask(bench, folder, shoot, move=move, finish=finish)
    bench.open()
    console.print(f"Watching {folder}; end it with Ctrl-C.")
    try:
        _tell(bench, number, as_json=as_json)
    finally:
        bench.close()
        lock.release()


def camera(
    folder: Annotated[Path, typer.Argument(metavar="FOLDER", help="Where its files go; made if it is not there.")],
    every: Annotated[str, typer.Option(metavar="SECONDS", help="Time between two photos, like 2s.")] = "2s",
    count: Annotated[int, typer.Option(min=0, help="Shoot so often and end; 0 for until it is stopped.")] = 0,
    as_json: AsJson = False,
) -> None:
    """A camera's stand-in: shoots the demo's photos into a folder. At times a burst, at times a damaged file."""
    given = _EVERY.fullmatch(every.strip())
    if given is None:
        raise UsageError(f"--every {every} should be a number of seconds, like 2s.")
    seconds = float(given[1]) * (60 if given[2] == "min" else 1)
    device, shot = StandInCamera(folder), 0
    while True:
        try:
            names = device.shoot()
        except OSError as error:
            raise UsageError(f"{folder} cannot be written: {error.strerror or error}.") from error
        tell({"files": names}, " ".join(names), as_json=as_json)
        shot += 1
        if shot == count:
            return
        time.sleep(seconds)


def shop(
    port: Annotated[int, typer.Option(min=0, max=65535, help="Port on 127.0.0.1; 0 for any that is free.")] = 8480,
    folder: Annotated[Path, typer.Option(help="Where what it accepts is kept.")] = Path("shop"),
    token: Annotated[
        str, typer.Option(envvar="ZERO_EASEL_SHOP_TOKEN", help="That it asks for; none if not given.")
    ] = "",
    calm: Annotated[bool, typer.Option("--calm", help="Never slow, down, or hanging up.")] = False,
    as_json: AsJson = False,
) -> None:
    """A shop's stand-in: takes pictures, rejects some with reasons. Now and then it is slow or down."""

    def say(code: str, path: str, reasons: Sequence[str]) -> None:
        told = {"code": code, "path": path, "accepted": not reasons, "reasons": list(reasons)}
        tell(told, f"{code} {path}: {' '.join(reasons) or 'accepted'}", as_json=as_json)

    try:
        server = ShopServer(Shop(folder, calm=calm, token=token, say=say), port)
    except OSError as error:
        raise UsageError(f"port {port} or {folder} cannot be used: {error.strerror or error}.") from error
    at = f"The shop is at {server.address} - end it with Ctrl-C."
    tell({"address": server.address}, at, as_json=as_json)
    server.serve_forever()


def _ask(bench: Workbench, folder: Path, shoot: str, *, move: bool, finish: bool) -> int:
    """Write down that a folder is watched; returns its number. Raises UsageError."""
    try:
        with bench.database.session() as session:
            found = shoot_named(session, shoot)
            path = folder.expanduser().absolute()
            return watch_folder(session, found, path, bench.settings.data, moves=move, finishes=finish).id
    except (WatchError, ValueError) as error:
        raise UsageError(str(error)) from error


def _tell(bench: Workbench, number: int, *, as_json: bool) -> None:
    """Say what becomes of each file, for ever, and what keeps any from coming."""
    told: dict[int, object] = {}
    trouble = ""
    with bench.database.session() as session:
        for row in session.scalars(select(Arrival).where(Arrival.folder_id == number)):
            told[row.id] = row.came, row.path
    while True:
        with bench.database.session() as session:
            folder = session.get_one(WatchedFolder, number)
            fresh = [
                row
                for row in session.scalars(select(Arrival).where(Arrival.folder_id == number).order_by(Arrival.id))
                if told.get(row.id) != (row.came, row.path)
            ]
        for row in fresh:
            told[row.id] = row.came, row.path
            print(_line(row, as_json=as_json), flush=True)
        if folder.trouble and folder.trouble != trouble:
            console.print(folder.trouble)
        trouble = folder.trouble
        time.sleep(0.5)


def _line(row: Arrival, *, as_json: bool) -> str:
    if as_json:
        facts = {"file": row.path, "taken": row.ok, "said": row.said, "bytes": row.bytes, "sha256": row.digest}
        return json.dumps(facts, ensure_ascii=False)
    return f"{row.path}\t{'taken' if row.ok else 'refused'}" + (f"\t{row.said}" if row.said else "")
