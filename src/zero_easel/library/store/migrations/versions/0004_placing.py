"""measures of cutouts, placing by hand, and what the place of a picture depends on"""

from collections.abc import Callable
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

_ADDED: dict[str, Callable[[], sa.Column[Any]]] = {
    "cutout": lambda: sa.Column("measures", sa.String(), nullable=False, server_default=""),
    "photo": lambda: sa.Column("hand", sa.JSON(), nullable=False, server_default="{}"),
    "change": lambda: sa.Column("stage", sa.String(10), nullable=False, server_default="match"),
    "picture": lambda: sa.Column("subject", sa.JSON(), nullable=False, server_default="{}"),
}


def upgrade() -> None:
    for table, column in _ADDED.items():
        with op.batch_alter_table(table) as batch:
            batch.add_column(column())


def downgrade() -> None:
    for table, column in _ADDED.items():
        with op.batch_alter_table(table) as batch:
            batch.drop_column(column().name)
