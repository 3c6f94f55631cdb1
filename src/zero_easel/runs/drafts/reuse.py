"""Pictures that need not be made again, for an earlier run made the very same."""

from collections.abc import Sequence
from contextlib import suppress
from typing import Any, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.library.store.models import PictureRow, PictureState, Run
from zero_easel.library.store.vault import Vault
from zero_easel.runs.drafts.drafting import Draft
from zero_easel.storage import Kept

_NAMES = ("message", "width", "height", "bytes", "sha256", "quality", "checks", "matrix", "unmet")
_FACTS = tuple(getattr(PictureRow, name) for name in _NAMES)
T = TypeVar("T")


def made_before(session: Session, keys: Sequence[str]) -> dict[str, int]:
    """Bytes of the pictures that some run made, by those of the keys that name any."""
    found: dict[str, int] = {}
    for some in in_pieces(list(keys)):
        query = select(PictureRow.key, PictureRow.bytes).where(
            PictureRow.key.in_(some), PictureRow.state == PictureState.DONE
        )
        found.update({key: size for key, size in session.execute(query)})
    return found


def taken_over(session: Session, vault: Vault, run: Run, drafts: Sequence[Draft]) -> dict[int, dict[str, Any]]:
    """What earlier runs made from the very same: the files are linked, and what is known of them is returned, by the
    places of the drafts, as PictureRow has it."""
    waiting: dict[str, list[int]] = {}
    for at, draft in enumerate(drafts):
        if draft.state == PictureState.WAITING and draft.key:
            waiting.setdefault(draft.key, []).append(at)
    taken: dict[int, dict[str, Any]] = {}
    for keys in in_pieces(list(waiting)):
        query = (
            select(PictureRow.key, PictureRow.run_id, PictureRow.output, *_FACTS)
            .where(PictureRow.key.in_(keys), PictureRow.state == PictureState.DONE, PictureRow.run_id != run.id)
            .order_by(PictureRow.id)
        )
        for key, of, output, *values in session.execute(query):
            source, facts = vault.picture(of, output), dict(zip(_NAMES, values, strict=True))
            for at in waiting[key]:
                if at not in taken and _taken(source, vault.picture(run.id, drafts[at].output), facts["bytes"]):
                    taken[at] = facts | {"state": PictureState.DONE, "reused": True}
    return taken


def _taken(source: Kept, target: Kept, size: int) -> bool:
    """Whether a finished file could be taken over."""
    with suppress(OSError):
        if source.size() == size:
            target.take(source)
            return True
    return False


def in_pieces(keys: list[T]) -> list[list[T]]:
    """SQLite takes only so many values in one question."""
    return [keys[at : at + 500] for at in range(0, len(keys), 500)]
