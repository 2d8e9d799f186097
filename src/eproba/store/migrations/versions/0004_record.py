"""Keys that outlive a database, facts that lists need, true days, takings as a ledger, what was changed later"""

import secrets
from typing import Any

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

MOMENT = sa.DateTime(timezone=True)


def upgrade() -> None:
    _add("trial", "made_by", sa.String(), "")
    _add("round", "missed", sa.Boolean(), sa.false())
    _add("round", "pull", sa.Boolean(), sa.false())
    _add("reading", "typed", sa.String(), "")
    _add("reading", "sure", sa.Boolean(), sa.false())
    _add("reading", "source", sa.String(), "")
    _add("reading", "saw", sa.Boolean(), sa.false())
    _add("correction", "sealed", sa.Boolean(), sa.true())
    _add("correction", "verdict_before", sa.String(), "")
    _add("device", "pours", sa.Boolean(), sa.false())
    _add("draft", "versions", postgresql.JSONB(), "{}")
    for table, name in (("trial", "closed_at"), ("trial", "made_at"), ("round", "closed_at"), ("reading", "read_at"),
                        ("pour", "entered_at")):  # fmt: skip
        op.add_column(table, sa.Column(name, MOMENT))
    op.add_column("trial", sa.Column("started_on", sa.Date()))
    for table in ("trial", "round"):
        _give_keys(table)
    _new_tables()
    _facts_of_rounds()
    _facts_of_trials()
    _takings()


def _add(table: str, name: str, kind: sa.types.TypeEngine[Any], usual: str | sa.ColumnElement[bool]) -> None:
    """A column that every old row has, with what it can be taken for."""
    op.add_column(table, sa.Column(name, kind, nullable=False, server_default=usual))
    op.alter_column(table, name, server_default=None)


def _give_keys(table: str) -> None:
    op.add_column(table, sa.Column("key", sa.String()))
    bind = op.get_bind()
    ids = [row[0] for row in bind.execute(sa.text(f"SELECT id FROM {table}"))]  # noqa: S608 (our own table names)
    change = sa.text(f"UPDATE {table} SET key = :key WHERE id = :id")  # noqa: S608
    for each in ids:
        bind.execute(change, {"key": secrets.token_hex(8), "id": each})
    op.alter_column(table, "key", nullable=False)
    op.create_unique_constraint(op.f(f"uq_{table}_key"), table, ["key"])


def _facts_of_rounds() -> None:
    """When a round was closed: with its last reading. What lies before a closed one and is open was passed over."""
    op.execute(
        "UPDATE round SET closed_at = coalesce((SELECT max(at) FROM reading WHERE round_id = round.id), "
        "(SELECT start_on + round.day FROM trial WHERE id = trial_id)::timestamptz) WHERE done"
    )
    op.execute(
        "UPDATE round SET missed = true WHERE NOT done AND EXISTS (SELECT 1 FROM round AS later "
        "WHERE later.trial_id = round.trial_id AND later.day > round.day AND later.done)"
    )
    op.execute(
        "UPDATE round SET pull = CASE WHEN jsonb_array_length(coalesce(nullif(rules->'pulls', 'null'), '[]')) > 0 "
        "THEN rules->'pulls' @> to_jsonb(round.day) ELSE round.day = (SELECT max(day) FROM round AS each "
        "WHERE each.trial_id = trial.id) END FROM trial WHERE trial.id = trial_id"
    )


def _facts_of_trials() -> None:
    op.execute(
        "UPDATE trial SET started_on = least((SELECT min(done_on) FROM pour WHERE trial_id = trial.id AND "
        "status <> 'due'), (SELECT start_on + min(day) FROM round WHERE trial_id = trial.id AND done))"
    )
    op.execute(
        "UPDATE trial SET started_on = start_on WHERE started_on IS NULL AND EXISTS "
        "(SELECT 1 FROM pour WHERE trial_id = trial.id AND status <> 'due')"
    )
    op.execute(
        "UPDATE trial SET closed_at = round.closed_at FROM round WHERE trial_id = trial.id AND done AND "
        "day = (SELECT max(day) FROM round AS each WHERE each.trial_id = trial.id)"
    )


def _takings() -> None:
    """What is missing from a batch was taken, once, as far as anybody knows."""
    op.execute(
        "INSERT INTO taking (batch_id, litres, by, at) SELECT id, litres - \"left\", '', "
        'coalesce(used_up_at, strained_at, made_at, now()) FROM batch WHERE litres > "left"'
    )
    op.drop_column("batch", "left")
    op.drop_column("batch", "used_up_at")


def _new_tables() -> None:
    op.create_table(
        "pour_change",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("pour_id", sa.Integer(), nullable=False),
        sa.Column("was", postgresql.JSONB(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("at", MOMENT, nullable=False),
        sa.Column("sealed", sa.Boolean(), nullable=False),
        sa.ForeignKeyConstraint(["pour_id"], ["pour.id"], name=op.f("fk_pour_change_pour_id"), ondelete="CASCADE"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_pour_change")),
    )
    op.create_index(op.f("ix_pour_change_pour_id"), "pour_change", ["pour_id"])
    op.create_table(
        "taking",
        sa.Column("id", sa.Integer(), nullable=False),
        sa.Column("batch_id", sa.Integer(), nullable=False),
        sa.Column("pour_id", sa.Integer()),
        sa.Column("litres", sa.Float(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("at", MOMENT, nullable=False),
        sa.ForeignKeyConstraint(["batch_id"], ["batch.id"], name=op.f("fk_taking_batch_id"), ondelete="CASCADE"),
        sa.ForeignKeyConstraint(["pour_id"], ["pour.id"], name=op.f("fk_taking_pour_id"), ondelete="SET NULL"),
        sa.PrimaryKeyConstraint("id", name=op.f("pk_taking")),
    )
    op.create_index(op.f("ix_taking_batch_id"), "taking", ["batch_id"])
    op.create_index(op.f("ix_taking_pour_id"), "taking", ["pour_id"])


def downgrade() -> None:
    """Back to numbers alone; true days, keys, the ledger of takings and what was changed after the fact are lost."""
    op.add_column("batch", sa.Column("left", sa.Float()))
    op.add_column("batch", sa.Column("used_up_at", MOMENT))
    op.execute(
        'UPDATE batch SET "left" = greatest(0, litres - coalesce((SELECT sum(taking.litres) FROM taking '
        "WHERE batch_id = batch.id), 0))"
    )
    op.execute(
        "UPDATE batch SET used_up_at = (SELECT max(at) FROM taking WHERE batch_id = batch.id) "
        'WHERE "left" <= 0.02 * litres'
    )
    op.alter_column("batch", "left", nullable=False)
    op.execute("DELETE FROM reading WHERE value IS NULL AND skip_reason = ''")
    for table in ("taking", "pour_change"):
        op.drop_table(table)
    for table, names in {
        "trial": ("key", "started_on", "closed_at", "made_at", "made_by"),
        "round": ("key", "missed", "closed_at", "pull"),
        "reading": ("read_at", "typed", "sure", "source", "saw"),
        "correction": ("sealed", "verdict_before"),
        "pour": ("entered_at",),
        "device": ("pours",),
        "draft": ("versions",),
    }.items():
        for name in names:
            op.drop_column(table, name)
