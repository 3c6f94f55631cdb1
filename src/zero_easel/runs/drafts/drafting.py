"""What a run would begin with: a draft of each picture, before anything of it is written down."""

from collections.abc import Mapping, Sequence
from typing import Any, NamedTuple

from sqlalchemy import ColumnDefault, insert
from sqlalchemy.orm import Session

from zero_easel.core.catalog.plan import Planned
from zero_easel.core.placing.placement import Subject
from zero_easel.core.standard.model import Standard
from zero_easel.core.standard.patterns import Value
from zero_easel.library.batches import ShootPlan
from zero_easel.library.changes.cutouts import cutout_keys
from zero_easel.library.lists.lines import PhotoLine
from zero_easel.library.store.models import PictureRow, PictureState, PictureSubject, Shoot
from zero_easel.runs.drafts.keys import Keys

_PICTURES = PictureRow.metadata.tables[PictureRow.__tablename__]


class Draft(NamedTuple):
    """A picture that a run would make, or a photo that gives none; fields as PictureRow has them."""

    photo_id: int
    original: str
    code: str
    view: str
    subject: PictureSubject
    state: PictureState = PictureState.WAITING
    message: str = ""
    deliverable: str = ""
    output: str = ""
    note: str = ""
    fields: Mapping[str, Value] = {}
    key: str = ""

    def keyed(self, keys: Keys) -> "Draft":
        """The same with the digest of all that its file depends on."""
        return self._replace(key=keys.key(self.deliverable, self.output, self.subject, self.fields))


def drafts_of(session: Session, shoot: Shoot, standard: Standard, planned: ShootPlan) -> list[Draft]:
    """A draft per picture, and one for each photo that gives none, as a run of the standard would begin with them."""
    cutouts, batch = cutout_keys(session, shoot.id), planned.batch
    kept = {at: _kept(subject, cutouts[planned.lines[at].id]) for at, subject in batch.subjects.items()}
    keys = Keys(standard, list(kept.values()))
    by_photo: dict[int, list[Planned]] = {}
    for picture in batch.pictures:
        by_photo.setdefault(picture.at, []).append(picture)
    drafts = []
    for at, line in enumerate(planned.lines):
        drafts += [_picture(line, picture, kept[at]).keyed(keys) for picture in by_photo.get(at, ())]
        if at not in by_photo:
            state = PictureState.FAILED if line.error else PictureState.LEFT_OUT
            drafts.append(_nothing(line, kept.get(at, PictureSubject()), state, batch.left_out[at]))
    return drafts


def write_down(session: Session, run_id: int, drafts: Sequence[Draft], taken: Mapping[int, dict[str, Any]]) -> None:
    """The pictures of a run. taken: what is known of those that were taken over, by their places among the drafts."""
    if not drafts:
        return
    known = {field for values in taken.values() for field in values} - set(Draft._fields)
    defaults = {field: _PICTURES.c[field].default for field in known}
    # All rows name the same columns, so that they are written by one statement.
    usual = {field: default.arg if isinstance(default, ColumnDefault) else None for field, default in defaults.items()}
    rows = [usual | {"run_id": run_id} | draft._asdict() | taken.get(at, {}) for at, draft in enumerate(drafts)]
    # Into the table, not as objects: those are written one by one where some of their values are None.
    session.execute(insert(_PICTURES), rows)


def _picture(line: PhotoLine, picture: Planned, subject: PictureSubject) -> Draft:
    return Draft(
        line.id,
        line.name,
        line.code,
        picture.view,
        subject,
        deliverable=picture.deliverable,
        output=picture.output,
        note=picture.note,
        fields={key: value for key, value in picture.values.items() if value not in (None, "")},
    )


def _nothing(line: PhotoLine, subject: PictureSubject, state: PictureState, why: str) -> Draft:
    return Draft(line.id, line.name, line.code, line.view, subject, state, why)


def _kept(subject: Subject, cutout: str) -> PictureSubject:
    """Of a photo, all that its picture depends on besides the rules, as it is kept."""
    return PictureSubject(
        subject.category, subject.view, subject.size, subject.adjustment.changed(), cutout, subject.listed
    )
