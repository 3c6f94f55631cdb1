"""Handing a run over into a folder of the machine, within one that the owner has allowed."""

import os
from pathlib import Path

from sqlalchemy.orm import Session

from zero_easel.core.standard.naming import portable
from zero_easel.files import write_atomically
from zero_easel.library.store.models import Run
from zero_easel.library.store.vault import Vault
from zero_easel.runs.archive import handed_over, lists_of
from zero_easel.runs.service import RunError, pictures_of


def copy_out(session: Session, vault: Vault, run: Run, root: Path, folder: str, *, dates: bool) -> tuple[Path, int]:
    """Copy what a run hands over, and its lists, into a new folder within root; returns it and the number of pictures.
    folder: its name, with slashes for folders in folders. dates: files are dated by when their photos were taken.

    Raises RunError if there is such a folder with something in it, if it would lie elsewhere, or cannot be written.
    """
    target = root.joinpath(*(portable(part) for part in folder.replace("\\", "/").split("/") if part.strip(" .")))
    if target == root:
        raise RunError("The new folder needs a name.")
    if not target.resolve().is_relative_to(root.resolve()):
        raise RunError(f"{target} leads out of {root}; name another folder.")
    wanted = [picture for picture in pictures_of(session, run.id) if handed_over(picture, run.rules)]
    try:
        if target.exists() and (not target.is_dir() or any(target.iterdir())):
            raise RunError(f"{target} is there already; name another folder.")
        for picture in wanted:
            path = target / picture.output
            path.parent.mkdir(parents=True, exist_ok=True)
            write_atomically(path, vault.picture(run.id, picture.output).read())
            taken = picture.photo.original.taken
            if dates and taken is not None:
                os.utime(path, (taken.timestamp(), taken.timestamp()))
        for name, data in lists_of(session, run).items():
            write_atomically(target / name, data)
    except OSError as error:
        raise RunError(f"{target} cannot be written: {error.strerror or error}.") from error
    return target, len(wanted)
