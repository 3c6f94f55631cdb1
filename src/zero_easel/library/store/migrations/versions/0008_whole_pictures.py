"""shoots of whole pictures, which one page does"""

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("shoot") as batch:
        batch.add_column(sa.Column("whole", sa.Boolean(), nullable=False, server_default=sa.false()))


def downgrade() -> None:
    with op.batch_alter_table("shoot") as batch:
        batch.drop_column("whole")
