"""What is worked out of a shoot's photos, kept until one of the tables changes that it was worked out of.

Triggers count the changes of each table (migration 0010), whoever makes them, in this process or another. So pages that
look at thousands of photos need not read them again while a run only writes down its pictures.
"""

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, TypeVar

from cachetools import LRUCache
from sqlalchemy import text
from sqlalchemy.orm import Session

T = TypeVar("T")
PHOTOS = ("photo", "original", "cutout", "product", "shot", "shoot")
"""Tables of which lines and rows of photos are worked out."""
_LARGE: LRUCache[Hashable, tuple[Any, Any]] = LRUCache(24)
_SMALL: LRUCache[Hashable, tuple[Any, Any]] = LRUCache(500)
_LOCK = Lock()
_ONE_LOOK = "zero-easel-one-look"
_COUNTS = text("SELECT name, changes FROM changed ORDER BY name")


def kept(session: Session, key: Hashable, work_out: Callable[[], T], *, small: bool = False) -> T:
    """What work_out returns, which depends on the PHOTOS tables, the key, and nothing else. It is shared: nobody may
    change it. A session that has changed something itself gets its own. small: takes no more room with more photos.

    A session of one look gets the same throughout: while photos come in, each question would else find them changed
    since the one before, and a page would tell of several states at once.
    """
    session.flush()
    connection = session.connection()
    raw = connection.connection.dbapi_connection
    if raw is None or raw.in_transaction:
        return work_out()
    looked: dict[Hashable, Any] = session.info.get(_ONE_LOOK, {})
    if key in looked:
        return looked[key]  # type: ignore[no-any-return]
    value = looked[key] = _known(session, (str(connection.engine.url), key), work_out, small=small)
    return value


def one_look(session: Session) -> None:
    """Let a session see photos as they were when it first asked for them, for as long as one page takes."""
    session.info[_ONE_LOOK] = {}


def _known(session: Session, where: Hashable, work_out: Callable[[], T], *, small: bool) -> T:
    changes = tuple(count for name, count in session.execute(_COUNTS).all() if name in PHOTOS)
    cache = _SMALL if small else _LARGE
    with _LOCK:
        known = cache.get(where)
    if known is not None and known[0] == changes:
        return known[1]  # type: ignore[no-any-return]
    # What comes in meanwhile may be in it already; the next to ask then works it out once more.
    value = work_out()
    with _LOCK:
        cache[where] = (changes, value)
    return value
