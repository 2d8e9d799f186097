"""What of the file that a trial was taken in from had been changed"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0017"
down_revision = "0016"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("trial", sa.Column("came", JSONB(), nullable=True))


def downgrade() -> None:
    op.drop_column("trial", "came")
