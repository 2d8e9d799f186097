"""A trial's stamps, new with every change, by triggers, so that nobody can forget them; what other measures showed"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB, UUID

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

PLAN = ("trial_measure", "treatment", "unit", "round", "pour", "amendment", "spare_run")
HAPPENINGS = (("INSERT", "NEW"), ("UPDATE", "NEW"), ("DELETE", "OLD"))


def upgrade() -> None:
    op.create_table(
        "stamp",
        sa.Column("trial_id", sa.Integer(), sa.ForeignKey("trial.id", ondelete="CASCADE"), primary_key=True),
        sa.Column("plan", UUID(as_uuid=True), nullable=False, server_default=sa.text("gen_random_uuid()")),
        sa.Column("readings", UUID(as_uuid=True), nullable=False, server_default=sa.text("gen_random_uuid()")),
    )
    op.execute("INSERT INTO stamp (trial_id) SELECT id FROM trial")
    _function("stamp_new", "INSERT INTO stamp (trial_id) SELECT id FROM changed;")
    _function("stamp_trial", _renewed("plan", "id"))
    _function("stamp_plan", _renewed("plan", "trial_id"))
    _function("stamp_readings", _renewed("readings", "trial_id"))
    _trigger("trial", "INSERT", "NEW", "stamp_new")
    _trigger("trial", "UPDATE", "NEW", "stamp_trial")
    for table, function in (*((each, "stamp_plan") for each in PLAN), ("reading", "stamp_readings")):
        for event, side in HAPPENINGS:
            _trigger(table, event, side, function)
    op.add_column("finding", sa.Column("also", JSONB()))


def downgrade() -> None:
    op.drop_column("finding", "also")
    for table, events in (*((each, HAPPENINGS) for each in (*PLAN, "reading")), ("trial", HAPPENINGS[:2])):
        for event, _ in events:
            op.execute(f"DROP TRIGGER stamp_{event.lower()} ON {table}")
    for name in ("stamp_new", "stamp_trial", "stamp_plan", "stamp_readings"):
        op.execute(f"DROP FUNCTION {name}()")
    op.drop_table("stamp")


def _renewed(what: str, key: str) -> str:
    return f"UPDATE stamp SET {what} = gen_random_uuid() WHERE trial_id IN (SELECT DISTINCT {key} FROM changed);"  # noqa: S608


def _function(name: str, what: str) -> None:
    op.execute(f"CREATE FUNCTION {name}() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN {what} RETURN NULL; END $$")


def _trigger(table: str, event: str, side: str, function: str) -> None:
    op.execute(
        f"CREATE TRIGGER stamp_{event.lower()} AFTER {event} ON {table}"
        f" REFERENCING {side} TABLE AS changed FOR EACH STATEMENT EXECUTE FUNCTION {function}()"
    )
