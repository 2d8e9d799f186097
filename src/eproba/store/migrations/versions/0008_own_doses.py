"""Each treatment has its own dose and days; what kind of thing is compared; drafts typed before come over"""

import json
from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None

EMPTY = sa.text("''")
OF_THE_POUR = ("trial_id", "letter", "day")
Typed = dict[str, list[str]]


def upgrade() -> None:
    _word("treatment", "per", "unit")
    _word("treatment", "label", "")
    op.add_column("treatment", sa.Column("ground", sa.Float(), nullable=False, server_default="0"))
    op.alter_column("treatment", "ground", server_default=None)
    op.execute(
        "UPDATE treatment SET ground = (SELECT coalesce(sum(width_cm * length_cm / 10000.0"
        " * CASE WHEN kind = 'pot' THEN 0.785 ELSE 1.0 END), 0) FROM unit WHERE unit.trial_id = treatment.trial_id"
        " AND unit.letter = treatment.letter AND unit.lost_on IS NULL)"
    )
    op.add_column("treatment", sa.Column("times", sa.Float(), nullable=False, server_default="1"))
    op.alter_column("treatment", "times", server_default=None)
    _word("pour", "what", "dose")
    op.add_column("pour", sa.Column("planned", sa.Float()))
    op.add_column("pour", sa.Column("per", sa.String()))
    op.drop_constraint("uq_pour_trial_id_letter_day", "pour")
    op.create_unique_constraint("uq_pour_trial_id_letter_what_day", "pour", ["trial_id", "letter", "what", "day"])
    _word("trial", "compared", "drench")
    op.add_column("trial", sa.Column("ranked", sa.Boolean(), nullable=False, server_default=sa.false()))
    op.alter_column("trial", "ranked", server_default=None)
    _drafts(_each_its_own)


def _word(table: str, name: str, usual: str) -> None:
    op.add_column(table, sa.Column(name, sa.String(), nullable=False, server_default=sa.text(f"'{usual}'")))
    op.alter_column(table, name, server_default=None)


def _drafts(change: Any) -> None:
    """Write what was typed on the step of the treatments as the step asks for it now."""
    connection = op.get_bind()
    for number, answers in connection.execute(sa.text("SELECT id, answers FROM draft")).all():
        if "treatments" in answers:
            answers["treatments"] = change(answers["treatments"])
            told = {"answers": json.dumps(answers), "id": number}
            connection.execute(sa.text("UPDATE draft SET answers = CAST(:answers AS jsonb) WHERE id = :id"), told)


def _each_its_own(typed: Typed) -> Typed:
    """One amount and one rhythm for all become those of each treatment that got something."""
    kept = {key: value for key, value in typed.items() if key not in ("amount", "amount_unit", "pour_every")}
    every = typed.get("pour_every", [""])
    for key in [key for key in typed if key.startswith("treatments-") and key.endswith("-role")]:
        row = key.removesuffix("-role")
        given = typed[key] != ["untreated"]
        kept |= {
            f"{row}-dose": ["unit" if given else "nothing"],
            f"{row}-amount": typed.get("amount", [""]) if given else [""],
            f"{row}-unit": typed.get("amount_unit", ["mL"]),
            f"{row}-often": ["every" if every[0].strip() else "once"],
            f"{row}-every": every,
        }
    return kept


def downgrade() -> None:
    _drafts(_all_alike)
    op.drop_column("trial", "ranked")
    op.drop_column("trial", "compared")
    op.execute("DELETE FROM pour WHERE what <> 'dose'")
    op.drop_constraint("uq_pour_trial_id_letter_what_day", "pour")
    op.create_unique_constraint("uq_pour_trial_id_letter_day", "pour", list(OF_THE_POUR))
    for name in ("per", "planned", "what"):
        op.drop_column("pour", name)
    for name in ("ground", "times", "label", "per"):
        op.drop_column("treatment", name)


def _all_alike(typed: Typed) -> Typed:
    """The amount and rhythm of the first treatment stand for all again."""
    own = ("dose", "amount", "unit", "pot", "often", "every", "until", "then", "days", "label")
    first = {name: typed.get(f"treatments-0-{name}", [""]) for name in own}
    kept = {key: value for key, value in typed.items() if key.rsplit("-", 1)[-1] not in own and key != "even"}
    return kept | {"amount": first["amount"], "amount_unit": first["unit"], "pour_every": first["every"]}
