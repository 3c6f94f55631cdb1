"""what a photo looks like at a glance, shoots without code cards, and runs that wait for them to be read"""

import sqlalchemy as sa
from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    with op.batch_alter_table("original") as batch:
        batch.add_column(sa.Column("look", sa.LargeBinary(), nullable=False, server_default=sa.text("X''")))
    with op.batch_alter_table("shoot") as batch:
        batch.add_column(sa.Column("cards", sa.Boolean(), nullable=False, server_default=sa.true()))
        batch.add_column(sa.Column("run_asked", sa.Boolean(), nullable=False, server_default=sa.false()))
    # Cards are told by their looks from now on: what may be one is read again.
    op.execute("UPDATE original SET \"read\" = 0 WHERE card_like AND error = ''")


def downgrade() -> None:
    with op.batch_alter_table("shoot") as batch:
        batch.drop_column("run_asked")
        batch.drop_column("cards")
    with op.batch_alter_table("original") as batch:
        batch.drop_column("look")
