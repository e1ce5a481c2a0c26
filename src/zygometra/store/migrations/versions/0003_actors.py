"""Who acted has an identity beside the name; the ratio has one name in the summaries too."""

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"
branch_labels = None
depends_on = None

RECORDS = ("change", "house_rule", "part_change", "fit_rules", "acceptance")


def upgrade() -> None:
    for table in RECORDS:
        op.add_column(table, sa.Column("actor_id", sa.String(40), nullable=True))
    _rename_in_summaries("ratio", "compression_ratio")


def downgrade() -> None:
    for table in RECORDS:
        op.drop_column(table, "actor_id")
    _rename_in_summaries("compression_ratio", "ratio")


def _rename_in_summaries(before: str, after: str) -> None:
    """Give the ranges of the ratio another name in the summaries that the shop floor lists."""
    for state in ("now", "planned_state"):
        op.execute(
            sa.text(
                "UPDATE build SET summary = jsonb_set(summary::jsonb, ARRAY[:state],"
                " (summary::jsonb -> :state) - :before"
                " || jsonb_build_object(:after, summary::jsonb -> :state -> :before))::json"
                " WHERE summary::jsonb -> :state ? :before"
            ).bindparams(
                sa.bindparam("state", state, sa.Text),
                sa.bindparam("before", before, sa.Text),
                sa.bindparam("after", after, sa.Text),
            )
        )
