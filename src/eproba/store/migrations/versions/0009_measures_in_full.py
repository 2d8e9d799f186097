"""Which rounds ask a measure; own measures of every kind"""

from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.add_column("trial_measure", sa.Column("days", JSONB()))
    # A dug block is put back now, at a fresh spot each time: what was planned to end the plant stays on its days.
    op.execute(
        "UPDATE trial_measure m SET days = (SELECT jsonb_agg(r.day ORDER BY r.day) FROM round r"
        " WHERE r.trial_id = m.trial_id AND r.pull) WHERE m.measure_key = 'dug_worms'"
    )
    _add("kind", sa.String(), "'quantity'")
    _add("levels", JSONB(), "'[]'::jsonb")
    _add("seconds", sa.Integer(), "20")
    _add("when", sa.String(), "'every round'")
    _add("destructive", sa.Boolean(), "false")
    op.add_column("own_measure", sa.Column("noise", sa.Float()))


def _add(name: str, kind: sa.types.TypeEngine[Any], usual: str) -> None:
    op.add_column("own_measure", sa.Column(name, kind, nullable=False, server_default=sa.text(usual)))
    op.alter_column("own_measure", name, server_default=None)


def downgrade() -> None:
    for name in ("noise", "destructive", "when", "seconds", "levels", "kind"):
        op.drop_column("own_measure", name)
    op.drop_column("trial_measure", "days")
