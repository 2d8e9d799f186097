"""A batch is its events; when a pour was; days of weather apart from hours; the place of the garden"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects.postgresql import JSONB

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None

MOMENT = sa.DateTime(timezone=True)
EMPTY = sa.text("''")
# What stood in columns of a batch, as events: the kind, its moment, and where it really was so.
FROM_COLUMNS = (
    ("water set out", "standing_at", "standing_at IS NOT NULL"),
    # Until now water that had stood for a day was taken for mixed, though nobody had said so.
    (
        "mixed",
        "made_at",
        "made_at IS NOT NULL AND (standing_at IS NULL OR made_at <> standing_at + interval '24 hours'"
        " OR strained_at IS NOT NULL OR EXISTS (SELECT FROM batch_check WHERE batch_id = batch.id)"
        " OR EXISTS (SELECT FROM taking WHERE batch_id = batch.id))",
    ),
    ("strained", "strained_at", "strained_at IS NOT NULL"),
    ("thrown away", "thrown_at", "thrown_at IS NOT NULL"),
)


def upgrade() -> None:
    _events()
    op.add_column("batch", sa.Column("school", sa.String(), nullable=False, server_default=EMPTY))
    op.alter_column("batch", "school", server_default=None)
    op.add_column("pour", sa.Column("done_at", MOMENT))
    op.add_column("pour", sa.Column("otherwise", sa.String(), nullable=False, server_default=EMPTY))
    op.alter_column("pour", "otherwise", server_default=None)
    other = sa.ForeignKey("batch.id", ondelete="SET NULL")
    op.add_column("pour", sa.Column("other_batch_id", sa.Integer(), other))
    op.add_column("treatment", sa.Column("sharing", sa.String(), nullable=False, server_default=sa.text("'shared'")))
    op.alter_column("treatment", "sharing", server_default=None)
    op.add_column("kit", sa.Column("ground", JSONB(), nullable=False, server_default=sa.text("'{}'::jsonb")))
    op.alter_column("kit", "ground", server_default=None)
    op.add_column("own_recipe", sa.Column("put_away", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("own_recipe", "put_away", server_default=None)
    op.add_column("feed", sa.Column("alarm_minutes", sa.Integer()))
    _weather()


def _events() -> None:
    op.create_table(
        "batch_event",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("batch_id", sa.Integer(), sa.ForeignKey("batch.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("at", MOMENT, nullable=False),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("temperature", sa.Float()),
        sa.Column("seen", JSONB(), nullable=False),
        sa.Column("litres", sa.Float()),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("photo", sa.LargeBinary()),
        sa.Column("taken_back", sa.Boolean(), nullable=False),
    )
    op.create_table(
        "batch_change",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("batch_id", sa.Integer(), sa.ForeignKey("batch.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("was", sa.String(), nullable=False),
        sa.Column("now", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("at", MOMENT, nullable=False),
    )
    into = 'INSERT INTO batch_event (batch_id, at, what, temperature, seen, note, "by", photo, taken_back) SELECT'
    for what, column, where in FROM_COLUMNS:
        note = "thrown_reason" if what == "thrown away" else "''"
        op.execute(
            f"{into} id, {column}, '{what}', NULL, '{{}}'::jsonb, {note}, '', NULL, false FROM batch WHERE {where}"
        )
    stirred = "note = 'stirred' AND temperature IS NULL"  # which carried the signs of the look before it along
    op.execute(
        f"{into} batch_id, at, CASE WHEN {stirred} THEN 'stirred' ELSE 'looked at' END, temperature,"
        f" CASE WHEN {stirred} THEN '{{}}'::jsonb ELSE seen END, CASE WHEN {stirred} THEN '' ELSE note END,"
        ' "by", photo, false FROM batch_check ORDER BY id'
    )
    op.drop_table("batch_check")
    for column in ("standing_at", "made_at", "strained_at", "thrown_at", "thrown_reason"):
        op.drop_column("batch", column)


def _weather() -> None:
    op.create_table(
        "weather_day",
        sa.Column("on", sa.Date(), primary_key=True),
        sa.Column("foretold", sa.Boolean(), primary_key=True),
        sa.Column("low", sa.Float(), nullable=False),
        sa.Column("high", sa.Float(), nullable=False),
        sa.Column("rain_mm", sa.Float(), nullable=False),
    )
    op.add_column("weather", sa.Column("foretold", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("weather", "foretold", server_default=None)
    # A day of which one row is kept was told whole: by a daily file, or by somebody who typed it.
    op.execute(
        "INSERT INTO weather_day SELECT CAST(at AS date), false, min(temperature), max(temperature), sum(rain_mm)"
        " FROM weather GROUP BY CAST(at AS date) HAVING count(*) = 1"
    )
    op.execute('DELETE FROM weather WHERE CAST(at AS date) IN (SELECT "on" FROM weather_day)')


def downgrade() -> None:
    op.execute(
        "INSERT INTO weather (at, temperature, rain_mm, foretold) SELECT CAST(\"on\" AS timestamp) + interval '12 h',"
        " (low + high) / 2, rain_mm, false FROM weather_day WHERE NOT foretold ON CONFLICT DO NOTHING"
    )
    op.execute("DELETE FROM weather WHERE foretold")
    op.drop_column("weather", "foretold")
    op.drop_table("weather_day")
    op.drop_column("feed", "alarm_minutes")
    op.drop_column("own_recipe", "put_away")
    op.drop_column("kit", "ground")
    op.drop_column("treatment", "sharing")
    op.drop_column("pour", "other_batch_id")
    op.drop_column("pour", "otherwise")
    op.drop_column("pour", "done_at")
    op.drop_column("batch", "school")
    _no_events()


def _no_events() -> None:
    for column in ("standing_at", "made_at", "strained_at", "thrown_at"):
        op.add_column("batch", sa.Column(column, MOMENT))
    op.add_column("batch", sa.Column("thrown_reason", sa.String(), nullable=False, server_default=EMPTY))
    op.alter_column("batch", "thrown_reason", server_default=None)
    for what, column, _ in FROM_COLUMNS:
        op.execute(
            f"UPDATE batch SET {column} = (SELECT min(at) FROM batch_event WHERE batch_id = batch.id"  # noqa: S608
            f" AND what = '{what}' AND NOT taken_back)"
        )
    op.execute("UPDATE batch SET made_at = standing_at + interval '24 hours' WHERE made_at IS NULL")
    op.execute(
        "UPDATE batch SET thrown_reason = coalesce((SELECT min(note) FROM batch_event WHERE batch_id = batch.id"
        " AND what = 'thrown away' AND NOT taken_back), '')"
    )
    op.create_table(
        "batch_check",
        sa.Column("id", sa.Integer(), primary_key=True),
        sa.Column("batch_id", sa.Integer(), sa.ForeignKey("batch.id", ondelete="CASCADE"), nullable=False, index=True),
        sa.Column("at", MOMENT, nullable=False),
        sa.Column("temperature", sa.Float()),
        sa.Column("seen", JSONB(), nullable=False),
        sa.Column("note", sa.String(), nullable=False),
        sa.Column("by", sa.String(), nullable=False),
        sa.Column("photo", sa.LargeBinary()),
    )
    op.execute(
        'INSERT INTO batch_check (batch_id, at, temperature, seen, note, "by", photo) SELECT batch_id, at,'
        " temperature, seen, CASE WHEN what = 'stirred' THEN 'stirred' ELSE note END, \"by\", photo FROM batch_event"
        " WHERE what IN ('stirred', 'looked at') AND NOT taken_back ORDER BY id"
    )
    op.drop_table("batch_change")
    op.drop_table("batch_event")
