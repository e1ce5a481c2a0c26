"""Finished cuts of all builds are found by their kind.

Revision ID: 0007
Revises: 0006
"""

from __future__ import annotations

from alembic import op

revision = "0007"
down_revision = "0006"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Put an index over the few facts of that kind."""
    op.execute("CREATE INDEX fact_verified ON fact (id) WHERE kind = 'verified'")


def downgrade() -> None:
    """Take it away."""
    op.execute("DROP INDEX fact_verified")
