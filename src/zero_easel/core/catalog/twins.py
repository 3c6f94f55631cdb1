"""Photos that a camera wrote twice, as raw file and as picture: one of the two counts."""

from collections.abc import Sequence

from zero_easel.core.catalog.cards import Snap
from zero_easel.core.catalog.codes import folded
from zero_easel.core.standard.naming import stem


def second_files(snaps: Sequence[Snap], *, raw_counts: bool) -> dict[int, str]:
    """Those of a shoot's files that stay out because the same folder holds another of the same stem that counts, by
    index, each with the reason. A file that gives no picture never counts."""
    first: dict[tuple[str, str], str] = {}
    for snap in snaps:
        if snap.raw == raw_counts and not snap.unreadable:
            first.setdefault(_key(snap), snap.frame.name)
    kind = "raw file" if raw_counts else "picture"
    return {
        at: f"its {kind} {first[_key(snap)]} counts"
        for at, snap in enumerate(snaps)
        if snap.raw != raw_counts and _key(snap) in first
    }


def _key(snap: Snap) -> tuple[str, str]:
    return snap.folder, folded(stem(snap.frame.name))
