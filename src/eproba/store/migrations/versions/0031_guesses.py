"""What somebody said of the rows of pictures before the envelope was open"""

import sqlalchemy as sa
from alembic import op

revision = "0031"
down_revision = "0030"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "guess",
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("unit_id", sa.Integer(), nullable=False),
        sa.Column("among", sa.Integer(), nullable=False),
        sa.Column("at", sa.DateTime(timezone=True), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], name=op.f("fk_guess_trial_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["unit_id"], ["unit.id"], name=op.f("fk_guess_unit_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("trial_id", "by", name=op.f("pk_guess")),
    )


def downgrade() -> None:
    op.drop_table("guess")
