"""What was poured from a batch is found by it"""

from alembic import op

revision = "0021"
down_revision = "0020"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_index("ix_pour_batch_id", "pour", ["batch_id"])
    op.create_index("ix_pour_other_batch_id", "pour", ["other_batch_id"])


def downgrade() -> None:
    op.drop_index("ix_pour_other_batch_id", "pour")
    op.drop_index("ix_pour_batch_id", "pour")
