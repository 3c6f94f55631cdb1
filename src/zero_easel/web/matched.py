"""Photos matched before a page shows them, though not again at each look while thousands come in."""

import time
from threading import Lock

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from zero_easel.library.changes.matches import ensure_matched
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import PhotoRow, Shoot

_LARGE = 500
"""Photos from which matching takes long enough to be felt."""
_PAUSE = 4.0
"""Times as long as matching a large shoot took, pages show it as it was matched then. Whatever is behind then is caught
up with as soon as nothing comes in any more, and open pages hear of it."""


class Matching:
    """For the pages of one application. pause: times as long as matching a large shoot took, before a look matches it
    again."""

    def __init__(self, pause: float = _PAUSE) -> None:
        self._pause = pause
        self._after: dict[int, float] = {}
        self._lock = Lock()

    def ensure(self, database: Database, session: Session, shoot_id: int) -> None:
        """Match a shoot's photos if anything came in since, and write that down by itself: what a page then reads of
        them is kept for the next. session: of that page, which has not read the shoot yet."""
        if not session.scalar(select(Shoot.stale).where(Shoot.id == shoot_id)):
            return
        with self._lock:
            if time.monotonic() < self._after.get(shoot_id, 0.0):
                return
        begun = time.monotonic()
        with database.session() as writing:
            ensure_matched(writing, writing.get_one(Shoot, shoot_id))
        photos = session.scalar(select(func.count()).where(PhotoRow.shoot_id == shoot_id)) or 0
        if photos >= _LARGE:
            ended = time.monotonic()
            with self._lock:
                self._after[shoot_id] = ended + self._pause * (ended - begun)
