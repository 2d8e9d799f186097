"""What a trial says to its questions, so that trials of one question can be put together; what is left out of them"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0016"
down_revision = "0015"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.execute("DELETE FROM finding")  # made anew, with what it says to its questions
    op.add_column("finding", sa.Column("answers", JSONB(), nullable=False))
    op.create_index("ix_finding_answers", "finding", ["answers"], postgresql_using="gin")
    op.create_table(
        "left_out",
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("letter", sa.String(), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("trial_id", "letter"),
    )


def downgrade() -> None:
    op.drop_table("left_out")
    op.drop_index("ix_finding_answers", "finding")
    op.drop_column("finding", "answers")
