"""links by which pictures are approved, what was said, and places that take approved pictures alone"""

import sqlalchemy as sa
from alembic import op

revision = "0014"
down_revision = "0013"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "approval_link",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("shoot_id", sa.Integer(), sa.ForeignKey("shoot.id", ondelete="CASCADE"), nullable=False),
        sa.Column("run_id", sa.Integer(), sa.ForeignKey("run.id", ondelete="CASCADE"), nullable=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False, unique=True),
        sa.Column("password", sa.String(), nullable=False),
        sa.Column("originals", sa.Boolean(), nullable=False),
        *(sa.Column(name, sa.DateTime(), nullable=False) for name in ("made", "expires")),
        sa.Column("revoked", sa.DateTime(), nullable=True),
    )
    op.create_index("ix_approval_link_shoot_id", "approval_link", ["shoot_id"])
    op.create_table(
        "approval_answer",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("link_id", sa.Integer(), sa.ForeignKey("approval_link.id", ondelete="CASCADE"), nullable=False),
        sa.Column("photo_id", sa.Integer(), sa.ForeignKey("photo.id", ondelete="CASCADE"), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False),
        sa.Column("yes", sa.Boolean(), nullable=False),
        *(sa.Column(name, sa.String(), nullable=False) for name in ("flaw", "words")),
        *(sa.Column(name, sa.Double(), nullable=True) for name in ("x", "y")),
        sa.Column("made", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("link_id", "photo_id", "sha256"),
    )
    op.create_index("ix_approval_answer_photo", "approval_answer", ["photo_id", "sha256"])
    op.add_column("target", sa.Column("approved", sa.Boolean(), nullable=False, server_default=sa.false()))


def downgrade() -> None:
    op.drop_column("target", "approved")
    op.drop_table("approval_answer")
    op.drop_table("approval_link")
