"""Builds, their figures, their plan, their history, and the house rules."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None
branch_labels = None
depends_on = None


def _moment(name: str) -> Any:
    return sa.Column(name, sa.DateTime(timezone=True), nullable=False, server_default=sa.func.now())


def _of_build(**more: Any) -> Any:
    return sa.Column("build_id", sa.BigInteger, sa.ForeignKey("build.id", ondelete="CASCADE"), **more)


# long: the tables of the first version, one by one
def upgrade() -> None:
    op.create_table(
        "build",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("name", sa.String(120), nullable=False),
        sa.Column("family", sa.String(120), nullable=False),
        sa.Column("customer", sa.String(2000), nullable=False),
        sa.Column("duty", sa.String(2000), nullable=False),
        sa.Column("stage", sa.String(40), nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        sa.Column("frame", sa.JSON, nullable=False),
        sa.Column("summary", sa.JSON, nullable=False),
        _moment("created_at"),
        sa.Column("created_by", sa.String(80), nullable=False),
        _moment("changed_at"),
        sa.Column("changed_by", sa.String(80), nullable=False),
    )
    op.create_table(
        "figure",
        _of_build(primary_key=True),
        sa.Column("path", sa.String(200), primary_key=True),
        sa.Column("typed", sa.JSON, nullable=False),
        sa.Column("basis", sa.String(20), nullable=False),
        sa.Column("value", sa.Float, nullable=False),
        sa.Column("u", sa.Float, nullable=False),
    )
    op.create_table(
        "planned_operation",
        _of_build(primary_key=True),
        sa.Column("position", sa.Integer, primary_key=True),
        sa.Column("op", sa.String(20), nullable=False),
        sa.Column("typed", sa.JSON, nullable=False),
    )
    op.create_table(
        "change",
        sa.Column("id", sa.BigInteger, primary_key=True),
        _of_build(nullable=False),
        sa.Column("version", sa.Integer, nullable=False),
        _moment("at"),
        sa.Column("actor", sa.String(80), nullable=False),
        sa.Column("kind", sa.String(20), nullable=False),
        sa.Column("says", sa.String(500), nullable=False),
        sa.Column("patch", sa.JSON, nullable=False),
    )
    op.create_index("change_of_build", "change", ["build_id", "id"])
    op.create_table(
        "house_rule",
        sa.Column("id", sa.BigInteger, primary_key=True),
        sa.Column("key", sa.String(80), nullable=False),
        sa.Column("value", sa.Float, nullable=True),
        _moment("at"),
        sa.Column("actor", sa.String(80), nullable=False),
    )
    op.create_index("ix_house_rule_key", "house_rule", ["key"])
    # History is a record: the database itself refuses to rewrite it.
    op.execute(
        """
        CREATE FUNCTION change_is_a_record() RETURNS trigger LANGUAGE plpgsql AS
        $$ BEGIN RAISE EXCEPTION 'a change that was recorded cannot be altered'; END $$;
        CREATE TRIGGER change_is_a_record BEFORE UPDATE ON change
            FOR EACH ROW EXECUTE FUNCTION change_is_a_record();
        """
    )


def downgrade() -> None:
    for table in ("house_rule", "change", "planned_operation", "figure", "build"):
        op.drop_table(table)
    op.execute("DROP FUNCTION change_is_a_record()")
