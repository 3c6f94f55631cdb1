"""Events that other programs are told of: written down with what happened, in one transaction, so that none is lost
and none is told that did not happen. doors.out.hooks takes them there."""

import json
import secrets
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.library.store.access import Event, Message, Webhook
from zero_easel.library.store.models import PictureRow, Run


def tell(session: Session, event: Event, data: Mapping[str, Any], only: Webhook | None = None) -> int:
    """Have all webhooks told that are to hear of it, or one alone; returns how many. The body is as Standard Webhooks
    recommend it: type, timestamp, data."""
    hooks = [only] if only else session.scalars(select(Webhook).where(Webhook.active)).all()
    hooks = [hook for hook in hooks if only or event in hook.events]
    if not hooks:
        return 0
    name = f"msg_{secrets.token_hex(12)}"
    moment = datetime.now(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")
    body = json.dumps({"type": event, "timestamp": moment, "data": data}, ensure_ascii=False, separators=(",", ":"))
    session.add_all(Message(webhook_id=hook.id, name=name, event=event, body=body) for hook in hooks)
    session.flush()
    return len(hooks)


def tell_of_run(session: Session, run: Run) -> None:
    """That a run has ended, or rests; of trials nobody is told."""
    if not run.trial:
        event = Event.RUN_ENDED if run.ended is not None else Event.RUN_RESTS
        tell(session, event, {"run": run.id, "shoot": run.shoot_id, "state": run.state, "note": run.note})


def tell_of_turning_away(session: Session, target: str, picture: PictureRow, state: str, said: str) -> None:
    """That a picture was rejected where it was handed over, or given up on its way."""
    about = {"picture": picture.id, "run": picture.run_id, "code": picture.code, "output": picture.output}
    tell(session, Event.TURNED_AWAY, {**about, "target": target, "state": state, "said": said})
