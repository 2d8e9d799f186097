"""What is given at every watering, in place of plain water"""

import sqlalchemy as sa
from alembic import op

revision = "0033"
down_revision = "0032"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("treatment", sa.Column("each_watering", sa.Boolean(), server_default=sa.false(), nullable=False))
    op.alter_column("treatment", "each_watering", server_default=None)


def downgrade() -> None:
    op.drop_column("treatment", "each_watering")
