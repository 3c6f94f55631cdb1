"""Everything that a running application holds, in one place."""

import tempfile
from dataclasses import dataclass

from zero_easel.doors.out.hooks import Teller
from zero_easel.doors.out.sealing import Seal
from zero_easel.doors.out.sending import Sender
from zero_easel.doors.watching import Watcher
from zero_easel.engines.choosing import engine_of
from zero_easel.engines.confining import Confinement
from zero_easel.engines.decoders import decoders, read_apart
from zero_easel.engines.engine import Allowance
from zero_easel.library.changes.cutouts import requeue_outdated
from zero_easel.library.changes.standards import ensure_standard
from zero_easel.library.store.database import Database
from zero_easel.library.store.remembered import library_id
from zero_easel.library.store.vault import Vault
from zero_easel.runs.dispatcher import Dispatcher
from zero_easel.runs.estimate import Estimator
from zero_easel.settings import Settings
from zero_easel.touchup.open_photos import OpenPhotos


@dataclass(frozen=True)
class Workbench:
    """The library and the dispatcher of one data folder."""

    settings: Settings
    database: Database
    vault: Vault
    dispatcher: Dispatcher
    open_photos: OpenPhotos
    estimator: Estimator
    watcher: Watcher
    seal: Seal
    sender: Sender
    teller: Teller

    def prepare(self) -> None:
        """Make folders and tables ready. Raises OSError where the place of files cannot be written, InUseError."""
        self.vault.prepare()
        self.database.migrate()
        with self.database.session() as session:
            self.vault.claim(library_id(session))

    def open(self) -> None:
        """Make all ready, and begin to work off what is waiting. Raises as prepare does."""
        self.prepare()
        with self.database.session() as session:
            ensure_standard(session)
            requeue_outdated(session, self.vault)
        decoders().begin()
        self.dispatcher.start()
        self.watcher.start()
        self.sender.start()
        self.teller.start()

    def close(self) -> None:
        """Let go of everything; what is in hand is begun anew at the next start."""
        self.teller.stop()
        self.sender.stop()
        self.watcher.stop()
        self.dispatcher.stop()
        self.database.close()


def build_workbench(settings: Settings) -> Workbench:
    """A workbench over the settings' data folder; nothing is opened yet."""
    database = Database(settings.data / "zero-easel.sqlite")
    vault = Vault(settings.store or settings.data, settings.data, read_apart)
    allowance = Allowance(settings.photo_seconds, settings.photo_mb)
    store = settings.store or str(settings.data)
    elsewhere = "://" in store
    folders = (str(settings.data), tempfile.gettempdir(), *(() if elsewhere else (store,)))
    confinement = Confinement(folders, network=elsewhere)
    engine = engine_of(settings.engine, settings.scheduler, settings.jobs, allowance, confinement)
    dispatcher = Dispatcher(database, vault, engine)
    watcher = Watcher(database, vault, dispatcher.arriving, dispatcher.just_shot)
    seal = Seal(settings.data, settings.key)
    sender = Sender(database, vault, seal)
    teller = Teller(database, seal, settings.hook_hosts)
    return Workbench(settings, database, vault, dispatcher, OpenPhotos(), Estimator(), watcher, seal, sender, teller)
