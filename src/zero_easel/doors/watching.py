"""The thread that looks at watched folders.

Where the system tells of changes (inotify and the like, by watchfiles) a look follows at once; shares tell of none, so
every folder is looked at every few seconds in any case. What was taken stands in the library: whoever ends the
application at whatever moment loses nothing, and nothing comes in twice.
"""

import threading
import time
from collections.abc import Callable, Sequence
from pathlib import Path

import structlog
import watchfiles
from sqlalchemy import select

from zero_easel.doors.arriving import put_away, take_in
from zero_easel.doors.finishing import finish_if_ready
from zero_easel.doors.rounds import Rounds
from zero_easel.doors.settling import FileState, Settling, files_in
from zero_easel.library.intake import in_turn
from zero_easel.library.store.database import Database
from zero_easel.library.store.doors import Arrival, WatchedFolder
from zero_easel.library.store.models import PhotoRow
from zero_easel.library.store.vault import Vault

log = structlog.get_logger()
_LOOK, _SOON, _BREATH = 4.0, 0.15, 0.05
"""Seconds from one look to the next: where nothing happens, while files are growing, and at least."""
_REST = 4
"""By how much longer than a look the pause after it is."""
_SHOTS = 4
"""Photos that come together at most while somebody shoots, a burst among them."""


class Watcher:
    """Takes what comes into watched folders, from start() to stop(). arriving: is told before a file is taken, came:
    afterwards, with the ids of photos that have just been shot."""

    def __init__(
        self,
        database: Database,
        vault: Vault,
        arriving: Callable[[], None],
        came: Callable[[Sequence[int]], None],
    ) -> None:
        self._database, self._vault = database, vault
        self._arriving, self._came = arriving, came
        self._rounds = Rounds("watching folders", self._round, lambda: self._heard[1].set())
        self._settling: dict[int, Settling] = {}
        # What is known of each folder's files, read anew once something was taken: nobody else writes it.
        self._known: dict[int, dict[str, tuple[FileState, bool, str]]] = {}
        self._heard: tuple[list[Path], threading.Event] = ([], threading.Event())
        self.start, self.wake = self._rounds.start, self._rounds.wake

    def stop(self) -> None:
        """End; a file in hand is taken first."""
        self._heard[1].set()
        self._rounds.stop()

    def _round(self) -> float:
        self._rounds.stopping.wait(_BREATH)
        begun = time.monotonic()
        growing = self._look()
        # A folder of thousands is not to be looked at all the time while one file grows.
        return max(_SOON, _REST * (time.monotonic() - begun)) if growing else _LOOK

    def _look(self) -> bool:
        """Look at all folders; returns whether files are still growing, or something is about to begin."""
        with self._database.session() as session:
            folders = list(session.scalars(select(WatchedFolder).where(WatchedFolder.active)))
        self._settling = {one.id: self._settling.get(one.id, Settling()) for one in folders}
        self._known = {at: known for at, known in self._known.items() if at in self._settling}
        self._listen([Path(folder.path) for folder in folders])
        return any([self._look_at(folder) for folder in folders if not self._rounds.stopping.is_set()])

    def _look_at(self, folder: WatchedFolder) -> bool:
        growing, trouble = False, ""
        try:
            growing = self._take_ripe(folder)
        except FileNotFoundError:
            trouble = f"{folder.path} is not there at the moment; it is looked for again."
        except OSError as error:
            trouble = f"{error.filename or folder.path}: {error.strerror or error}. It is tried again."
        with self._database.session() as session:
            row = session.get(WatchedFolder, folder.id)
            if row is None or not row.active:
                return False
            if row.finishes and not growing and not trouble:
                trouble = finish_if_ready(session, self._vault, row)
            if row.trouble != trouble:
                row.trouble = trouble
        return growing

    def _take_ripe(self, folder: WatchedFolder) -> bool:
        """Take what has stopped growing. Raises OSError if the folder or a file of it cannot be read."""
        root = Path(folder.path)
        found = files_in(root)
        known = self._known.get(folder.id)
        if known is None:
            known = self._known[folder.id] = self._arrivals(folder)
        fresh = {path: stamp for path, stamp in found.items() if path not in known or known[path][0] != stamp}
        if folder.moves:
            for path in sorted(found.keys() - fresh.keys(), key=in_turn):
                put_away(root, path, ok=known[path][1], said=known[path][2])
        ripe = self._settling[folder.id].ripe(root, fresh, time.monotonic())
        for path in sorted(ripe, key=in_turn):
            if self._rounds.stopping.is_set():
                return False
            self._arriving()
            self._known.pop(folder.id, None)
            arrival = take_in(self._database, self._vault, folder, path, fresh[path])
            if arrival is None:
                continue
            # Of a whole card that is copied nobody waits for each; for what comes shot by shot somebody does.
            self._came(self._photos(folder, arrival) if len(ripe) <= _SHOTS else ())
            if folder.moves:
                put_away(root, path, ok=arrival.ok, said=arrival.said)
        return len(ripe) < len(fresh)

    def _photos(self, folder: WatchedFolder, arrival: Arrival) -> list[int]:
        query = select(PhotoRow.id).where(PhotoRow.shoot_id == folder.shoot_id, PhotoRow.digest == arrival.digest)
        with self._database.session() as session:
            return list(session.scalars(query))

    def _arrivals(self, folder: WatchedFolder) -> dict[str, tuple[FileState, bool, str]]:
        query = select(Arrival.path, Arrival.bytes, Arrival.modified, Arrival.ok, Arrival.said)
        with self._database.session() as session:
            rows = session.execute(query.where(Arrival.folder_id == folder.id)).all()
        return {path: (FileState(size, modified), ok, said) for path, size, modified, ok, said in rows}

    def _listen(self, folders: list[Path]) -> None:
        """Hear of changes in those of some folders that are there, as far as the system tells."""
        there = [folder for folder in folders if folder.is_dir()]
        if there == self._heard[0] and not self._heard[1].is_set():
            return
        self._heard[1].set()
        self._heard = (there, ended := threading.Event())
        if there:
            threading.Thread(target=self._hear, args=(there, ended), name="folders", daemon=True).start()

    def _hear(self, folders: list[Path], ended: threading.Event) -> None:
        try:
            for _ in watchfiles.watch(*folders, stop_event=ended, debounce=100, step=20, rust_timeout=1000):
                self._rounds.wake()
        except Exception as error:
            # A folder that went, or no more watches to be had: the looks every few seconds go on.
            log.warning("no events of watched folders", reason=str(error))
        # So that they are listened to anew with the next look.
        ended.set()
