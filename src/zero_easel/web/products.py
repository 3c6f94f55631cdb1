"""The catalog: import, and the search that is always there."""

from fastapi import APIRouter, Request, UploadFile
from fastapi.responses import HTMLResponse
from sqlalchemy import func, select

from zero_easel.core.catalog import TableError
from zero_easel.library.models import Photo, ProductRow, Shoot
from zero_easel.library.products import find_products, import_catalog
from zero_easel.library.shoots import rematch
from zero_easel.web.bring_in import told
from zero_easel.web.page import Db, plural, show

router = APIRouter()


@router.get("/products")
def products_page(request: Request, session: Db, q: str = "") -> HTMLResponse:
    """Products whose code, name or EAN contains what was typed."""
    return _page(request, session, q)


@router.post("/products")
def import_products(request: Request, session: Db, file: UploadFile) -> HTMLResponse:
    """Add or update products from a table, and match all shoots again."""
    name = file.filename or "the table"
    try:
        added, changed, problems = import_catalog(session, file.file.read(), name)
    except TableError as error:
        return _page(request, session, said=str(error), failed=True)
    for shoot_id in session.scalars(select(Shoot.id)):
        rematch(session, shoot_id)
    said = f"{name}: {plural(added, 'product')} added, {changed} changed.{told(problems)}"
    return _page(request, session, said=said, failed=bool(problems))


def _page(request: Request, session: Db, q: str = "", said: str = "", failed: bool = False) -> HTMLResponse:
    products = find_products(session, q)
    photos: dict[str, list[Photo]] = {}
    for photo in session.scalars(select(Photo).where(Photo.code.in_([p.code for p in products]))).unique():
        photos.setdefault(photo.code, []).append(photo)
    total = session.scalar(select(func.count()).select_from(ProductRow)) or 0
    return show(request, "products.html", products=products, photos=photos, total=total, q=q, said=said, failed=failed)
