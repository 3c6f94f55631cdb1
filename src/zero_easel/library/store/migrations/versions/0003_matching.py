"""code cards, folders, doubts, steps of matching, and free columns of products"""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def _flag(name: str) -> sa.Column[bool]:
    return sa.Column(name, sa.Boolean(), nullable=False, server_default=sa.false())


def _text(name: str) -> sa.Column[str]:
    return sa.Column(name, sa.String(), nullable=False, server_default="")


_ADDED: dict[str, list[sa.Column[Any]]] = {
    "product": [sa.Column("extra", sa.JSON(), nullable=False, server_default="{}")],
    "original": [
        _flag("read"),
        sa.Column("codes", sa.JSON(), nullable=False, server_default="[]"),
        _flag("card_like"),
        sa.Column("blur", sa.Double(), nullable=True),
    ],
    "shoot": [_flag("stale")],
    "photo": [
        _text("folder"),
        _text("doubt"),
        _text("turn"),
        _flag("card"),
        _flag("not_card"),
    ],
}


def upgrade() -> None:
    for table, columns in _ADDED.items():
        with op.batch_alter_table(table) as batch:
            for column in columns:
                batch.add_column(column)
    op.create_index("ix_original_read", "original", ["read"])
    op.create_table(
        "remembered",
        sa.Column("key", sa.String(60), primary_key=True),
        sa.Column("value", sa.JSON(), nullable=False),
    )
    op.create_table(
        "change",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("shoot_id", sa.Integer(), sa.ForeignKey("shoot.id", ondelete="CASCADE"), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        sa.Column("before", sa.JSON(), nullable=False),
        sa.Column("after", sa.JSON(), nullable=False),
        sa.Column("undone", sa.Boolean(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
    )
    op.create_index("ix_change_shoot_id", "change", ["shoot_id"])


def downgrade() -> None:
    op.drop_table("change")
    op.drop_table("remembered")
    op.drop_index("ix_original_read", "original")
    for table, columns in _ADDED.items():
        with op.batch_alter_table(table) as batch:
            for column in reversed(columns):
                batch.drop_column(column.name)
