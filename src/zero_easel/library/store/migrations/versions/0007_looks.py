"""what a photo looks like at a glance, shoots without code cards or with a standard of their own, runs that wait"""

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
    with op.batch_alter_table("standard") as batch:
        batch.add_column(sa.Column("parent_id", sa.Integer(), nullable=True))
        batch.create_foreign_key("fk_standard_parent", "standard", ["parent_id"], ["id"], ondelete="SET NULL")
    # Cards are told by their looks from now on: what may be one is read again.
    op.execute("UPDATE original SET \"read\" = 0 WHERE card_like AND error = ''")


def downgrade() -> None:
    with op.batch_alter_table("standard") as batch:
        batch.drop_constraint("fk_standard_parent", type_="foreignkey")
        batch.drop_column("parent_id")
    with op.batch_alter_table("shoot") as batch:
        batch.drop_column("run_asked")
        batch.drop_column("cards")
    with op.batch_alter_table("original") as batch:
        batch.drop_column("look")
