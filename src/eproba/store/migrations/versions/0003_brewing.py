"""Own recipes, batches with their checks, applications in detail, weather, the gardener's kit and prices"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None


def upgrade() -> None:
    _new_tables()
    op.add_column("treatment", sa.Column("recipe", sa.String(), nullable=False, server_default=""))
    op.add_column("treatment", sa.Column("water_parts", sa.Float()))
    op.add_column("pour", sa.Column("amount_each", sa.Float()))
    op.add_column("pour", sa.Column("unit_amounts", postgresql.JSONB(), nullable=False, server_default="{}"))
    op.add_column("pour", sa.Column("batch_id", sa.Integer()))
    op.create_foreign_key("fk_pour_batch_id", "pour", "batch", ["batch_id"], ["id"], ondelete="SET NULL")
    op.add_column("pour", sa.Column("override", sa.String(), nullable=False, server_default=""))
    op.add_column("pour", sa.Column("soil_c", sa.Float()))
    op.add_column("pour", sa.Column("moisture", sa.String(), nullable=False, server_default=""))
    op.add_column("pour", sa.Column("alike", sa.Boolean()))
    op.add_column("pour", sa.Column("can", sa.String(), nullable=False, server_default=""))
    op.execute(
        "UPDATE pour SET amount_each = treatment.amount FROM treatment WHERE pour.status = 'poured' "
        "AND treatment.trial_id = pour.trial_id AND treatment.letter = pour.letter "
        "AND pour.amount = trim_scale(treatment.amount::numeric)::text || ' ' || treatment.amount_unit || ' each'"
    )
    for table, name in (
        ("treatment", "recipe"), ("pour", "unit_amounts"), ("pour", "override"), ("pour", "moisture"), ("pour", "can"),
    ):  # fmt: skip
        op.alter_column(table, name, server_default=None)


def _new_tables() -> None:
    moment = sa.DateTime(timezone=True)
    op.create_table(
        "own_recipe",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("entry", postgresql.JSONB(), nullable=False),
        sa.Column("made_at", moment, nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_own_recipe"),
        sa.UniqueConstraint("key", "version", name="uq_own_recipe_key_version"),
    )
    op.create_table(
        "batch",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("recipe", sa.String(), nullable=False),
        sa.Column("version", sa.Integer(), nullable=False),
        sa.Column("entry", postgresql.JSONB(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("litres", sa.Float(), nullable=False),
        sa.Column("left", sa.Float(), nullable=False),
        sa.Column("place", sa.String(), nullable=False),
        sa.Column("water", sa.String(), nullable=False),
        sa.Column("amounts", postgresql.JSONB(), nullable=False),
        sa.Column("standing_at", moment),
        sa.Column("made_at", moment),
        sa.Column("strained_at", moment),
        sa.Column("used_up_at", moment),
        sa.Column("thrown_at", moment),
        sa.Column("thrown_reason", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_batch"),
    )
    op.create_table(
        "batch_check",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("batch_id", sa.Integer(), nullable=False),
        sa.Column("at", moment, nullable=False),
        sa.Column("temperature", sa.Float()),
        sa.Column("seen", postgresql.JSONB(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("photo", sa.LargeBinary()),
        sa.PrimaryKeyConstraint("id", name="pk_batch_check"),
        sa.ForeignKeyConstraint(["batch_id"], ["batch.id"], name="fk_batch_check_batch_id", ondelete="CASCADE"),
    )
    op.create_index("ix_batch_check_batch_id", "batch_check", ["batch_id"])
    op.create_table(
        "weather",
        sa.Column("at", moment, nullable=False),
        sa.Column("temperature", sa.Float(), nullable=False),
        sa.Column("rain_mm", sa.Float(), nullable=False),
        sa.Column("humidity", sa.Float()),
        sa.PrimaryKeyConstraint("at", name="pk_weather"),
    )
    op.create_table(
        "kit",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("kit", postgresql.JSONB(), nullable=False),
        sa.Column("prices", postgresql.JSONB(), nullable=False),
        sa.Column("water", sa.String(), nullable=False),
        sa.PrimaryKeyConstraint("id", name="pk_kit"),
    )


def downgrade() -> None:
    for name in ("can", "alike", "moisture", "soil_c", "override"):
        op.drop_column("pour", name)
    op.drop_constraint("fk_pour_batch_id", "pour", type_="foreignkey")
    for name in ("batch_id", "unit_amounts", "amount_each"):
        op.drop_column("pour", name)
    for name in ("water_parts", "recipe"):
        op.drop_column("treatment", name)
    for table in ("kit", "weather", "batch_check", "batch", "own_recipe"):
        op.drop_table(table)
