"""What was said of the promises of labels; the garden that a trial stands in"""

import sqlalchemy as sa
from alembic import op

revision = "0032"
down_revision = "0031"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "label_answer",
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("letter", sa.String(), nullable=False),
        sa.Column("words", sa.String(), nullable=False),
        sa.Column("said", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], name=op.f("fk_label_answer_trial_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("trial_id", "letter", "words", name=op.f("pk_label_answer")),
    )
    op.add_column("trial", sa.Column("garden", sa.String(), server_default="", nullable=False))
    op.alter_column("trial", "garden", server_default=None)


def downgrade() -> None:
    op.drop_column("trial", "garden")
    op.drop_table("label_answer")
