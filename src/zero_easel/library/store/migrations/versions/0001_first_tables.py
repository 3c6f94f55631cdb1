"""first tables"""

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "cutout",
        sa.Column("key", sa.String(length=64), nullable=False),
        sa.Column("confidence", sa.Double(), nullable=False),
        sa.Column("flags", sa.JSON(), nullable=False),
        sa.Column("left", sa.Integer(), nullable=False),
        sa.Column("top", sa.Integer(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("bounds", sa.JSON(), nullable=True),
        sa.Column("seconds", sa.Double(), nullable=False),
        sa.PrimaryKeyConstraint("key"),
    )
    op.create_table(
        "original",
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("bytes", sa.Integer(), nullable=False),
        sa.Column("format", sa.String(), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("bits", sa.Integer(), nullable=False),
        sa.Column("orientation", sa.Integer(), nullable=False),
        sa.Column("profile", sa.String(), nullable=False),
        sa.Column("density", sa.Double(), nullable=False),
        sa.Column("taken", sa.DateTime(), nullable=True),
        sa.Column("error", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("digest"),
    )
    op.create_table(
        "product",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("code", sa.String(length=200), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("category", sa.String(), nullable=False),
        sa.Column("ean", sa.String(), nullable=False),
        sa.Column("width_mm", sa.Double(), nullable=True),
        sa.Column("height_mm", sa.Double(), nullable=True),
        sa.Column("depth_mm", sa.Double(), nullable=True),
        sa.Column("colour", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("code"),
    )
    with op.batch_alter_table("product", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_product_ean"), ["ean"], unique=False)

    op.create_table(
        "standard",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("frozen", sa.Boolean(), nullable=False),
        sa.Column("rules", sa.JSON(), nullable=False),
        sa.Column("updated", sa.DateTime(), nullable=False),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "shoot",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("name", sa.String(length=200), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.Column("standard_id", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["standard_id"],
            ["standard.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    op.create_table(
        "photo",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shoot_id", sa.Integer(), nullable=False),
        sa.Column("digest", sa.String(length=64), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("added", sa.DateTime(), nullable=False),
        sa.Column("code", sa.String(), nullable=False),
        sa.Column("view", sa.String(), nullable=False),
        sa.Column("why", sa.String(), nullable=False),
        sa.Column("by_hand", sa.Boolean(), nullable=False),
        sa.Column("listed", sa.Boolean(), nullable=False),
        sa.Column("left_out", sa.Boolean(), nullable=False),
        sa.Column("clearing", sa.String(length=10), nullable=False),
        sa.Column("problem", sa.String(), nullable=False),
        sa.Column("cutout_key", sa.String(length=64), nullable=True),
        sa.Column("accepted", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(
            ["cutout_key"],
            ["cutout.key"],
        ),
        sa.ForeignKeyConstraint(
            ["digest"],
            ["original.digest"],
        ),
        sa.ForeignKeyConstraint(["shoot_id"], ["shoot.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    with op.batch_alter_table("photo", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_photo_clearing"), ["clearing"], unique=False)
        batch_op.create_index(batch_op.f("ix_photo_code"), ["code"], unique=False)
        batch_op.create_index(batch_op.f("ix_photo_digest"), ["digest"], unique=False)
        batch_op.create_index("ix_photo_shoot_name", ["shoot_id", "name"], unique=False)

    op.create_table(
        "run",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shoot_id", sa.Integer(), nullable=False),
        sa.Column("standard_version", sa.Integer(), nullable=False),
        sa.Column("rules", sa.JSON(), nullable=False),
        sa.Column("state", sa.String(length=12), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("created", sa.DateTime(), nullable=False),
        sa.Column("ended", sa.DateTime(), nullable=True),
        sa.Column("resumed", sa.DateTime(), nullable=False),
        sa.Column("done_before", sa.Integer(), nullable=False),
        sa.ForeignKeyConstraint(
            ["shoot_id"],
            ["shoot.id"],
        ),
        sa.PrimaryKeyConstraint("id"),
    )
    with op.batch_alter_table("run", schema=None) as batch_op:
        batch_op.create_index(batch_op.f("ix_run_shoot_id"), ["shoot_id"], unique=False)
        batch_op.create_index(batch_op.f("ix_run_state"), ["state"], unique=False)

    op.create_table(
        "shot",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("shoot_id", sa.Integer(), nullable=False),
        sa.Column("filename", sa.String(), nullable=False),
        sa.Column("code", sa.String(), nullable=False),
        sa.Column("view", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["shoot_id"], ["shoot.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("shoot_id", "filename"),
    )
    op.create_table(
        "picture",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("run_id", sa.Integer(), nullable=False),
        sa.Column("photo_id", sa.Integer(), nullable=False),
        sa.Column("original", sa.String(), nullable=False),
        sa.Column("code", sa.String(), nullable=False),
        sa.Column("view", sa.String(), nullable=False),
        sa.Column("output", sa.String(), nullable=False),
        sa.Column("state", sa.String(length=10), nullable=False),
        sa.Column("width", sa.Integer(), nullable=False),
        sa.Column("height", sa.Integer(), nullable=False),
        sa.Column("bytes", sa.Integer(), nullable=False),
        sa.Column("sha256", sa.String(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("message", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(
            ["photo_id"],
            ["photo.id"],
        ),
        sa.ForeignKeyConstraint(["run_id"], ["run.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
    )
    with op.batch_alter_table("picture", schema=None) as batch_op:
        batch_op.create_index("ix_picture_run_state", ["run_id", "state"], unique=False)


def downgrade() -> None:
    with op.batch_alter_table("picture", schema=None) as batch_op:
        batch_op.drop_index("ix_picture_run_state")

    op.drop_table("picture")
    op.drop_table("shot")
    with op.batch_alter_table("run", schema=None) as batch_op:
        batch_op.drop_index(batch_op.f("ix_run_state"))
        batch_op.drop_index(batch_op.f("ix_run_shoot_id"))

    op.drop_table("run")
    with op.batch_alter_table("photo", schema=None) as batch_op:
        batch_op.drop_index("ix_photo_shoot_name")
        batch_op.drop_index(batch_op.f("ix_photo_digest"))
        batch_op.drop_index(batch_op.f("ix_photo_code"))
        batch_op.drop_index(batch_op.f("ix_photo_clearing"))

    op.drop_table("photo")
    op.drop_table("shoot")
    op.drop_table("standard")
    with op.batch_alter_table("product", schema=None) as batch_op:
        batch_op.drop_index(batch_op.f("ix_product_ean"))

    op.drop_table("product")
    op.drop_table("original")
    op.drop_table("cutout")
