"""runs that go before others or stop at a failure; when pictures were made, and how many checks they fail; how often
tables changed"""

import json

import sqlalchemy as sa
from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None
COUNTED = ("photo", "original", "cutout", "product", "shot", "shoot")


def upgrade() -> None:
    with op.batch_alter_table("run") as batch:
        batch.add_column(sa.Column("urgent", sa.Boolean(), nullable=False, server_default=sa.false()))
        batch.add_column(sa.Column("stop_at_failure", sa.Boolean(), nullable=False, server_default=sa.false()))
        # The pace follows from when pictures were made.
        batch.drop_column("done_before")
    with op.batch_alter_table("shoot") as batch:
        batch.add_column(sa.Column("stop_at_failure", sa.Boolean(), nullable=False, server_default=sa.false()))
    with op.batch_alter_table("picture") as batch:
        batch.add_column(sa.Column("made", sa.DateTime(), nullable=True))
        batch.add_column(sa.Column("unmet", sa.Integer(), nullable=False, server_default="0"))
    # Counts the changes of tables, see library/lists/kept.py. A later migration that makes one of them anew (a batch
    # does) has to make its triggers again.
    op.create_table("changed", sa.Column("name", sa.String(20), primary_key=True), sa.Column("changes", sa.Integer()))
    for table in COUNTED:
        op.execute(f"INSERT INTO changed VALUES ('{table}', 0)")
        for event in ("INSERT", "UPDATE", "DELETE"):
            op.execute(
                f"CREATE TRIGGER changed_{table}_{event.lower()} AFTER {event} ON {table} "
                f"BEGIN UPDATE changed SET changes = changes + 1 WHERE name = '{table}'; END"
            )
    picture = sa.table("picture", sa.column("id"), sa.column("checks"), sa.column("unmet"))
    for at, checks in op.get_bind().execute(sa.select(picture.c.id, picture.c.checks)).all():
        # A check is its rule, value, what was measured, whether it is met, and how to mend it.
        unmet = sum(not check[3] for check in json.loads(checks or "[]"))
        if unmet:
            op.execute(picture.update().where(picture.c.id == at).values(unmet=unmet))


def downgrade() -> None:
    for table in COUNTED:
        for event in ("insert", "update", "delete"):
            op.execute(f"DROP TRIGGER changed_{table}_{event}")
    op.drop_table("changed")
    with op.batch_alter_table("picture") as batch:
        batch.drop_column("unmet")
        batch.drop_column("made")
    with op.batch_alter_table("shoot") as batch:
        batch.drop_column("stop_at_failure")
    with op.batch_alter_table("run") as batch:
        batch.drop_column("stop_at_failure")
        batch.drop_column("urgent")
        batch.add_column(sa.Column("done_before", sa.Integer(), nullable=False, server_default="0"))
