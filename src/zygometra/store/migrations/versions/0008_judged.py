"""A build says by which setting of the house rules its line on the floor was judged.

Revision ID: 0008
Revises: 0007
"""

from __future__ import annotations

from alembic import op

revision = "0008"
down_revision = "0007"
branch_labels = None
depends_on = None


def upgrade() -> None:
    """Add the number; what is there was judged by the newest."""
    op.execute("ALTER TABLE build ADD COLUMN judged BIGINT NOT NULL DEFAULT 0")
    op.execute("UPDATE build SET judged = (SELECT coalesce(max(id), 0) FROM house_rule)")
    op.execute("ALTER TABLE build ALTER COLUMN judged DROP DEFAULT")


def downgrade() -> None:
    """Take it away."""
    op.execute("ALTER TABLE build DROP COLUMN judged")
