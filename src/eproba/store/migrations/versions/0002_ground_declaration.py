"""Drawn ground, ladders, rules, declaration with amendments, spare plants, calendar feeds"""

import json

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None

PLACE_OF = {"pot": "pots", "cell": "tray", "patch": "bed", "strip": "bed", "bed": "bed"}
NAMES = {"pots": "Pots", "tray": "Tray", "bed": "Bed"}


def upgrade() -> None:
    op.add_column("treatment", sa.Column("rung", sa.Float()))
    op.add_column("finding", sa.Column("noise_sd", sa.Float()))
    op.add_column("trial", sa.Column("no_worse", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("trial", sa.Column("blind", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.add_column("trial", sa.Column("batches", sa.Integer(), nullable=False, server_default="1"))
    op.add_column("trial", sa.Column("rules", postgresql.JSONB(), nullable=False, server_default="{}"))
    op.add_column("trial", sa.Column("declared_at", sa.DateTime(timezone=True)))
    op.add_column("trial", sa.Column("declaration", postgresql.JSONB()))
    op.add_column("trial", sa.Column("fingerprint", sa.String(), nullable=False, server_default=""))
    op.add_column("trial", sa.Column("site", postgresql.JSONB()))
    op.add_column("unit", sa.Column("kind", sa.String()))
    op.add_column("unit", sa.Column("number", sa.Integer()))
    op.add_column("unit", sa.Column("place", sa.Integer(), nullable=False, server_default="0"))
    op.add_column("unit", sa.Column("width_cm", sa.Float()))
    op.add_column("unit", sa.Column("length_cm", sa.Float()))
    op.add_column("unit", sa.Column("size", sa.Float()))
    _move_the_ground()
    for name in ("kind", "number", "width_cm", "length_cm"):
        op.alter_column("unit", name, nullable=False)
    op.alter_column("trial", "site", nullable=False)
    op.alter_column("unit", "place", server_default=None)
    for name in ("no_worse", "blind", "batches", "rules", "fingerprint"):
        op.alter_column("trial", name, server_default=None)
    for name in ("ground_kind", "width_cm", "length_cm", "per_row"):
        op.drop_column("trial", name)
    _new_tables()


def _move_the_ground() -> None:
    """Each unit takes its size from its trial; the trial's place is what its units cover. Findings are made anew."""
    bind = op.get_bind()
    bind.execute(sa.text("DELETE FROM finding"))
    bind.execute(
        sa.text(
            "UPDATE unit SET kind = trial.ground_kind, width_cm = trial.width_cm, length_cm = trial.length_cm, "
            "number = substring(unit.code FROM '[0-9]+')::int FROM trial WHERE trial.id = unit.trial_id"
        )
    )
    extents = bind.execute(
        sa.text(
            "SELECT t.id, t.ground_kind, max(u.x_cm + t.width_cm), max(u.y_cm + t.length_cm), max(u.grid_row) + 1, "
            "max(u.grid_column) + 1 FROM trial t JOIN unit u ON u.trial_id = t.id GROUP BY t.id, t.ground_kind"
        )
    ).all()
    for trial_id, kind, width, length, rows, columns in extents:
        place = PLACE_OF.get(kind, "bed")
        entry = {"kind": place, "name": NAMES[place], "x_cm": 0, "y_cm": 0, "width_cm": width, "length_cm": length}
        site = {"places": [{**entry, "rows": rows, "columns": columns}], "gradient": None, "north": 0}
        bind.execute(
            sa.text("UPDATE trial SET site = cast(:site AS jsonb) WHERE id = :id"),
            {"site": json.dumps(site), "id": trial_id},
        )


def _new_tables() -> None:
    op.create_table(
        "spare_run",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("letter", sa.String(), nullable=False),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("came_through", sa.Boolean(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], name=op.f("fk_spare_run_trial_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_spare_run")),
    )
    op.create_index(op.f("ix_spare_run_trial_id"), "spare_run", ["trial_id"])
    op.create_table(
        "amendment",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("trial_id", sa.Integer(), nullable=False),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("old", sa.String(), nullable=False),
        sa.Column("new", sa.String(), nullable=False),
        sa.Column("reason", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.ForeignKeyConstraint(["trial_id"], ["trial.id"], name=op.f("fk_amendment_trial_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_amendment")),
    )
    op.create_index(op.f("ix_amendment_trial_id"), "amendment", ["trial_id"])
    op.create_table(
        "feed",
        sa.Column("token", sa.String(), nullable=False),
        sa.Column("made_at", sa.DateTime(timezone=True), nullable=False),
        sa.PrimaryKeyConstraint("token", name=op.f("pk_feed")),
    )


def downgrade() -> None:
    """Back to equal units in rows; drawn ground, rules, declarations and amendments are lost."""
    for table in ("feed", "amendment", "spare_run"):
        op.drop_table(table)
    op.add_column("trial", sa.Column("ground_kind", sa.String()))
    op.add_column("trial", sa.Column("width_cm", sa.Float()))
    op.add_column("trial", sa.Column("length_cm", sa.Float()))
    op.add_column("trial", sa.Column("per_row", sa.Integer()))
    op.execute(
        "UPDATE trial SET (ground_kind, width_cm, length_cm, per_row) = "
        "(SELECT min(kind), min(width_cm), min(length_cm), max(grid_column) + 1 FROM unit WHERE trial_id = trial.id)"
    )
    for name in ("ground_kind", "width_cm", "length_cm", "per_row"):
        op.alter_column("trial", name, nullable=False)
    for name in ("kind", "number", "place", "width_cm", "length_cm", "size"):
        op.drop_column("unit", name)
    for name in ("no_worse", "blind", "batches", "rules", "declared_at", "declaration", "fingerprint", "site"):
        op.drop_column("trial", name)
    op.drop_column("treatment", "rung")
    op.drop_column("finding", "noise_sd")
