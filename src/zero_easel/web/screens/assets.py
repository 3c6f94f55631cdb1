"""Files that standards name: pictures, fonts, colour profiles."""

from fastapi import APIRouter, HTTPException, UploadFile
from fastapi.responses import FileResponse, RedirectResponse, Response

from zero_easel.core.photos.assets import AssetError, check_asset
from zero_easel.core.standard.naming import base_name, portable
from zero_easel.engines.limited import LimitError, limited
from zero_easel.web.page import Bench
from zero_easel.web.screens.standards import StandardById

router = APIRouter()
_LIMIT = 60_000_000


@router.post("/standards/{standard_id}/assets")
def add_asset(bench: Bench, row: StandardById, file: UploadFile) -> Response:
    """Keep a file that standards may name."""
    name = portable(base_name(file.filename or "asset"))
    data = file.file.read(_LIMIT + 1)
    if len(data) > _LIMIT:
        raise HTTPException(413, f"{name} is larger than {_LIMIT // 1_000_000} MB.")
    try:
        limited(check_asset, name, data, seconds=30)
    except (AssetError, LimitError) as error:
        reason = f"{name} {error}" if isinstance(error, LimitError) else error
        raise HTTPException(422, f"{reason}.") from error
    bench.vault.add_asset(name, data)
    return RedirectResponse(f"/standards/{row.id}#assets", 303)


@router.get("/media/asset/{name}")
def asset(bench: Bench, name: str) -> FileResponse:
    """A picture among the assets, for samples."""
    if name not in bench.vault.assets.names():
        raise HTTPException(404, "There is no such picture.")
    return FileResponse(bench.vault.assets.path(name))
