"""The record stands whatever a session says of its triggers: they fire always, for the owner of the tables too.

Revision ID: 0010
Revises: 0009
"""

from __future__ import annotations

from alembic import op

revision = "0010"
down_revision = "0009"
branch_labels = None
depends_on = None

# As zygometra.store.tables.RECORDS; a test holds the two against each other.
RECORDS = ("acceptance", "change", "fact", "fit_rules", "gauge_fact", "house_rule", "part_change", "photo")


def upgrade() -> None:
    """Have the guards fire in every session."""
    _all("ENABLE ALWAYS")


def downgrade() -> None:
    """Have them fire in most."""
    _all("ENABLE")


def _all(how: str) -> None:
    for table in RECORDS:
        for trigger in (f"{table}_stands", f"{table}_stands_whole"):
            op.execute(f"ALTER TABLE {table} {how} TRIGGER {trigger}")
