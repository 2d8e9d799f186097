"""Early looks into the envelope: when, by whom, why; what is paid for them follows from their days"""

import sqlalchemy as sa
from alembic import op

revision = "0015"
down_revision = "0014"
branch_labels = None
depends_on = None

HAPPENINGS = (("INSERT", "NEW"), ("UPDATE", "NEW"), ("DELETE", "OLD"))


def upgrade() -> None:
    op.create_table(
        "look",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("day", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id"),
        sa.UniqueConstraint("trial_id", "day"),
    )
    op.create_index("ix_look_trial_id", "look", ["trial_id"])
    for event, side in HAPPENINGS:
        op.execute(
            f"CREATE TRIGGER stamp_{event.lower()} AFTER {event} ON look"
            f" REFERENCING {side} TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION stamp_plan()"
        )
    # What is kept of finished trials was judged on pooled noise: it is judged anew.
    op.execute("DELETE FROM finding")


def downgrade() -> None:
    op.drop_table("look")
