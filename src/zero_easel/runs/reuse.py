"""Pictures that need not be made again: what all of a file depends on, as a digest."""

import hashlib
import json
from collections.abc import Sequence
from contextlib import suppress
from functools import cache

from sqlalchemy import select
from sqlalchemy.orm import Session

from zero_easel.core.placing.layout import is_by_row
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.sizes import rules_on
from zero_easel.library.store.models import PictureRow, PictureState, PictureSubject, Run
from zero_easel.library.store.vault import Vault
from zero_easel.storage import Kept

RENDERING = "3"
"""Version of everything between a cutout and a file's bytes."""


class Keys:
    """Digests of the pictures of one run. subjects: of all its photos, as PictureRow.subject keeps them, the key of the
    cutout among it: that names the photo, the engine and the marks."""

    def __init__(self, standard: Standard, subjects: Sequence[PictureSubject]) -> None:
        self._standard = standard
        # Where the place of one picture depends on all, so does its file.
        self._row = _digest(list(subjects)) if is_by_row(standard) else ""
        self._rules = cache(self._rules_for)

    def key(self, picture: PictureRow) -> str:
        """Digest of all that a picture's file and its checks depend on."""
        name = picture.output.rsplit("/", 1)[-1]
        return _digest(
            [
                RENDERING,
                picture.subject,
                dict(picture.fields),
                self._row,
                name if self._asks_for_names() else "",
                self._rules(picture.deliverable),
            ]
        )

    def _asks_for_names(self) -> bool:
        return any(check.rule == "name" for check in self._standard.checks)

    def _rules_for(self, deliverable: str) -> str:
        wanted = self._standard.deliverable(deliverable)
        rules = rules_on(self._standard, wanted)
        kept = wanted.model_dump(exclude={"name", "file", "folder", "views"})
        overlays = [overlay.model_dump() for overlay in rules.overlays if overlay.name in wanted.overlays]
        checks = [check.model_dump() for check in rules.checks if check.is_for(wanted.name)]
        parts = [rules.canvas, rules.item, *rules.exceptions, rules.information]
        return _digest([kept, overlays, checks, [part.model_dump() for part in parts]])


def made_before(session: Session, keys: Sequence[str]) -> dict[str, int]:
    """Bytes of the pictures that some run made, by those of the keys that name any."""
    found: dict[str, int] = {}
    for some in _in_pieces(list(keys)):
        query = select(PictureRow.key, PictureRow.bytes).where(
            PictureRow.key.in_(some), PictureRow.state == PictureState.DONE
        )
        found.update({key: size for key, size in session.execute(query)})
    return found


def reuse(session: Session, vault: Vault, run: Run, rows: Sequence[PictureRow]) -> None:
    """Take what earlier runs made from the very same: the files are linked, and their facts copied. rows: not yet of
    the session, so that each is written down once."""
    waiting: dict[str, list[PictureRow]] = {}
    for row in rows:
        if row.state == PictureState.WAITING and row.key:
            waiting.setdefault(row.key, []).append(row)
    for keys in _in_pieces(list(waiting)):
        query = (
            select(PictureRow)
            .where(PictureRow.key.in_(keys), PictureRow.state == PictureState.DONE, PictureRow.run_id != run.id)
            .order_by(PictureRow.id)
        )
        for old in session.scalars(query):
            source = vault.picture(old.run_id, old.output)
            for row in waiting[old.key]:
                if row.state == PictureState.WAITING and _taken(source, vault.picture(run.id, row.output), old.bytes):
                    _take_over(row, old)


def _take_over(row: PictureRow, old: PictureRow) -> None:
    row.state, row.reused, row.message = PictureState.DONE, True, old.message
    row.width, row.height, row.bytes = old.width, old.height, old.bytes
    row.sha256, row.quality, row.checks, row.matrix = old.sha256, old.quality, old.checks, old.matrix
    row.unmet = old.unmet


def _taken(source: Kept, target: Kept, size: int) -> bool:
    """Whether a finished file could be taken over."""
    with suppress(OSError):
        if source.size() == size:
            target.take(source)
            return True
    return False


def _in_pieces(keys: list[str]) -> list[list[str]]:
    """SQLite takes only so many values in one question."""
    return [keys[at : at + 500] for at in range(0, len(keys), 500)]


def _digest(of: object) -> str:
    return hashlib.sha256(json.dumps(of, sort_keys=True, default=str).encode()).hexdigest()
