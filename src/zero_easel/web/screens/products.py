"""The catalog: search, a table looked at before it is imported, and a page for each product."""

import re
from collections.abc import Mapping
from urllib.parse import quote, urlencode

from fastapi import APIRouter, BackgroundTasks, HTTPException, Request, UploadFile
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from sqlalchemy import select

from zero_easel.core.catalog.products import FIELDS, FREE, UNUSED
from zero_easel.core.catalog.tables import BYTE_LIMIT, TableError, too_large
from zero_easel.engines.limited import table_from
from zero_easel.library.changes.matches import all_stale
from zero_easel.library.incoming import problems_in_words
from zero_easel.library.products import (
    columns_in,
    compare_catalog,
    count_products,
    find_by_ean,
    find_code,
    find_products,
    import_catalog,
    products_by_code,
)
from zero_easel.library.store.models import PhotoRow, PictureRow, PictureState, Shoot
from zero_easel.web.page import Bench, Db, Fields, Waiting, found, plural, show

router = APIRouter()
_SHOWN = 200
_FIELDS = {**{field: field for field in FIELDS}, "ean": "EAN or GTIN", FREE: "a field of its own", UNUSED: "not used"}


@router.get("/products")
def products_page(request: Request, session: Db, flash: Waiting, q: str = "", note: str = "") -> Response:
    """Products whose code, name or EAN contains what was typed; the one product, if it can only be that."""
    if q.strip() and (code := find_code(session, q) or find_by_ean(session, q)):
        return RedirectResponse(f"/products/{quote(code)}", 303)
    return _page(request, session, q, flash.take(note))


@router.post("/products")
def lay_out_table(request: Request, session: Db, bench: Bench, file: UploadFile) -> Response:
    """Take a table and show what importing it would do."""
    name = file.filename or "the table"
    if (file.size or 0) > BYTE_LIMIT:
        return _page(request, session, message=too_large(name, file.size or 0), failed=True)
    data = file.file.read()
    try:
        columns_in(session, table_from(data, name), name)
    except TableError as error:
        return _page(request, session, message=str(error), failed=True)
    digest = bench.vault.lay_aside(data)
    return RedirectResponse(f"/products/table/{digest}?{urlencode(dict(name=name))}", 303)


@router.get("/products/table/{digest}")
def look_at_table(request: Request, session: Db, bench: Bench, digest: str, name: str = "the table") -> HTMLResponse:
    """What a table's columns hold, and what importing it would change. Columns mapped by hand stand in the address."""
    mapping = _mapping(request.query_params)
    compared, error = None, ""
    try:
        table = table_from(_aside(bench, digest), name)
        columns = columns_in(session, table, name, mapping)
        compared = compare_catalog(session, table, name, mapping)
    except TableError as problem:
        error = str(problem)
    return show(
        request,
        "table.html",
        name=name,
        digest=digest,
        columns=columns,
        compared=compared,
        error=error,
        fields=_FIELDS,
        mapping=mapping,
    )


@router.post("/products/table/{digest}")
def import_table(
    request: Request,
    session: Db,
    bench: Bench,
    after: BackgroundTasks,
    flash: Waiting,
    form: Fields,
    digest: str,
    name: str = "the table",
) -> Response:
    """Import a table that was looked at, and match all shoots again."""
    try:
        imported = import_catalog(session, table_from(_aside(bench, digest), name), name, _mapping(form))
    except TableError as error:
        return _page(request, session, message=str(error), failed=True)
    all_stale(session)
    after.add_task(bench.vault.aside(digest).unlink, missing_ok=True)
    after.add_task(bench.dispatcher.wake)
    counts = f"{plural(imported.added, 'product')} added, {imported.changed} changed."
    message = f"{name}: {counts}{problems_in_words(imported.problems)}"
    return RedirectResponse(f"/products?{urlencode(dict(note=flash.keep(message)))}", 303)


@router.get("/products/{code:path}")
def product_page(request: Request, session: Db, code: str) -> HTMLResponse:
    """One product: its photos, cutouts and finished pictures from every shoot."""
    known = found(find_code(session, code), "product")
    query = (
        select(PhotoRow, Shoot).join(Shoot, Shoot.id == PhotoRow.shoot_id).where(PhotoRow.code == known, ~PhotoRow.card)
    )
    rows = session.execute(query.order_by(Shoot.id.desc(), PhotoRow.id)).unique().all()
    shoots: dict[int, tuple[Shoot, list[PhotoRow]]] = {}
    for photo, shoot in rows:
        shoots.setdefault(shoot.id, (shoot, []))[1].append(photo)
    made = select(PictureRow).where(PictureRow.code == known, PictureRow.state == PictureState.DONE)
    pictures: dict[int, list[PictureRow]] = {}
    for picture in session.scalars(made.order_by(PictureRow.run_id.desc(), PictureRow.id)):
        pictures.setdefault(picture.run.shoot_id, []).append(picture)
    product = products_by_code(session, [known])[known]
    return show(request, "product.html", product=product, shoots=list(shoots.values()), pictures=pictures)


def _page(request: Request, session: Db, q: str = "", message: str = "", failed: bool = False) -> HTMLResponse:
    products = find_products(session, q, _SHOWN)
    photos: dict[str, list[PhotoRow]] = {}
    query = select(PhotoRow).where(PhotoRow.code.in_([p.code for p in products]), ~PhotoRow.card)
    for photo in session.scalars(query).unique():
        photos.setdefault(photo.code, []).append(photo)
    return show(
        request,
        "products.html",
        products=products,
        photos=photos,
        total=count_products(session),
        q=q,
        message=message,
        failed=failed,
        most=_SHOWN,
    )


def _aside(bench: Bench, digest: str) -> bytes:
    """A table that was laid aside. Digests are the only part of an address that becomes part of a path."""
    path = bench.vault.aside(digest if re.fullmatch(r"[0-9a-f]{64}", digest) else "0")
    if not path.is_file():
        raise HTTPException(404, "This table is not here any more; bring it in again.")
    return path.read_bytes()


def _mapping(fields: Mapping[str, str]) -> dict[str, str]:
    """Columns as mapped by hand, from fields called column:HEADING."""
    pairs = {key.removeprefix("column:"): value for key, value in fields.items() if key.startswith("column:")}
    return {key: field for key, field in pairs.items() if field in _FIELDS}
