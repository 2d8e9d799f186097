"""After an early end nothing was to be given: what ended trials showed is judged anew at the next start"""

from alembic import op

revision = "0034"
down_revision = "0033"
branch_labels = None
depends_on = None
ENDED = "DELETE FROM finding USING trial WHERE trial.id = finding.trial_id AND trial.ended_on IS NOT NULL"


def upgrade() -> None:
    op.execute(ENDED)


def downgrade() -> None:
    op.execute(ENDED)  # as it was judged then
