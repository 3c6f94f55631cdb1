"""Which folders are watched, for which shoot, and what becomes of their files: as people ask for it."""

from collections.abc import Sequence
from pathlib import Path

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from zero_easel.library.store.doors import Arrival, WatchedFolder
from zero_easel.library.store.models import Shoot

HERE = "in"
"""Folder within the application's own one below which each shoot may have a folder to be watched."""


class WatchError(ValueError):
    """A folder that cannot be watched, with the reason in a sentence."""


def watch_folder(
    session: Session, shoot: Shoot, path: Path, data: Path, *, moves: bool, finishes: bool, within: Sequence[Path] = ()
) -> WatchedFolder:
    """Let files of a folder come into a shoot by themselves from now on; another folder of that shoot is let go.

    data: the application's own folder. moves, finishes: see WatchedFolder. within: folders of which it must be part of
    one; any will do if none is named. Raises WatchError.
    """
    path = path.expanduser()
    if not path.is_absolute():
        raise WatchError(f"{path} does not say where it is; name the whole path.")
    path, data = path.resolve(), data.resolve()
    if within and not any(path.is_relative_to(one) for one in within):
        named = " or ".join(str(one) for one in within)
        raise WatchError(f"{path} is not within {named}. Others are allowed by ZERO_EASEL_WATCH.")
    if path.is_relative_to(data / HERE) and path != data / HERE:
        path.mkdir(parents=True, exist_ok=True)
    elif path.is_relative_to(data) or data.is_relative_to(path):
        raise WatchError(f"{path} and the application's own folder {data} must not hold each other.")
    if not path.is_dir():
        raise WatchError(f"{path} is no folder, or is not there.")
    for other in session.scalars(select(WatchedFolder).where(WatchedFolder.shoot_id != shoot.id)):
        theirs = Path(other.path)
        if other.active and (theirs.is_relative_to(path) or path.is_relative_to(theirs)):
            raise WatchError(f"{theirs} is watched for another shoot already.")
    folder = folder_of(session, shoot.id)
    if folder is None or folder.path != str(path):
        forget(session, shoot.id)
        folder = WatchedFolder(shoot_id=shoot.id, path=str(path))
        session.add(folder)
    folder.moves, folder.finishes, folder.active, folder.trouble = moves, finishes, True, ""
    session.flush()
    return folder


def folder_of(session: Session, shoot_id: int) -> WatchedFolder | None:
    """The folder of a shoot, watched or at rest."""
    return session.scalar(select(WatchedFolder).where(WatchedFolder.shoot_id == shoot_id))


def rest(session: Session, shoot_id: int) -> None:
    """Watch a shoot's folder no more; what came of its files stays known."""
    folder = folder_of(session, shoot_id)
    if folder is not None:
        folder.active, folder.trouble = False, ""
    session.flush()


def forget(session: Session, shoot_id: int) -> None:
    """Watch a shoot's folder no more, and know nothing of it."""
    session.execute(delete(WatchedFolder).where(WatchedFolder.shoot_id == shoot_id))
    session.flush()


def refused(session: Session, folder_id: int, most: int) -> tuple[list[Arrival], int]:
    """The latest files of a folder that were refused or about which there is something to say, and how many."""
    query = select(Arrival).where(Arrival.folder_id == folder_id, ~Arrival.ok)
    count = session.scalar(select(func.count()).select_from(query.subquery())) or 0
    return list(session.scalars(query.order_by(Arrival.came.desc(), Arrival.id.desc()).limit(most))), count


def usual_folder(session: Session, data: Path, shoot: Shoot, name: str) -> Path:
    """Where a shoot's folder is if nobody says otherwise. name: of the shoot, as a folder may be called."""
    usual = data / HERE / (name or f"shoot {shoot.id}")
    others = select(WatchedFolder.id).where(WatchedFolder.path == str(usual), WatchedFolder.shoot_id != shoot.id)
    return usual if session.scalar(others) is None else usual.with_name(f"{usual.name} {shoot.id}")
