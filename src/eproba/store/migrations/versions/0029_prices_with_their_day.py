"""Each price is kept with the day from which it holds; the household names its currency"""

import sqlalchemy as sa
from alembic import op
from sqlalchemy.dialects import postgresql

revision = "0029"
down_revision = "0028"
branch_labels = None
depends_on = None


def upgrade() -> None:
    op.create_table(
        "price",
        sa.Column("what", sa.String(), nullable=False),
        sa.Column("on", sa.Date(), nullable=False),
        sa.Column("value", sa.Float(), nullable=True),
        sa.PrimaryKeyConstraint("what", "on", name=op.f("pk_price")),
    )
    op.execute(
        'INSERT INTO price (what, "on", value) '
        "SELECT old.key, current_date, old.value::float FROM kit, jsonb_each_text(kit.prices) AS old"
    )
    op.drop_column("kit", "prices")
    op.add_column("kit", sa.Column("currency", sa.String(), server_default="", nullable=False))
    op.alter_column("kit", "currency", server_default=None)


def downgrade() -> None:
    """Of each thing the newest price stays."""
    nothing = sa.text("'{}'::jsonb")
    op.add_column("kit", sa.Column("prices", postgresql.JSONB(), server_default=nothing, nullable=False))
    op.alter_column("kit", "prices", server_default=None)
    op.execute(
        "UPDATE kit SET prices = newest.prices FROM (SELECT jsonb_object_agg(what, value) AS prices FROM "
        '(SELECT DISTINCT ON (what) what, value FROM price ORDER BY what, "on" DESC) AS latest '
        "WHERE value IS NOT NULL) AS newest WHERE newest.prices IS NOT NULL"
    )
    op.drop_column("kit", "currency")
    op.drop_table("price")
