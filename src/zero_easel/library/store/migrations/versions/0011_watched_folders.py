"""folders that are watched, and what came of their files; bursts, of which one photo counts; how light photos are"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Added in place and not by a batch: a batch makes the table anew, without the triggers that count its changes.
    op.add_column("original", sa.Column("paper", sa.Float(), nullable=True))
    op.add_column("original", sa.Column("clipped", sa.Float(), nullable=True))
    op.add_column("shoot", sa.Column("bursts", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.add_column("photo", sa.Column("behind", sa.Integer(), nullable=True))
    op.add_column("photo", sa.Column("chosen", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.create_table(
        "watched_folder",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("shoot_id", sa.Integer(), sa.ForeignKey("shoot.id", ondelete="CASCADE"), nullable=False, unique=True),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("moves", sa.Boolean(), nullable=False),
        sa.Column("finishes", sa.Boolean(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("trouble", sa.String(), nullable=False),
    )
    op.create_table(
        "arrival",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("folder_id", sa.Integer(), sa.ForeignKey("watched_folder.id", ondelete="CASCADE"), nullable=False),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("bytes", sa.Integer(), nullable=False),
        sa.Column("modified", sa.BigInteger(), nullable=False),
        sa.Column("digest", sa.String(64), nullable=False),
        sa.Column("ok", sa.Boolean(), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        sa.Column("look", sa.String(), nullable=False),
        sa.Column("came", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("folder_id", "path"),
    )


def downgrade() -> None:
    op.drop_table("arrival")
    op.drop_table("watched_folder")
    op.drop_column("photo", "chosen")
    op.drop_column("photo", "behind")
    op.drop_column("shoot", "bursts")
    op.drop_column("original", "clipped")
    op.drop_column("original", "paper")
