"""Two at once: who else is at a shoot, and that nobody overrules in silence what somebody else has set meanwhile."""

import time
from threading import Lock
from typing import Annotated, Any, NamedTuple

from cachetools import LRUCache
from fastapi import Depends, Form, Request

from zero_easel.web.guards.rights import Asking
from zero_easel.web.guards.who import Who

_HERE = 60.0
"""Seconds for which somebody counts as being there after they last asked for something."""
_REMEMBERED = 20_000


class Saw(NamedTuple):
    """What somebody saw before they changed it. value: None if their page does not say. page: by which it is told from
    other pages, their own among them."""

    value: str | None
    page: str
    who: Who


class Conflict(NamedTuple):
    """What somebody else has set meanwhile, and what was to be set. who: their name, "" if it is not known."""

    theirs: str
    yours: str
    who: str

    @property
    def said(self) -> str:
        """As a sentence."""
        by = self.who or "somebody"
        return f"Meanwhile {by} set this to {self.theirs or 'nothing'}; yours is {self.yours or 'nothing'}."

    @property
    def told(self) -> str:
        """For the journal, which keeps what was not set, too."""
        by = self.who or "somebody"
        return f"wanted {self.yours or 'nothing'} where {by} has set {self.theirs or 'nothing'} meanwhile"


class Meanwhile:
    """What is kept in mind of changes and of who is where, while the application runs. moment: counts changes."""

    def __init__(self) -> None:
        self._last: LRUCache[Any, tuple[str, str, int]] = LRUCache(_REMEMBERED)
        self.moment = 0
        self._here: LRUCache[tuple[int, str], float] = LRUCache(_REMEMBERED)
        self._lock = Lock()

    def conflict(self, key: object, present: str, wanted: str, saw: Saw) -> Conflict | None:
        """What speaks against setting a value: it is another one by now than was seen, and this page did not set it."""
        if saw.value is None or present in (saw.value, wanted):
            return None
        with self._lock:
            page, name, _ = self._last.get(key, ("", "", 0))
        return None if page and page == saw.page else Conflict(present, wanted, name)

    def note(self, key: object, saw: Saw) -> None:
        """Keep in mind who has set a value, from which page."""
        self.note_page(key, saw.page, saw.who)

    def note_page(self, key: object, page: str, who: Who) -> None:
        """The same for what has no one value."""
        with self._lock:
            self.moment += 1
            self._last[key] = page, who.name, self.moment

    def changed_since(self, key: object, page: str, moment: int) -> str | None:
        """Who else has changed something since a moment that a page knows of, from another page; None if nobody."""
        with self._lock:
            last, name, when = self._last.get(key, ("", "", 0))
        return name or "somebody" if when > moment and last != page else None

    def seen_at(self, shoot_id: int, who: Who) -> None:
        """Keep in mind that somebody is at a shoot."""
        if who.name:
            with self._lock:
                self._here[shoot_id, who.name] = time.monotonic()

    def others_at(self, shoot_id: int, who: Who) -> list[str]:
        """Who else is at a shoot, by name."""
        since = time.monotonic() - _HERE
        with self._lock:
            found = [name for (at, name), moment in self._here.items() if at == shoot_id and moment > since]
        return sorted(name for name in found if name != who.name)


def meanwhile_of(request: Request) -> Meanwhile:
    """The application's."""
    kept: Meanwhile = request.app.state.meanwhile
    return kept


def saw_of(
    who: Asking,
    seen: Annotated[str | None, Form(max_length=5000)] = None,
    page_id: Annotated[str, Form(max_length=60)] = "",
) -> Saw:
    """From a form."""
    return Saw(seen, page_id, who)


def note_place(request: Request, who: Asking) -> None:
    """For all routes: who asks for something of a shoot is there."""
    shoot = request.path_params.get("shoot_id", "")
    if str(shoot).isdecimal():
        meanwhile_of(request).seen_at(int(shoot), who)


Seen = Annotated[Saw, Depends(saw_of)]
InMind = Annotated[Meanwhile, Depends(meanwhile_of)]
