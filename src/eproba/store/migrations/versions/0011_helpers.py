"""Links for helpers who read one round and see nothing else"""

import sqlalchemy as sa
from alembic import op

revision = "0011"
down_revision = "0010"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "helper",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("round_id", sa.Integer(), nullable=False),
        sa.Column("token", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["round_id"], ["round.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("token"),
    )
    op.create_index("ix_helper_trial_id", "helper", ["trial_id"])
    op.create_index("ix_helper_round_id", "helper", ["round_id"])


def downgrade() -> None:
    op.drop_table("helper")
