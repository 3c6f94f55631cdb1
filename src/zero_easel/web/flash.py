"""A sentence for the next page: kept here under a name that nobody can guess, told once.

What stands in an address would be told as the application's own words, whoever wrote it.
"""

import secrets

from zero_easel.web.guards.lasting import Lasting

_SECONDS = 600


class Flash:
    """Sentences that wait for their page."""

    def __init__(self) -> None:
        self._waiting: Lasting[str, str] = Lasting(_SECONDS)

    def keep(self, message: str) -> str:
        """Keep a sentence; returns the name to ask for it by."""
        name = secrets.token_urlsafe(16)
        self._waiting.put(name, message)
        return name

    def take(self, name: str) -> str:
        """The sentence of that name, "" if there is none or it was told."""
        return self._waiting.take(name) or ""
