"""people, their sign-ins and invitations, and the journal"""

import sqlalchemy as sa
from alembic import op

revision = "0013"
down_revision = "0012"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "person",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("name", sa.String(60), nullable=False),
        sa.Column("folded", sa.String(60), nullable=False, unique=True),
        *(sa.Column(name, sa.String(), nullable=False) for name in ("role", "password")),
        sa.Column("second", sa.LargeBinary(), nullable=False),
        sa.Column("used_step", sa.Integer(), nullable=False),
        sa.Column("recovery", sa.JSON(), nullable=False),
        sa.Column("active", sa.Boolean(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
    )
    op.create_table(
        "sign_in",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="CASCADE"), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False, unique=True),
        *(sa.Column(name, sa.DateTime(), nullable=False) for name in ("made", "used")),
        sa.Column("device", sa.String(200), nullable=False),
        sa.Column("address", sa.String(60), nullable=False),
    )
    op.create_index("ix_sign_in_person_id", "sign_in", ["person_id"])
    op.create_table(
        "invitation",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("person_id", sa.Integer(), sa.ForeignKey("person.id", ondelete="CASCADE"), nullable=False),
        sa.Column("sha256", sa.String(64), nullable=False, unique=True),
        sa.Column("expires", sa.DateTime(), nullable=False),
    )
    op.create_index("ix_invitation_person_id", "invitation", ["person_id"])
    op.create_table(
        "journal",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("made", sa.DateTime(), nullable=False),
        sa.Column("who", sa.String(60), nullable=False),
        sa.Column("text", sa.String(), nullable=False),
        sa.Column("about", sa.String(60), nullable=False),
        *(sa.Column(f"{name}_id", sa.Integer(), nullable=True) for name in ("shoot", "photo", "standard", "run")),
        sa.Column("chain", sa.String(64), nullable=False),
    )
    op.create_index("ix_journal_shoot", "journal", ["shoot_id", "id"])
    for name in ("photo", "standard", "run"):
        op.create_index(f"ix_journal_{name}_id", "journal", [f"{name}_id"])
    for what in ("UPDATE", "DELETE"):
        op.execute(
            f"CREATE TRIGGER journal_no_{what.lower()} BEFORE {what} ON journal "
            "BEGIN SELECT RAISE(ABORT, 'the journal is only added to'); END"
        )


def downgrade() -> None:
    op.execute("DROP TRIGGER journal_no_update")
    op.execute("DROP TRIGGER journal_no_delete")
    for table in ("journal", "invitation", "sign_in", "person"):
        op.drop_table(table)
