"""The catalog: products by their codes."""

from typing import Annotated

from fastapi import APIRouter, Path, Query, Response
from pydantic import AfterValidator, BaseModel, Field
from sqlalchemy.orm import Session

from zero_easel.api.access import Bench, Reading, Writing, may
from zero_easel.api.pages import Listing, PartAsked
from zero_easel.api.problems import Refusal, found, problems
from zero_easel.api.told import Float, Sent
from zero_easel.api.versions import SeenIfThere, etag_of, tagged
from zero_easel.core.catalog.gtin import read_gtin
from zero_easel.core.catalog.products import Product, field_key
from zero_easel.core.standard.naming import plain
from zero_easel.library.changes.matches import all_stale
from zero_easel.library.products import find_code, products_by_code, products_matching, put_product
from zero_easel.library.store.access import Right

router = APIRouter(tags=["products"])


def _named(extra: dict[str, str]) -> dict[str, str]:
    if any(key != field_key(key) or not key for key in extra):
        raise ValueError("free columns are called by small letters, digits and _")
    return {key: plain(value) for key, value in extra.items()}


Text = Annotated[str, Field(max_length=500), AfterValidator(plain)]
Size = Annotated[Float | None, Field(gt=0, lt=1e6)]
Code = Annotated[str, Path(min_length=1, max_length=100, pattern=r"[^\s\x00-\x1f]", examples=["BY-1001"])]


class ProductTold(BaseModel):
    """A product. Sizes in mm, null where they are not known. extra: the catalog's free columns."""

    code: str = Field(examples=["BY-1001"])
    name: str
    category: str
    ean: str
    width_mm: float | None
    height_mm: float | None
    depth_mm: float | None
    colour: str
    extra: dict[str, str]


class ProductSaid(Sent):
    """What is known of a product; what is left out stays as it is. ean: a GTIN of 8, 12, 13 or 14 digits, or ""."""

    name: Text | None = None
    category: Text | None = None
    ean: Annotated[str, Field(max_length=30, examples=["4012345678901"]), AfterValidator(read_gtin)] | None = None
    width_mm: Size = None
    height_mm: Size = None
    depth_mm: Size = None
    colour: Text | None = None
    extra: Annotated[dict[str, Text], Field(max_length=200), AfterValidator(_named)] = Field(
        default_factory=dict, examples=[{"material": "stoneware"}]
    )


def _told(product: Product) -> ProductTold:
    return ProductTold.model_construct(**product.model_dump())


def _product(session: Session, code: str) -> Product:
    known = found(find_code(session, code), "product")
    return products_by_code(session, [known])[known]


@router.get("/products", dependencies=may(Right.READ))
def list_products(
    session: Reading,
    cursor: PartAsked,
    search: Annotated[str, Query(max_length=200, description="Words in code, name or EAN.")] = "",
) -> Listing[ProductTold]:
    """The catalog, in the order in which products came into it."""
    rows = products_matching(session, search, cursor.after, cursor.limit + 1)
    return cursor.part(rows, lambda row: _told(row[1]), lambda row: row[0])


@router.get("/products/{code:path}", dependencies=may(Right.READ))
def read_product(session: Reading, code: Code, response: Response) -> ProductTold:
    """One product, by its code in any letter case."""
    product = _told(_product(session, code))
    tagged(response, product)
    return product


@router.put("/products/{code:path}", dependencies=may(Right.PHOTOS), responses=problems(412, 428))
def put(
    session: Writing, bench: Bench, code: Code, asked: ProductSaid, seen: SeenIfThere, response: Response
) -> ProductTold:
    """Add a product, or change the one of that code. A new one is seen by nobody yet: it needs no If-Match. All shoots
    are matched again."""
    known = find_code(session, code)
    code = known or plain(code)
    if not code:
        raise Refusal(422, "A product needs a code.")
    if known is not None:
        seen.must_be(_told(_product(session, known)))
    given = asked.model_dump(exclude_none=True, exclude_unset=True)
    product = Product(code=code, **given)
    if put_product(session, product, given.keys() - {"extra"}):
        all_stale(session)
        bench.dispatcher.wake()
    told = _told(_product(session, product.code))
    response.headers["ETag"] = etag_of(told)
    return told
