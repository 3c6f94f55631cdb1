"""empty frames, and a person's marks on a photo"""

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("photo") as batch:
        batch.add_column(sa.Column("empty", sa.Boolean(), nullable=False, server_default=sa.false()))
        batch.add_column(sa.Column("marks", sa.JSON(), nullable=False, server_default="[]"))
        batch.add_column(sa.Column("marks_at", sa.Integer(), nullable=False, server_default="0"))


def downgrade() -> None:
    with op.batch_alter_table("photo") as batch:
        for name in ("marks_at", "marks", "empty"):
            batch.drop_column(name)
