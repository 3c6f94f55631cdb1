"""Cutouts as files: kept between clearing and drawing, wherever that is."""

from zero_easel.core.items.item import CutItem
from zero_easel.storage import Kept


def keep_cutout(kept: Kept, packed: tuple[bytes, str], *, durable: bool = True) -> None:
    """Write a cutout's pixels to a file that ends in .png, and its facts beside them: whoever finds the pixels finds
    all of it. packed: see CutItem.packed. durable: whether it must survive a power cut."""
    png, facts = packed
    kept.beside(".json").write(facts.encode(), durable=durable)
    kept.write(png, durable=durable)


def kept_cutout(kept: Kept) -> CutItem | None:
    """The cutout that was kept, None if it is not there or was damaged: it can always be made again."""
    try:
        return CutItem.unpacked(kept.read(), kept.beside(".json").read().decode())
    except (OSError, ValueError, TypeError, KeyError):
        return None
