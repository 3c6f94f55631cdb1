"""A run once more at another size, from the originals: what was matched, cleared, placed and named for it stands."""

from sqlalchemy.orm import Session

from zero_easel.core.standard.model import Standard, StandardError, validated
from zero_easel.core.standard.patterns import Pattern
from zero_easel.library.store.models import PictureRow, Run
from zero_easel.library.store.vault import Vault
from zero_easel.runs.drafts.drafting import Draft, write_down
from zero_easel.runs.drafts.keys import Keys
from zero_easel.runs.drafts.reuse import taken_over
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
    if not old:
        raise RunError(f"Run {before.id} made no pictures called {deliverable}.")
    drafts = [_copied(row, keys) for row in old]
    write_down(session, run.id, drafts, taken_over(session, vault, run, drafts))
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


def _copied(row: PictureRow, keys: Keys) -> Draft:
    draft = Draft(
        row.photo_id,
        row.original,
        row.code,
        row.view,
        row.subject,
        deliverable=row.deliverable,
        output=row.output,
        note=row.note,
        fields=row.fields,
    )
    return draft.keyed(keys)
