"""The thread that takes pictures where they are to go. All that is to go stands in the library, so nothing is lost."""

import random
import threading
import time
from collections.abc import Callable
from datetime import timedelta

import structlog
from sqlalchemy import select, update
from sqlalchemy.orm import Session

from zero_easel.core.standard.deliverable import FORMATS
from zero_easel.doors.out.places import Access, HandOverPlace, Parcel, RejectedError, place_at
from zero_easel.doors.out.sealing import Seal, SealError
from zero_easel.doors.out.shop import ShopError
from zero_easel.doors.out.targets import due_targets, hand_over_by_itself, next_due, set_trouble
from zero_easel.doors.rounds import Rounds
from zero_easel.library.store.database import Database
from zero_easel.library.store.doors import HandOverTarget, Sending, SendingState
from zero_easel.library.store.models import Run, RunState, now
from zero_easel.library.store.vault import Vault
from zero_easel.library.telling import tell_of_turning_away

log = structlog.get_logger()
_LOOK = 1.0
_FIRST, _LONGEST = 1.0, 600.0
"""Seconds before the second try, and at most: doubled each time, half of it by chance, so that many that were cut off
together do not come back together."""
TRIES = 12
"""After which a picture is given up, or all that waits for a place that was not reached so often: about an hour."""
_TYPES = {kind.suffix: kind.mime for kind in FORMATS.values()}


