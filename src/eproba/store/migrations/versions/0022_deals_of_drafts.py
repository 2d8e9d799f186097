"""A plan that was dealt and taken back remembers how often its lots fell"""

import sqlalchemy as sa
from alembic import op

revision = "0022"
down_revision = "0021"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("draft", sa.Column("deals", sa.Integer(), nullable=False, server_default="0"))
    op.alter_column("draft", "deals", server_default=None)


def downgrade() -> None:
    op.drop_column("draft", "deals")
