"""passkeys, by which people sign in without a password"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "passkey",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="CASCADE"), nullable=False),
        sa.Column("credential", sa.LargeBinary(), nullable=False, unique=True),
        sa.Column("public_key", sa.LargeBinary(), nullable=False),
        sa.Column("count", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
        sa.Column("used", sa.DateTime(), nullable=True),
    )
    op.create_index("ix_passkey_person_id", "passkey", ["person_id"])


def downgrade() -> None:
    op.drop_table("passkey")
