"""folders that are watched and what came of their files, bursts, how light photos are, where pictures are handed to"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    # Added in place and not by a batch: a batch makes the table anew, without the triggers that count its changes.
    op.add_column("original", sa.Column("paper", sa.Double(), nullable=True))
    op.add_column("original", sa.Column("clipped", sa.Double(), nullable=True))
    op.add_column("shoot", sa.Column("bursts", sa.Boolean(), nullable=False, server_default=sa.true()))
    op.add_column("photo", sa.Column("behind", sa.Integer(), nullable=True))
    op.add_column("photo", sa.Column("chosen", sa.Boolean(), nullable=False, server_default=sa.false()))
    # What was run before there were targets is handed over by hand alone.
    op.add_column("run", sa.Column("handed", sa.Boolean(), nullable=False, server_default=sa.true()))
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
    _targets()


def _targets() -> None:
    op.create_table(
        "target",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("shoot_id", sa.Integer(), sa.ForeignKey("shoot.id", ondelete="CASCADE"), nullable=True),
        sa.Column("standard_id", sa.Integer(), sa.ForeignKey("standard.id", ondelete="CASCADE"), nullable=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("kind", sa.String(), nullable=False),
        *(sa.Column(name, sa.String(), nullable=False) for name in ("address", "endpoint", "user")),
        sa.Column("deliverables", sa.JSON(), nullable=False),
        sa.Column("checked", sa.Boolean(), nullable=False),
        sa.Column("path", sa.String(), nullable=False),
        sa.Column("by_itself", sa.Boolean(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        *(sa.Column(name, sa.String(), nullable=False) for name in ("known", "trouble")),
    )
    op.create_index("ix_target_shoot_id", "target", ["shoot_id"])
    op.create_index("ix_target_standard_id", "target", ["standard_id"])
    op.create_table(
        "sending",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("target_id", sa.Integer(), sa.ForeignKey("target.id", ondelete="CASCADE"), nullable=False),
        sa.Column("picture_id", sa.Integer(), sa.ForeignKey("picture.id", ondelete="CASCADE"), nullable=False),
        *(sa.Column(name, sa.String(), nullable=False) for name in ("path", "sha256", "state")),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("due", sa.DateTime(), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        sa.Column("rules", sa.JSON(), nullable=False),
        sa.Column("changed", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("target_id", "path"),
    )
    op.create_index("ix_sending_picture_id", "sending", ["picture_id"])
    op.create_index("ix_sending_state", "sending", ["state", "due"])


def downgrade() -> None:
    op.drop_table("sending")
    op.drop_table("target")
    op.drop_table("arrival")
    op.drop_table("watched_folder")
    op.drop_column("run", "handed")
    op.drop_column("photo", "chosen")
    op.drop_column("photo", "behind")
    op.drop_column("shoot", "bursts")
    op.drop_column("original", "clipped")
    op.drop_column("original", "paper")
