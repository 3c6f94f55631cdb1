"""Runs that start by themselves: over a shoot whose folder is watched, as soon as all that came is cleared."""

from datetime import timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zero_easel.library.lists.summary import summaries
from zero_easel.library.store.doors import Arrival, WatchedFolder
from zero_easel.library.store.models import PhotoRow, RunState, Shoot, now
from zero_easel.library.store.vault import Vault
from zero_easel.runs.service import RunError, is_under_way, latest_run, set_state, start_run

_QUIET = timedelta(seconds=4)
"""After the last file: a photographer who goes on shooting is not to get a run for each."""


def finish_if_ready(session: Session, vault: Vault, folder: WatchedFolder) -> str:
    """Start a run if photos came in since the last one and nothing of the shoot is under way; one that the end of the
    application interrupted goes on. Returns why it cannot start, as a sentence, or ""."""
    shoot = session.get_one(Shoot, folder.shoot_id)
    last = session.scalar(select(func.max(Arrival.came)).where(Arrival.folder_id == folder.id))
    if last is None or now() - last < _QUIET or shoot.stale or is_under_way(session, shoot.id):
        return ""
    at = summaries(session, [shoot.id]).get(shoot.id)
    if at is None or not at.part or at.unread or at.waiting:
        return ""
    run = latest_run(session, shoot.id)
    if run is not None and run.state == RunState.INTERRUPTED:
        set_state(session, run, RunState.RUNNING)
        return ""
    newest = session.scalar(select(func.max(PhotoRow.added)).where(PhotoRow.shoot_id == shoot.id))
    if run is not None and newest is not None and newest <= run.created:
        return ""
    try:
        start_run(session, vault, shoot)
    except RunError as error:
        return str(error)
    return ""
