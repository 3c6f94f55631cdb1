"""Cutouts as files: kept between clearing and drawing, wherever that is."""

from pathlib import Path

from zero_easel.core.items.item import CutItem
from zero_easel.files import write_atomically


def keep_cutout(path: Path, item: CutItem, *, durable: bool = True) -> None:
    """Write a cutout's pixels to path, which ends in .png, and its facts beside them: whoever finds the pixels finds
    all of it. durable: whether it must survive a power cut."""
    png, facts = item.packed()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomically(path.with_suffix(".json"), facts.encode(), durable=durable)
    write_atomically(path, png, durable=durable)


def kept_cutout(path: Path) -> CutItem | None:
    """The cutout that was kept, None if it is not there or was damaged: it can always be made again."""
    try:
        return CutItem.unpacked(path.read_bytes(), path.with_suffix(".json").read_text())
    except (OSError, ValueError, TypeError, KeyError):
        return None
