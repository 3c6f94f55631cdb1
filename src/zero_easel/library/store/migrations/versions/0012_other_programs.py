"""tokens of other programs, what they were answered, and addresses that are told of events"""

import sqlalchemy as sa
from alembic import op

revision = "0012"
down_revision = "0011"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "access_token",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(80), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False, unique=True),
        sa.Column("begins", sa.String(12), nullable=False),
        sa.Column("scopes", sa.JSON(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.Column("expires", sa.DateTime(), nullable=False),
        sa.Column("revoked", sa.DateTime(), nullable=True),
        sa.Column("used", sa.DateTime(), nullable=True),
    )
    op.create_table(
        "answered",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("token_id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(200), nullable=False),
        sa.Column("request", sa.String(64), nullable=False),
        sa.Column("status", sa.Integer(), nullable=False),
        sa.Column("headers", sa.JSON(), nullable=False),
        sa.Column("body", sa.LargeBinary(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("token_id", "key"),
    )
    op.create_index("ix_answered_made", "answered", ["made"])
    op.create_table(
        "webhook",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("address", sa.String(), nullable=False),
        sa.Column("events", sa.JSON(), nullable=False),
        sa.Column("sealed", sa.LargeBinary(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("trouble", sa.String(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
    )
    op.create_table(
        "message",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("webhook_id", sa.Integer(), sa.ForeignKey("webhook.id", ondelete="CASCADE"), nullable=False),
        sa.Column("name", sa.String(60), nullable=False),
        *(sa.Column(name, sa.String(), nullable=False) for name in ("event", "body", "state")),
        sa.Column("tries", sa.Integer(), nullable=False),
        sa.Column("due", sa.DateTime(), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
    )
    op.create_index("ix_message_webhook_id", "message", ["webhook_id"])
    op.create_index("ix_message_state", "message", ["state", "due"])


def downgrade() -> None:
    for table in ("message", "webhook", "answered", "access_token"):
        op.drop_table(table)
