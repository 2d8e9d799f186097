"""Challenges between gardens, and what came back from each"""

import sqlalchemy as sa
from alembic import op

revision = "0030"
down_revision = "0029"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "challenge",
        sa.Column("key", sa.String(), nullable=False),
        sa.Column("name", sa.String(), nullable=False),
        sa.Column("opens_on", sa.Date(), nullable=False),
        sa.Column("file", sa.LargeBinary(), nullable=False),
        sa.Column("garden", sa.String(), nullable=False),
        sa.Column("called_here", sa.Boolean(), nullable=False),
        sa.Column("token_hash", sa.String(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("opened_at", sa.DateTime(timezone=True), nullable=True),
        sa.PrimaryKeyConstraint("key", name=op.f("pk_challenge")),
    )
    op.create_table(
        "challenge_garden",
        sa.Column("challenge", sa.String(), nullable=False),
        sa.Column("garden", sa.String(), nullable=False),
        sa.Column("standing", sa.String(), nullable=False),
        sa.Column("units", sa.Integer(), nullable=False),
        sa.Column("came_at", sa.DateTime(timezone=True), nullable=False),
        sa.Column("trial_key", sa.String(), nullable=False),
        sa.Column("result", sa.LargeBinary(), nullable=True),
        sa.ForeignKeyConstraint(
            ["challenge"], ["challenge.key"], name=op.f("fk_challenge_garden_challenge"), ondelete="CASCADE"
        ),
        sa.PrimaryKeyConstraint("challenge", "garden", name=op.f("pk_challenge_garden")),
    )


def downgrade() -> None:
    op.drop_table("challenge_garden")
    op.drop_table("challenge")
