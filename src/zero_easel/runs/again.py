"""A run once more at another size, from the originals: what was matched, cleared, placed and named for it stands."""

from sqlalchemy.orm import Session

from zero_easel.core.standard.model import Standard, StandardError, validated
from zero_easel.core.standard.patterns import Pattern
from zero_easel.library.store.models import PictureRow, PictureState, Run
from zero_easel.library.store.vault import Vault
from zero_easel.runs.reuse import Keys, reuse
from zero_easel.runs.service import RunError, finish_if_through, is_under_way, pictures_of

_SIZES = {"width", "height"}


def start_again(session: Session, vault: Vault, before: Run, deliverable: str, longest: int) -> Run:
    """The pictures of one deliverable of a run, with another px of the longer side. Raises RunError."""
    if is_under_way(session, before.shoot_id):
        raise RunError("A run over this shoot is under way.")
    rules = _resized(before.rules, deliverable, longest)
    run = Run(
        shoot_id=before.shoot_id, standard_id=before.standard_id, standard_version=before.standard_version, rules=rules
    )
    session.add(run)
    session.flush()
    old = [row for row in pictures_of(session, before.id) if row.deliverable == deliverable and row.output]
    keys = Keys(rules, [row.subject for row in old])
    rows = [_copied(row, run.id, keys) for row in old]
    if not rows:
        raise RunError(f"Run {before.id} made no pictures called {deliverable}.")
    reuse(session, vault, run, rows)
    session.add_all(rows)
    session.flush()
    finish_if_through(session, vault, run.id)
    session.refresh(run)
    return run


def _resized(rules: Standard, name: str, longest: int) -> Standard:
    wanted = next((one for one in rules.deliverables if one.name == name), None)
    if wanted is None:
        raise RunError(f"That run has no deliverable called {name}.")
    patterns = (rules.names.name, wanted.file, wanted.folder, rules.names.folder)
    if any(_SIZES & Pattern(text).fields for text in patterns if text):
        raise RunError("Its names tell the size; change the size in the standard, so that they follow.")
    size = {"size": "longest", "number": longest}
    data = rules.model_dump(mode="json")
    data["deliverables"] = [wanted.model_dump(mode="json") | size]
    # What is asked of other deliverables goes with them, and of this one what its former size was.
    kept = [check for check in rules.checks if check.is_for(name) and check.rule not in ("size", "longest")]
    data["checks"] = [check.model_dump(mode="json") | {"only": ""} for check in kept]
    try:
        return validated(data)
    except StandardError as error:
        raise RunError(f"It cannot have that size: {error}.") from error


def _copied(row: PictureRow, run_id: int, keys: Keys) -> PictureRow:
    made = PictureRow(
        run_id=run_id,
        photo_id=row.photo_id,
        original=row.original,
        code=row.code,
        view=row.view,
        deliverable=row.deliverable,
        output=row.output,
        note=row.note,
        subject=row.subject,
        fields=row.fields,
        state=PictureState.WAITING,
    )
    made.key = keys.key(made)
    return made
