"""Pictures of units, with what was measured on them"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "picture",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("unit_id", sa.Integer()),
        sa.Column("round_id", sa.Integer()),
        sa.Column("taken_at", sa.DateTime(timezone=True)),
        sa.Column("came_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("digest", sa.String(), nullable=False),
        sa.Column("size", sa.Integer(), nullable=False),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
        sa.Column("numbers", JSONB(), nullable=False),
        sa.Column("to_cm", JSONB()),
        sa.Column("outline", JSONB()),
        sa.Column("kept", sa.Boolean()),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["unit_id"], ["unit.id"], ondelete="SET NULL"),
        sa.ForeignKeyConstraint(["round_id"], ["round.id"], ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("trial_id", "digest"),
    )
    op.create_index("ix_picture_unit_id", "picture", ["unit_id"])
    op.create_index("ix_picture_round_id", "picture", ["round_id"])


def downgrade() -> None:
    op.drop_table("picture")
