"""one history for all that a person changes; typed columns; names of rules and columns that say what they hold"""

import json
from collections.abc import Callable
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

_RULES = {
    "canvas": {"around": "padding"},
    "names": {"put": "replace_with", "twice": "on_duplicate"},
    "deliverables": {"limit": "max_kb", "least": "min_quality"},
}
_COLUMNS = {"photo": {"hand": "adjustment"}, "picture": {"way": "matrix", "told": "fields"}, "change": {"said": "text"}}


def upgrade() -> None:
    _rename_columns(lambda names: names)
    with op.batch_alter_table("picture") as batch:
        batch.alter_column("matrix", existing_type=sa.JSON(), nullable=True, server_default=None)
    with op.batch_alter_table("cutout") as batch:
        batch.alter_column("measures", existing_type=sa.String(), nullable=True, server_default=None)
    op.execute("UPDATE cutout SET measures = NULL WHERE measures = ''")
    with op.batch_alter_table("change") as batch:
        batch.alter_column("stage", existing_type=sa.String(10), type_=sa.String(12), server_default=None)
        batch.alter_column("shoot_id", existing_type=sa.Integer(), nullable=True)
        batch.add_column(sa.Column("standard_id", sa.Integer(), nullable=True))
        batch.add_column(sa.Column("photo_id", sa.Integer(), nullable=True))
        batch.create_foreign_key("fk_change_standard", "standard", ["standard_id"], ["id"], ondelete="CASCADE")
        batch.create_foreign_key("fk_change_photo", "photo", ["photo_id"], ["id"], ondelete="CASCADE")
    op.create_index("ix_change_standard_id", "change", ["standard_id"])
    op.create_index("ix_change_photo_id", "change", ["photo_id"])
    for table in ("standard", "standard_version", "run"):
        _rewrite(table, "rules", lambda rules: _renamed(rules, back=False))
    op.execute("UPDATE cutout SET bounds = NULL WHERE bounds = 'null'")
    op.execute("UPDATE picture SET matrix = NULL WHERE matrix IN ('[]', 'null')")
    _rewrite("picture", "subject", lambda s: {"adjustment" if key == "hand" else key: s[key] for key in s})
    # A change of rules was kept as whole standards; those cannot be undone field by field, but their versions remain.
    op.execute("DELETE FROM change WHERE before LIKE '%\"rules\"%'")
    op.execute("DELETE FROM remembered WHERE key LIKE 'standard %'")
    for column in ("before", "after"):
        _rewrite("change", column, lambda s: {"adjustments" if key == "hands" else key: s[key] for key in s})
    _marks_to_history()
    with op.batch_alter_table("photo") as batch:
        batch.drop_column("marks_at")


def downgrade() -> None:
    with op.batch_alter_table("photo") as batch:
        batch.add_column(sa.Column("marks_at", sa.Integer(), nullable=False, server_default="0"))
    op.execute("UPDATE photo SET marks_at = json_array_length(marks)")
    op.execute("DELETE FROM change WHERE stage IN ('standard', 'touch-up') OR before LIKE '%\"rules\"%'")
    op.execute("UPDATE picture SET matrix = '[]' WHERE matrix IS NULL")
    with op.batch_alter_table("picture") as batch:
        batch.alter_column("matrix", existing_type=sa.JSON(), nullable=False, server_default="[]")
    op.execute("UPDATE cutout SET measures = '' WHERE measures IS NULL")
    with op.batch_alter_table("cutout") as batch:
        batch.alter_column("measures", existing_type=sa.String(), nullable=False, server_default="")
    for column in ("before", "after"):
        _rewrite("change", column, _earlier_state)
    _rewrite("picture", "subject", _earlier_subject)
    for table in ("standard", "standard_version", "run"):
        _rewrite(table, "rules", lambda rules: _renamed(rules, back=True))
    op.drop_index("ix_change_photo_id", "change")
    op.drop_index("ix_change_standard_id", "change")
    with op.batch_alter_table("change") as batch:
        batch.drop_constraint("fk_change_photo", type_="foreignkey")
        batch.drop_constraint("fk_change_standard", type_="foreignkey")
        batch.drop_column("photo_id")
        batch.drop_column("standard_id")
        batch.alter_column("stage", existing_type=sa.String(12), type_=sa.String(10), server_default="match")
        batch.alter_column("shoot_id", existing_type=sa.Integer(), nullable=False)
    _rename_columns(lambda names: {new: old for old, new in names.items()})


def _rename_columns(direction: Callable[[dict[str, str]], dict[str, str]]) -> None:
    for table, names in _COLUMNS.items():
        with op.batch_alter_table(table) as batch:
            for old, new in direction(names).items():
                batch.alter_column(old, new_column_name=new)


def _rewrite(table: str, column: str, change: Callable[[Any], Any]) -> None:
    """Rewrite a column of JSON."""
    bind = op.get_bind()
    for key, text in bind.execute(sa.text(f"SELECT id, {column} FROM {table}")).all():
        value = json.dumps(change(json.loads(text or "{}")))
        if value != text:
            bind.execute(sa.text(f"UPDATE {table} SET {column} = :value WHERE id = :id"), {"value": value, "id": key})


def _renamed(rules: dict[str, Any], *, back: bool) -> dict[str, Any]:
    for part, names in _RULES.items():
        rows = rules.get(part, [])
        for row in rows if isinstance(rows, list) else [rows]:
            for old, new in names.items():
                before, after = (new, old) if back else (old, new)
                if before in row:
                    row[after] = row.pop(before)
    return rules


def _earlier_state(state: dict[str, Any]) -> dict[str, Any]:
    kept = {key: value for key, value in state.items() if value and key in ("photos", "shots", "adjustments")}
    return {"hands" if key == "adjustments" else key: value for key, value in kept.items()}


def _earlier_subject(subject: Any) -> dict[str, Any]:
    if isinstance(subject, dict):
        return {"hand" if key == "adjustment" else key: value for key, value in subject.items()}
    return dict(zip(("category", "view", "size", "hand", "cutout"), subject, strict=True))


def _marks_to_history() -> None:
    """Each mark becomes a change of its own, those that were undone as undone; the photo keeps those in force."""
    bind = op.get_bind()
    rows = bind.execute(sa.text("SELECT id, marks, marks_at FROM photo WHERE marks NOT IN ('[]', 'null')")).all()
    for photo_id, text, at in rows:
        marks = json.loads(text)
        for place, mark in enumerate(marks):
            bind.execute(
                sa.text(
                    "INSERT INTO change (photo_id, stage, text, before, after, undone, made) "
                    "VALUES (:photo, 'touch-up', :text, '{}', :after, :undone, CURRENT_TIMESTAMP)"
                ),
                {
                    "photo": photo_id,
                    "text": f"mark: {mark['kind']}",
                    "after": json.dumps({"marks": [mark]}),
                    "undone": place >= at,
                },
            )
        bind.execute(
            sa.text("UPDATE photo SET marks = :marks WHERE id = :id"), {"marks": json.dumps(marks[:at]), "id": photo_id}
        )
