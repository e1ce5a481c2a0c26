"""The parts shelf, its history, the shop's rules of fit, and signed acceptances."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"
branch_labels = None
depends_on = None


def _moment(name: str) -> Any:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now())


# long: the tables of the shelf, one by one
def upgrade() -> None:
    op.create_table(
        "part",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("code", sa.String(40), nullable=False),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("supplier", sa.String(120), nullable=False),
        sa.Column("price", sa.BigInteger, nullable=True),
        sa.Column("state", sa.String(20), nullable=False),
        sa.Column("on_shelf", sa.Integer, nullable=False),
        sa.Column("lead_days", sa.Integer, nullable=True),
        sa.Column("typed", sa.JSON, nullable=False),
        sa.Column("texts", sa.JSON, nullable=False),
        sa.Column("base", sa.JSON, nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        _moment("changed_at"),
        sa.Column("changed_by", sa.String(80), nullable=False),
        sa.UniqueConstraint("kind", "code", name="part_by_code"),
    )
    op.create_table(
        "part_change",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("code", sa.String(40), nullable=False),
        _moment("at"),
        sa.Column("actor", sa.String(80), nullable=False),
        sa.Column("says", sa.String(500), nullable=False),
        sa.Column("before", sa.JSON, nullable=True),
        sa.Column("after", sa.JSON, nullable=True),
    )
    op.create_index("change_of_part", "part_change", ["kind", "code", "id"])
    op.create_table(
        "fit_rules",
        sa.Column("id", sa.BigInteger, primary_key=True),
        _moment("at"),
        sa.Column("actor", sa.String(80), nullable=False),
        sa.Column("says", sa.String(500), nullable=False),
        sa.Column("data", sa.JSON, nullable=True),
    )
    op.create_table(
        "acceptance",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("gate", sa.Integer, nullable=False),
        sa.Column("about", sa.String(400), nullable=False),
        sa.Column("fails", sa.JSON, nullable=False),
        sa.Column("reason", sa.String(500), nullable=False),
        _moment("at"),
        sa.Column("actor", sa.String(80), nullable=False),
    )
    op.create_index("acceptance_about", "acceptance", ["gate", "about"])
    op.execute(
        """
        CREATE TRIGGER part_change_is_a_record BEFORE UPDATE ON part_change
            FOR EACH ROW EXECUTE FUNCTION change_is_a_record();
        CREATE TRIGGER acceptance_is_a_record BEFORE UPDATE ON acceptance
            FOR EACH ROW EXECUTE FUNCTION change_is_a_record();
        """
    )


def downgrade() -> None:
    for table in ("acceptance", "fit_rules", "part_change", "part"):
        op.drop_table(table)
