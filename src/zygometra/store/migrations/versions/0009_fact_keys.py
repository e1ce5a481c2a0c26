"""Keys of facts are each their own within a kind of name: no reading keeps another fact from being voided.

Revision ID: 0009
Revises: 0008
"""

from __future__ import annotations

from alembic import op

revision = "0009"
down_revision = "0008"
branch_labels = None
depends_on = None

_SPACE = "(CASE WHEN kind IN ('void', 'zero', 'gauge') THEN kind ELSE '' END)"


def upgrade() -> None:
    """Put the space of its key into the index."""
    op.execute("ALTER TABLE fact DROP CONSTRAINT fact_once")
    op.execute(f"CREATE UNIQUE INDEX fact_once ON fact (build_id, {_SPACE}, key)")


def downgrade() -> None:
    """Take it out again; fails where keys meet by now."""
    op.execute("DROP INDEX fact_once")
    op.execute("ALTER TABLE fact ADD CONSTRAINT fact_once UNIQUE (build_id, key)")
