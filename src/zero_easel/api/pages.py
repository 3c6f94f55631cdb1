"""Long lists, part by part: a cursor says after which one the next part begins, so nothing is missed or told twice
while others are added."""

from collections.abc import Callable, Sequence
from typing import Annotated, Any, Generic, NamedTuple, TypeVar

from fastapi import Depends, Query
from pydantic import BaseModel, Field
from sqlalchemy import Select
from sqlalchemy.orm import InstrumentedAttribute, Session

Item = TypeVar("Item", bound=BaseModel)
Row = TypeVar("Row")
USUAL, MOST = 100, 500


class Listing(BaseModel, Generic[Item]):
    """Some of a list. next: cursor of the following part, null if this is the last."""

    items: list[Item]
    next: str | None = Field(default=None, examples=["120"])


class Cursor(NamedTuple):
    """Where a part begins, 0 for at the beginning, and how many it holds."""

    after: int
    limit: int

    def rows(
        self, session: Session, query: Select[Row], key: InstrumentedAttribute[int], *, newest: bool = False
    ) -> Sequence[Any]:
        """The rows of a part, and one more if there is more. newest: the newest come first."""
        if self.after:
            query = query.where(key < self.after if newest else key > self.after)
        query = query.order_by(key.desc() if newest else key).limit(self.limit + 1)
        return session.scalars(query).unique().all()

    def part(self, rows: Sequence[Row], told: Callable[[Row], Item], key: Callable[[Row], int]) -> Listing[Item]:
        """Rows that are a part and perhaps one more, as they are told."""
        shown = rows[: self.limit]
        more = len(rows) > self.limit
        return Listing(items=[told(row) for row in shown], next=str(key(shown[-1])) if more else None)


def cursor_of(
    cursor: Annotated[
        str,
        Query(pattern="^([1-9][0-9]{0,17})?$", description="`next` of the part before; nothing for the first."),
    ] = "",
    limit: Annotated[int, Query(ge=1, le=MOST, description="How many at most.")] = USUAL,
) -> Cursor:
    """From the address."""
    return Cursor(int(cursor or 0), limit)


PartAsked = Annotated[Cursor, Depends(cursor_of)]
