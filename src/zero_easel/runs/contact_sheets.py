"""The contact sheet of a run."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
from sqlalchemy.orm import Session

from zero_easel.core.finishing.contact_sheet import ContactSheet, Entry, contact_sheet
from zero_easel.core.light.colour import Encoded
from zero_easel.core.standard.patterns import Pattern, Value
from zero_easel.library.products import free_columns, products_by_code
from zero_easel.library.store.models import PictureState, Run
from zero_easel.library.store.vault import Vault
from zero_easel.runs.service import pictures_of
from zero_easel.runs.showing import shown_pixels


def sheet_of(session: Session, vault: Vault, run: Run, deliverable: str, rules: ContactSheet) -> bytes:
    """A PDF of all finished pictures of one deliverable, "" for the first. Raises PatternError if a caption asks for a
    column that there is not, ValueError if there are no pictures or they do not fit on their pages."""
    names = [d.name for d in run.rules.deliverables]
    wanted = deliverable if deliverable in names else names[0]
    pictures = [p for p in pictures_of(session, run.id) if p.state == PictureState.DONE and p.deliverable == wanted]
    if not pictures:
        raise ValueError(f"no picture of {wanted} is finished")
    columns = free_columns(session)
    captions = [Pattern(text, columns) for text in rules.captions]
    if not rules.title:
        rules = rules.model_copy(update={"title": run.shoot.name})
    products = products_by_code(session, {picture.code for picture in pictures})

    def entries() -> Iterator[Entry]:
        for number, picture in enumerate(pictures, 1):
            product = products.get(picture.code)
            values: dict[str, Value] = {
                **(product.extra if product else {}),
                "code": picture.code,
                "view": picture.view,
                "n": number,
                "name": product.name if product else "",
                "category": product.category if product else "",
                "colour": product.colour if product else "",
                "ean": product.ean if product else "",
                "original": picture.original,
                "shoot": run.shoot.name,
                "deliverable": picture.deliverable,
                "width": picture.width,
                "height": picture.height,
            }
            lines = [caption.fill(values).text for caption in captions]
            yield Entry(lambda p=picture: on_white(vault.picture(run.id, p.output).path()), lines)  # type: ignore[misc]

    return contact_sheet(entries(), len(pictures), rules)


def on_white(path: Path) -> Encoded:
    """A finished picture as it is printed, (h, w, 3) uint8: paper is white."""
    pixels = shown_pixels(path)
    if pixels.shape[2] == 3:
        return pixels
    alpha = pixels[..., 3:].astype(np.float32) / 255
    return np.asarray(np.round(pixels[..., :3] * alpha + 255 * (1 - alpha)), np.uint8)
