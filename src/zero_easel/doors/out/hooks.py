"""Telling other programs of events: signed as in Standard Webhooks, tried again with growing pauses, never elsewhere
than to hosts that are listed."""

import base64
import hashlib
import hmac
import random
import secrets
import time
from collections.abc import Collection, Sequence
from datetime import timedelta
from urllib.parse import urlsplit, urlunsplit

import httpx
from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from zero_easel.doors.out.hosts import Door, HostError, check_address, door_to
from zero_easel.doors.out.sealing import Seal, SealError
from zero_easel.doors.rounds import Rounds
from zero_easel.library.people import journal
from zero_easel.library.store.access import Event, Message, MessageState, Webhook
from zero_easel.library.store.database import Database
from zero_easel.library.store.models import now

_SECRET = "whsec_"
_SECONDS = 15.0
_LOOK, _AT_ONCE = 2.0, 20
PAUSES = (5, 30, 120, 600, 1800, 7200, 21600, 43200)
"""Seconds before the second try, the third and so on; after the last one a message is given up, after about a day."""
_KEPT = timedelta(days=30)
_GONE = 410


class WebhookError(ValueError):
    """A webhook that cannot be, with the reason in a sentence."""


def add_webhook(
    session: Session, seal: Seal, address: str, events: Collection[Event], listed: Sequence[str]
) -> tuple[Webhook, str]:
    """Have an address told of events; returns it with its secret, which is shown once. Raises WebhookError."""
    address = address.strip()
    try:
        check_address(address, listed)
    except HostError as error:
        raise WebhookError(str(error)) from error
    chosen = tuple(event for event in Event if event in events and event != Event.TEST)
    if not chosen:
        raise WebhookError("Name at least one event that it is told of.")
    secret = _SECRET + base64.b64encode(secrets.token_bytes(32)).decode()
    hook = Webhook(address=address, events=chosen, sealed=seal.close(secret))
    session.add(hook)
    session.flush()
    journal.write(session, f"{address} is told of {', '.join(chosen)}", about="webhooks")
    return hook, secret


def all_webhooks(session: Session) -> list[Webhook]:
    """All addresses that are told, in the order in which they were made."""
    return list(session.scalars(select(Webhook).order_by(Webhook.id)))


def remove_webhook(session: Session, hook: Webhook) -> None:
    """Tell it nothing any more; what waits for it goes."""
    journal.write(session, f"{hook.address} is told nothing any more", about="webhooks")
    session.execute(delete(Message).where(Message.webhook_id == hook.id))
    session.delete(hook)
    session.flush()


def signature(secret: str, name: str, moment: int, body: str) -> str:
    """What proves where a message comes from: "v1," and the base64 of an HMAC-SHA256 over name, moment (seconds since
    1970) and body. Source: Standard Webhooks, "Signature scheme"."""
    key = base64.b64decode(secret.removeprefix(_SECRET))
    signed = f"{name}.{moment}.{body}".encode()
    return "v1," + base64.b64encode(hmac.new(key, signed, hashlib.sha256).digest()).decode()


class Teller:
    """Takes messages to their addresses. listed: see hosts.check_address. pauses: seconds before each further try."""

    def __init__(self, database: Database, seal: Seal, listed: Sequence[str], pauses: Sequence[float] = PAUSES) -> None:
        self._database, self._seal, self._listed, self._pauses = database, seal, listed, pauses
        self._rounds = Rounds("webhooks", self._tell_due)
        self.start, self.stop, self.wake = self._rounds.start, self._rounds.stop, self._rounds.wake

    def _tell_due(self) -> float:
        with self._database.session() as session:
            due = select(Message).where(Message.state == MessageState.WAITING, Message.due <= now())
            messages = list(session.scalars(due.order_by(Message.tries, Message.id).limit(_AT_ONCE)))
            for message in messages:
                session.refresh(message, ["webhook"])
        silent: set[int] = set()
        for message in messages:
            if message.webhook_id not in silent and not self._rounds.stopping.is_set() and not self._tell(message):
                silent.add(message.webhook_id)
        return 0.0 if len(messages) == _AT_ONCE else _LOOK

    def _tell(self, message: Message) -> bool:
        hook = message.webhook
        pause = 0.0
        try:
            answer = _post(door_to(hook.address, self._listed), message, self._seal.open(hook.sealed))
            status, said = answer.status_code, f"it answered {answer.status_code} {answer.reason_phrase}".strip()
            wish = answer.headers.get("Retry-After", "")
            pause = min(86_400.0, float(wish)) if wish.isdigit() else 0.0
        except (HostError, SealError) as error:
            status, said = 0, str(error).rstrip(".")
        except (OSError, httpx.HTTPError) as error:
            status, said = 0, (str(error).strip().splitlines() or [type(error).__name__])[0][:200].rstrip(".")
        self._note(message, status, said, pause)
        return 200 <= status < 300

    def _note(self, message: Message, status: int, said: str, pause: float) -> None:
        with self._database.session() as session:
            kept = session.get(Message, message.id)
            if kept is None:
                return
            hook, kept.tries = kept.webhook, kept.tries + 1
            if 200 <= status < 300:
                kept.state, kept.said, hook.trouble = MessageState.TOLD, "", ""
                old = Message.made < now() - _KEPT, Message.state != MessageState.WAITING
                session.execute(delete(Message).where(*old))
                return
            kept.said = f"It was not told: {said}."
            hook.trouble = f"{hook.address} was not told: {said}."
            if status == _GONE:
                hook.active, hook.trouble = False, f"{hook.address} wants to be told nothing any more."
            if status == _GONE or kept.tries > len(self._pauses):
                kept.state = MessageState.GIVEN_UP
                return
            pause = max(pause, self._pauses[kept.tries - 1] * random.uniform(0.8, 1.2))
            kept.due = now() + timedelta(seconds=pause)
            # Whoever does not answer is not asked for each message that waits.
            others = Message.webhook_id == hook.id, Message.state == MessageState.WAITING, Message.due < kept.due
            session.execute(update(Message).where(*others).values(due=kept.due))


def _post(door: Door, message: Message, secret: str) -> httpx.Response:
    """Deliver one message to the machine that was allowed, under its own name; no redirect is followed, and of the
    answer only its head is read."""
    moment = int(time.time())
    parts = urlsplit(door.url)
    address = f"[{door.address}]" if ":" in door.address else door.address
    place = address if parts.port is None else f"{address}:{parts.port}"
    headers = {
        "Host": parts.netloc,
        "Content-Type": "application/json",
        "Webhook-Id": message.name,
        "Webhook-Timestamp": str(moment),
        "Webhook-Signature": signature(secret, message.name, moment, message.body),
    }
    url = urlunsplit(parts._replace(netloc=place, fragment=""))
    # No proxy of the surroundings: it would be what connects, to whatever the name means to it.
    with (
        httpx.Client(timeout=_SECONDS, follow_redirects=False, trust_env=False) as client,
        client.stream(
            "POST", url, content=message.body.encode(), headers=headers, extensions={"sni_hostname": door.host}
        ) as answer,
    ):
        return answer
