"""Looking at one finished picture, beside its original or another deliverable of it."""

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse

from zero_easel.core.standard.checks import KINDS
from zero_easel.core.standard.deliverable import FORMATS
from zero_easel.library.store.models import PictureRow, PictureState
from zero_easel.runs.service import pictures_of
from zero_easel.web.page import Db, Number, file_size, found, show

router = APIRouter()


@router.get("/pictures/{picture_id}")
def compare(request: Request, session: Db, picture_id: Number, beside: Number = 0) -> HTMLResponse:
    """One finished picture beside its original, or beside another deliverable of the same photo."""
    picture = found(session.get(PictureRow, picture_id), "picture")
    done = [p for p in pictures_of(session, picture.run_id) if p.state == PictureState.DONE]
    row = [p for p in done if p.deliverable == picture.deliverable]
    at = next((i for i, p in enumerate(row) if p.id == picture.id), -1)
    others = [p for p in done if p.photo_id == picture.photo_id]
    other = next((p for p in others if p.id == beside and p.id != picture.id), None)
    rules = picture.run.rules
    return show(
        request,
        "compare.html",
        picture=picture,
        rules=rules,
        others=others,
        other=other,
        previous=row[at - 1] if at > 0 else None,
        following=row[at + 1] if 0 <= at < len(row) - 1 else None,
        position=at + 1,
        count=len(row),
        kinds=KINDS,
        checks=sorted(picture.checks, key=lambda check: check.ok),
        left=_layer(picture),
        right=_layer(other) if other else _original(picture),
    )


def _layer(picture: PictureRow) -> dict[str, object]:
    """A picture as the page draws it. matrix: from px of the photo to its own px, so that all lie over each other."""
    kind = next(kind for kind in FORMATS.values() if kind.suffix == "." + picture.output.rpartition(".")[2])
    quality = f", quality {picture.quality}" if picture.quality else ""
    return {
        "src": f"/media/picture/{picture.id}/shown",
        "width": picture.width,
        "height": picture.height,
        "matrix": picture.matrix or None,
        "label": picture.deliverable,
        "facts": f"{picture.width} × {picture.height} px, {file_size(picture.bytes)}, {kind.label}{quality}",
    }


def _original(picture: PictureRow) -> dict[str, object]:
    original = picture.photo.original
    return {
        "src": f"/media/original/{picture.photo.digest}.jpg",
        "width": original.width,
        "height": original.height,
        "matrix": [1, 0, 0, 1, 0, 0],
        "label": "original",
        "facts": f"{original.width} × {original.height} px, {file_size(original.bytes)}, {original.format}",
    }