class Sender:
    """From start() to stop(). Each target has a connection and a thread of its own while something goes there: a slow
    one keeps no other waiting. pause: seconds before the second try."""

    def __init__(
        self,
        database: Database,
        vault: Vault,
        seal: Seal,
        open_place: Callable[[Access], HandOverPlace] = place_at,
        pause: float = _FIRST,
    ) -> None:
        self._database, self._vault, self._seal = database, vault, seal
        self._open, self._pause = open_place, pause
        self._rounds = Rounds("handing over", self._look)
        self._going: dict[int, threading.Thread] = {}
        self._failures: dict[int, tuple[int, float]] = {}
        self.start, self.wake = self._rounds.start, self._rounds.wake

    def stop(self) -> None:
        """End; a picture in hand is sent first, or breaks off."""
        self._rounds.stop()
        for thread in self._going.values():
            thread.join(10)

    def _look(self) -> float:
        with self._database.session() as session:
            self._see_runs(session)
            due = due_targets(session)
        moment = time.monotonic()
        self._going = {at: thread for at, thread in self._going.items() if thread.is_alive()}
        for target_id in due:
            if target_id not in self._going and self._failures.get(target_id, (0, 0.0))[1] <= moment:
                thread = threading.Thread(target=self._work, args=(target_id,), name="parcels", daemon=True)
                self._going[target_id] = thread
                thread.start()
        return _LOOK

    def _see_runs(self, session: Session) -> None:
        """What is to go by itself as soon as a run is through: of each run once."""
        for run in session.scalars(select(Run).where(Run.state == RunState.DONE, ~Run.handed).order_by(Run.id)):
            hand_over_by_itself(session, run)
            run.handed = True

    def _work(self, target_id: int) -> None:
        """Take to one target what is due, until nothing is, or it fails."""
        place: HandOverPlace | None = None
        try:
            while not self._rounds.stopping.is_set():
                with self._database.session() as session:
                    row, target = next_due(session, target_id), session.get(HandOverTarget, target_id)
                    if row is None or target is None:
                        return
                    parcel = _parcel(self._vault, row)
                if parcel is None:
                    self._note(row, SendingState.GIVEN_UP, "Its file is not here any more; run again.")
                    continue
                try:
                    if place is None:
                        place = self._open(self._access(target))
                        self._know(target, place)
                    accepted = place.put(parcel)
                except RejectedError as error:
                    self._note(row, SendingState.REJECTED, error.said, error.rules)
                except Exception as error:
                    self._failed(row, target, error)
                    return
                else:
                    self._note(row, SendingState.ACCEPTED if accepted else SendingState.SENT)
                self._went_well(target_id)
        except Exception as error:
            log.warning("handing over broke off", target=target_id, reason=str(error))
        finally:
            if place is not None:
                try:
                    place.close()
                except Exception as error:
                    log.info("a place was left unfriendly", reason=str(error))
            self._rounds.wake()

    def _access(self, target: HandOverTarget) -> Access:
        secret = self._seal.open(target.sealed)
        return Access(target.kind, target.address, target.endpoint, target.user, secret, target.known)

    def _know(self, target: HandOverTarget, place: HandOverPlace) -> None:
        if place.fingerprint and not target.known:
            with self._database.session() as session:
                session.get_one(HandOverTarget, target.id).known = place.fingerprint

    def _note(self, row: Sending, state: SendingState, said: str = "", rules: tuple[tuple[str, str], ...] = ()) -> None:
        with self._database.session() as session:
            kept = session.get(Sending, row.id)
            if kept is not None and kept.sha256 == row.sha256:  # else another picture is to lie there by now
                kept.state, kept.said, kept.rules, kept.changed = state, said, rules, now()
                if state in (SendingState.REJECTED, SendingState.GIVEN_UP):
                    tell_of_turning_away(session, kept.target.name, kept.picture, state, said)

    def _failed(self, row: Sending, target: HandOverTarget, error: Exception) -> None:
        """Nothing gets there at the moment: all that is to go there waits, ever longer."""
        reason = _reason(error)
        failures = self._failures.get(target.id, (0, 0.0))[0] + 1
        pause = min(_LONGEST, self._pause * 2 ** min(failures - 1, 12)) * random.uniform(0.5, 1.0)
        if isinstance(error, ShopError):
            pause = max(pause, error.seconds)
        self._failures[target.id] = failures, time.monotonic() + pause
        with self._database.session() as session:
            kept = session.get(Sending, row.id)
            if kept is None or kept.sha256 != row.sha256:
                return
            kept.tries += 1
            kept.due, kept.changed = now() + timedelta(seconds=pause), now()
            kept.said = f"It did not get there: {reason}."
            if kept.tries >= TRIES:
                kept.state = SendingState.GIVEN_UP
                kept.said = f"Given up after {kept.tries} tries: {reason}."
                tell_of_turning_away(session, target.name, kept.picture, kept.state, kept.said)
            again = "It is tried again"
            if failures >= TRIES:
                self._failures.pop(target.id)
                _give_up(session, target.id, f"Given up: {target.name} was not reached {failures} times, {reason}.")
                again = f"It was tried {failures} times and given up"
            set_trouble(session, target.id, f"Nothing gets to {target.name} at the moment: {reason}. {again}.")

    def _went_well(self, target_id: int) -> None:
        if self._failures.pop(target_id, None) is not None:
            with self._database.session() as session:
                set_trouble(session, target_id, "")


def _give_up(session: Session, target_id: int, said: str) -> None:
    """All that waits for a target that is not to be reached."""
    waiting = (Sending.target_id == target_id) & (Sending.state == SendingState.WAITING)
    session.execute(update(Sending).where(waiting).values(state=SendingState.GIVEN_UP, said=said, changed=now()))


def _parcel(vault: Vault, row: Sending) -> Parcel | None:
    """None for a picture whose file is gone."""
    picture = row.picture
    kept = vault.picture(picture.run_id, picture.output)
    if not kept.exists():
        return None
    source = kept.path()
    mime = _TYPES.get(source.suffix, "application/octet-stream")
    return Parcel(row.path, source, row.sha256, mime, picture.code, picture.view or picture.subject.view)


def _reason(error: Exception) -> str:
    """Why a place was not reached, as a phrase without a stop; what clients say holds no password."""
    if isinstance(error, SealError):
        return str(error).rstrip(".")
    if isinstance(error, OSError) and error.strerror:
        return f"{error.filename}: {error.strerror}" if error.filename else error.strerror
    said = str(error).strip().rstrip(".") or type(error).__name__
    return said.splitlines()[0][:200]
