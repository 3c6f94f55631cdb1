"""colour targets and grey cards on photos, which of raw file and picture counts, and trials"""

import sqlalchemy as sa
from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("original") as batch:
        batch.add_column(sa.Column("target", sa.JSON(), nullable=True))
        batch.add_column(sa.Column("grey", sa.JSON(), nullable=True))
    with op.batch_alter_table("run") as batch:
        batch.add_column(sa.Column("trial", sa.Boolean(), nullable=False, server_default=sa.false()))
    with op.batch_alter_table("shoot") as batch:
        batch.add_column(sa.Column("raw_counts", sa.Boolean(), nullable=False, server_default=sa.true()))


def downgrade() -> None:
    with op.batch_alter_table("run") as batch:
        batch.drop_column("trial")
    with op.batch_alter_table("shoot") as batch:
        batch.drop_column("raw_counts")
    with op.batch_alter_table("original") as batch:
        batch.drop_column("grey")
        batch.drop_column("target")
