"""Pictures for the pages. What is named by a digest never changes and may be kept by the browser for good."""

import re
from pathlib import Path, PurePosixPath

from fastapi import APIRouter, HTTPException
from fastapi.responses import FileResponse, Response

from zero_easel.core.finishing.encode import encode_jpeg
from zero_easel.core.photos.decoding import read_photo
from zero_easel.core.photos.opening import PhotoError
from zero_easel.core.standard.deliverable import FORMATS
from zero_easel.engines.decoders import decoders
from zero_easel.library.shoots import remake_small
from zero_easel.library.store.models import Original, PictureRow, PictureState
from zero_easel.runs.showing import DIRECT, shown_png
from zero_easel.storage import Kept
from zero_easel.web.page import Bench, Db, Number, found

router = APIRouter()
_FOR_GOOD = {"Cache-Control": "private, max-age=31536000, immutable"}
_TYPES = {kind.suffix: kind.mime for kind in FORMATS.values()}


@router.get("/media/thumbnail/{digest}.webp")
def thumbnail(session: Db, bench: Bench, digest: str) -> FileResponse:
    """A photo, small."""
    kept = bench.vault.thumbnail(_digest(digest))
    if not kept.exists():
        remake_small(session, bench.vault, digest)
    return _file(kept)


@router.get("/media/large/{digest}.jpg")
def large(session: Db, bench: Bench, digest: str) -> FileResponse:
    """A photo at screen size."""
    kept = bench.vault.large(_digest(digest))
    if not kept.exists():
        remake_small(session, bench.vault, digest)
    return _file(kept)


@router.get("/media/cutout/{key}/{kind}.webp")
def cutout(bench: Bench, key: str, kind: str) -> FileResponse:
    """A cutout with its transparency, reduced."""
    if kind not in ("small", "large"):
        raise HTTPException(404, "There is no such picture.")
    return _file(bench.vault.preview(_digest(key), kind))


@router.get("/media/picture/{picture_id}")
def picture(session: Db, bench: Bench, picture_id: Number) -> FileResponse:
    """A finished picture as it is delivered."""
    row = found(session.get(PictureRow, picture_id), "picture")
    if row.state != PictureState.DONE:
        raise HTTPException(404, "This picture is not finished.")
    return _file(bench.vault.picture(row.run_id, row.output))


@router.get("/media/picture/{picture_id}/shown")
def picture_shown(session: Db, bench: Bench, picture_id: Number) -> Response:
    """A finished picture in a form that every browser shows: the file itself, or a PNG of it."""
    row = found(session.get(PictureRow, picture_id), "picture")
    kept = bench.vault.picture(row.run_id, row.output)
    if row.state != PictureState.DONE or not kept.exists():
        raise HTTPException(404, "This picture is not finished.")
    if PurePosixPath(row.output).suffix in DIRECT:
        return _file(kept)
    return Response(shown_png(kept.path()), media_type="image/png", headers=_FOR_GOOD)


@router.get("/media/original/{digest}.jpg")
def original_whole(session: Db, bench: Bench, digest: str) -> Response:
    """A photo upright at its own size, for looking closely."""
    row = found(session.get(Original, _digest(digest)), "photo")
    try:
        data = decoders().do(digest, _upright, bench.vault.original(digest).path(), digest)
    except PhotoError as error:
        raise HTTPException(404, row.error or str(error)) from error
    return Response(data, media_type="image/jpeg", headers=_FOR_GOOD)


def _upright(path: Path, name: str) -> bytes:
    """In a decoder: a photo upright as JPEG. Raises PhotoError."""
    pixels = read_photo(path, name).pixels
    return encode_jpeg(pixels if pixels.dtype == "uint8" else (pixels >> 8).astype("uint8"), 92)


def _digest(text: str) -> str:
    """Digests are the only part of an address that becomes part of a path."""
    if not re.fullmatch(r"[0-9a-f]{64}", text):
        raise HTTPException(404, "There is no such picture.")
    return text


def _file(kept: Kept) -> FileResponse:
    path = kept.path() if kept.exists() else None
    if path is None:
        raise HTTPException(404, "This picture is not there any more.")
    return FileResponse(path, media_type=_TYPES[path.suffix], headers=_FOR_GOOD)
