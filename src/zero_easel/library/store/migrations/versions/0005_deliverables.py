"""many deliverables, versions of standards, checks of finished pictures"""

import json
from collections.abc import Callable
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

_NAMES = ("name", "folder", "count", "start", "find", "put", "find_as", "twice")
_ADDED: dict[str, list[Callable[[], sa.Column[Any]]]] = {
    "cutout": [lambda: sa.Column("weight", sa.Integer(), nullable=False, server_default="0")],
    "run": [lambda: sa.Column("standard_id", sa.Integer(), sa.ForeignKey("standard.id", name="fk_run_standard"))],
    "picture": [
        lambda: sa.Column("deliverable", sa.String(40), nullable=False, server_default=""),
        lambda: sa.Column("told", sa.JSON(), nullable=False, server_default="{}"),
        lambda: sa.Column("key", sa.String(64), nullable=False, server_default=""),
        lambda: sa.Column("reused", sa.Boolean(), nullable=False, server_default=sa.false()),
        lambda: sa.Column("quality", sa.Integer(), nullable=False, server_default="0"),
        lambda: sa.Column("checks", sa.JSON(), nullable=False, server_default="[]"),
        lambda: sa.Column("way", sa.JSON(), nullable=False, server_default="[]"),
    ],
}


def upgrade() -> None:
    op.create_table(
        "standard_version",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("standard_id", sa.Integer(), sa.ForeignKey("standard.id", ondelete="CASCADE"), nullable=False),
        sa.Column("number", sa.Integer(), nullable=False),
        sa.Column("label", sa.String(120), nullable=False, server_default=""),
        sa.Column("rules", sa.JSON(), nullable=False),
        sa.Column("made", sa.DateTime(), nullable=False),
        sa.UniqueConstraint("standard_id", "number"),
    )
    op.create_index("ix_standard_version_standard_id", "standard_version", ["standard_id"])
    for table, columns in _ADDED.items():
        with op.batch_alter_table(table) as batch:
            for column in columns:
                batch.add_column(column())
    op.create_index("ix_picture_key", "picture", ["key"])
    _rewrite(_split)
    op.execute("UPDATE picture SET deliverable = 'shop' WHERE output != ''")
    # What runs used is history; it becomes versions that can be compared and restored.
    op.execute(
        "INSERT INTO standard_version (standard_id, number, label, rules, made) "
        "SELECT shoot.standard_id, run.standard_version, '', run.rules, min(run.created) FROM run "
        "JOIN shoot ON shoot.id = run.shoot_id GROUP BY shoot.standard_id, run.standard_version"
    )
    op.execute("UPDATE run SET standard_id = (SELECT standard_id FROM shoot WHERE shoot.id = run.shoot_id)")


def downgrade() -> None:
    _rewrite(_joined)
    op.drop_index("ix_picture_key", "picture")
    for table, columns in _ADDED.items():
        with op.batch_alter_table(table) as batch:
            for column in columns:
                batch.drop_column(column().name)
    op.drop_table("standard_version")


def _rewrite(change: Any) -> None:
    """Rewrite all stored rules."""
    bind = op.get_bind()
    for table in ("standard", "run"):
        for key, rules in bind.execute(sa.text(f"SELECT id, rules FROM {table}")).all():
            new = json.dumps(change(json.loads(rules)))
            bind.execute(sa.text(f"UPDATE {table} SET rules = :rules WHERE id = :id"), {"rules": new, "id": key})


def _split(rules: dict[str, Any]) -> dict[str, Any]:
    """One deliverable with names of its own -> names, and a list of deliverables."""
    old = rules.pop("deliverable", {})
    rules["names"] = {key: old[key] for key in _NAMES if key in old}
    rules["deliverables"] = [{"name": "shop", **{key: old[key] for key in ("format", "quality") if key in old}}]
    return rules


def _joined(rules: dict[str, Any]) -> dict[str, Any]:
    first, names = rules.pop("deliverables", [{}])[0], rules.pop("names", {})
    kind = first.get("format", "jpeg")
    for key in ("information", "overlays", "checks", "hand_over"):
        rules.pop(key, None)
    rules["deliverable"] = {
        **names,
        "format": kind if kind in ("jpeg", "png", "webp") else "png",
        "quality": first.get("quality", 90),
    }
    return rules
