"""What all of a picture's file depends on, as a digest: equal keys are equal files."""

import hashlib
import json
from collections.abc import Mapping, Sequence
from functools import cache

from zero_easel.core.placing.layout import is_by_row
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.patterns import Value
from zero_easel.core.standard.sizes import rules_on
from zero_easel.library.store.models import PictureSubject

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

    def key(self, deliverable: str, output: str, subject: PictureSubject, fields: Mapping[str, Value]) -> str:
        """Digest of all that a picture's file and its checks depend on."""
        name = output.rsplit("/", 1)[-1]
        return _digest(
            [
                RENDERING,
                subject,
                dict(fields),
                self._row,
                name if self._asks_for_names() else "",
                self._rules(deliverable),
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


def _digest(of: object) -> str:
    return hashlib.sha256(json.dumps(of, sort_keys=True, default=str).encode()).hexdigest()
