"""What is kept in mind for a while: by the thousand at most, so that nobody fills memory with it."""

from threading import Lock
from typing import Generic, TypeVar

from cachetools import TTLCache

Key = TypeVar("Key")
Value = TypeVar("Value")


class Lasting(Generic[Key, Value]):
    """Values by keys, each for so many seconds; the oldest go first if there are too many. From any thread."""

    def __init__(self, seconds: float, most: int = 1000) -> None:
        self._kept: TTLCache[Key, Value] = TTLCache(most, seconds)
        self._lock = Lock()

    def put(self, key: Key, value: Value) -> None:
        """Keep a value, in the stead of the one before."""
        with self._lock:
            self._kept[key] = value

    def put_first(self, key: Key, value: Value) -> Value:
        """Keep a value unless there is one already; returns the one that is kept."""
        with self._lock:
            return self._kept.setdefault(key, value)

    def get(self, key: Key) -> Value | None:
        """The value, None if there is none or its time is up."""
        with self._lock:
            return self._kept.get(key)

    def take(self, key: Key) -> Value | None:
        """The value, which is kept no longer; None if there is none. Only one of two who ask at once gets it."""
        with self._lock:
            return self._kept.pop(key, None)
