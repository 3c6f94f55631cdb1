"""runs that go before others or stop at a failure, and when pictures were made"""

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("run") as batch:
        batch.add_column(sa.Column("urgent", sa.Boolean(), nullable=False, server_default=sa.false()))
        batch.add_column(sa.Column("stop_at_failure", sa.Boolean(), nullable=False, server_default=sa.false()))
    with op.batch_alter_table("picture") as batch:
        batch.add_column(sa.Column("made", sa.DateTime(), nullable=True))


def downgrade() -> None:
    with op.batch_alter_table("picture") as batch:
        batch.drop_column("made")
    with op.batch_alter_table("run") as batch:
        batch.drop_column("stop_at_failure")
        batch.drop_column("urgent")
