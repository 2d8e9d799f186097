"""Two things at once: which of them each treatment gets"""

import sqlalchemy as sa
from alembic import op

revision = "0020"
down_revision = "0019"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("treatment", sa.Column("things", sa.String(), server_default="", nullable=False))
    op.alter_column("treatment", "things", server_default=None)


def downgrade() -> None:
    op.drop_column("treatment", "things")
