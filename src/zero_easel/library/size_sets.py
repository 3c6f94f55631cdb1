"""Sets of sizes that a person keeps under a name, to be added to any standard."""

from collections.abc import Sequence

from sqlalchemy.orm import Session

from zero_easel.core.standard.deliverable import Deliverable
from zero_easel.core.standard.sizes import SETS
from zero_easel.library.store.remembered import remember, remembered

_KEY = "sets of sizes"
_LONGEST = 60


def size_sets(session: Session) -> dict[str, tuple[Deliverable, ...]]:
    """The sets of a person's own, by name, in the order of names. What they hold has no overlays: these belong to
    standards."""
    kept = remembered(session, _KEY) or {}
    return {
        name: tuple(Deliverable.model_validate(one) for one in kept[name]) for name in sorted(kept, key=str.casefold)
    }


def keep_sizes(session: Session, name: str, sizes: Sequence[Deliverable]) -> None:
    """Keep sizes under a name, in the place of what was kept under it. Raises ValueError if it cannot be called so."""
    name = " ".join(name.split())
    if not name or len(name) > _LONGEST:
        raise ValueError(f"a set of sizes needs a name of up to {_LONGEST} letters")
    if name.casefold() in SETS:
        raise ValueError(f"{name} is a set that is there already; choose another name")
    kept = dict(remembered(session, _KEY) or {})
    kept = {other: rows for other, rows in kept.items() if other.casefold() != name.casefold()}
    kept[name] = [one.model_copy(update={"overlays": ()}).model_dump() for one in sizes]
    remember(session, _KEY, kept)


def forget_sizes(session: Session, name: str) -> None:
    """Let go of a set; nothing happens if there is none of that name."""
    kept = dict(remembered(session, _KEY) or {})
    if kept.pop(name, None) is not None:
        remember(session, _KEY, kept)
