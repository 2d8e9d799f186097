"""Since when a device is in; which trials go on and how much lives in them; mends own recipes that broke every page"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0005"
down_revision = "0004"
branch_labels = None
depends_on = None

MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    op.add_column("device", sa.Column("came_at", MOMENT))
    op.execute("UPDATE device SET came_at = seen_at")
    op.alter_column("device", "came_at", nullable=False)
    goes_on = sa.text("ended_on IS NULL AND closed_at IS NULL")
    op.create_index("ix_trial_goes_on", "trial", ["id"], postgresql_where=goes_on)
    op.add_column("treatment", sa.Column("alive", sa.Integer(), nullable=False, server_default="0"))
    op.alter_column("treatment", "alive", server_default=None)
    op.execute(
        "UPDATE treatment SET alive = (SELECT count(*) FROM unit WHERE unit.trial_id = treatment.trial_id"
        " AND unit.letter = treatment.letter AND unit.lost_on IS NULL)"
    )
    for table, key in (("own_recipe", "key, version"), ("batch", "id")):
        _mend(table, key)


def downgrade() -> None:
    op.drop_column("treatment", "alive")
    op.drop_index("ix_trial_goes_on", "trial")
    op.drop_column("device", "came_at")


def _mend(table: str, key: str) -> None:
    """Times of nothing or less, and a phase with one number of days for two, came from files and broke every page."""
    bind, names = op.get_bind(), [name.strip() for name in key.split(",")]
    place = " AND ".join(f"{name} = :{name}" for name in names)
    for row in bind.execute(sa.text(f"SELECT {key}, entry FROM {table}")).mappings().all():  # noqa: S608
        mended = _mended(row["entry"])
        if mended != row["entry"]:
            values = {**{name: row[name] for name in names}, "entry": json.dumps(mended)}
            bind.execute(sa.text(f"UPDATE {table} SET entry = CAST(:entry AS jsonb) WHERE {place}"), values)  # noqa: S608


def _mended(entry: dict[str, Any]) -> dict[str, Any]:
    found = dict(entry)
    for name, least in (("stir_hours", 0.25), ("keeps_hours", 0.1)):
        value = found.get(name)
        if isinstance(value, int | float) and value < least:
            del found[name]
    found["phases"] = [
        {**phase, "days": phase["days"] * 2} if len(phase.get("days", ())) == 1 else phase
        for phase in found.get("phases", ())
    ]
    return found
