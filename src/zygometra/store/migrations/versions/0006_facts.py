"""Facts beside the documents: readings, photographs, and the register of gauges."""

from typing import Any

import sqlalchemy as sa
from alembic import op

revision = "0006"
down_revision = "0005"
branch_labels = None
depends_on = None

RECORDS = ("fact", "photo", "gauge_fact")


def _who() -> list[sa.Column[Any]]:
    return [
        sa.Column("at", sa.DateTime(timezone=True), server_default=sa.text("now()"), nullable=False),
        sa.Column("actor", sa.String(length=80), nullable=False),
        sa.Column("actor_id", sa.String(length=40), nullable=True),
    ]


def _build() -> sa.Column[Any]:
    return sa.Column("build_id", sa.BigInteger(), sa.ForeignKey("build.id"), nullable=False)


# long: three tables, one by one
def upgrade() -> None:
    op.create_table(
        "fact",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _build(),
        sa.Column("seq", sa.Integer(), nullable=False),
        sa.Column("key", sa.String(length=100), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("place", sa.String(length=200), nullable=False),
        sa.Column("gauge", sa.String(length=80), nullable=False),
        sa.Column("zero", sa.String(length=80), nullable=False),
        sa.Column("value", sa.Float(), nullable=True),
        sa.Column("other", sa.Float(), nullable=True),
        sa.Column("body", sa.JSON(), nullable=False),
        *_who(),
        sa.UniqueConstraint("build_id", "seq", name="fact_in_order"),
        sa.UniqueConstraint("build_id", "key", name="fact_once"),
    )
    op.create_table(
        "photo",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        _build(),
        sa.Column("key", sa.String(length=100), nullable=False),
        sa.Column("fact", sa.String(length=100), nullable=False),
        sa.Column("jpeg", sa.LargeBinary(), nullable=False),
        *_who(),
        sa.UniqueConstraint("build_id", "key", name="photo_once"),
    )
    op.create_table(
        "gauge_fact",
        sa.Column("id", sa.BigInteger(), primary_key=True),
        sa.Column("key", sa.String(length=100), nullable=False),
        sa.Column("gauge", sa.String(length=80), nullable=False),
        sa.Column("kind", sa.String(length=12), nullable=False),
        sa.Column("body", sa.JSON(), nullable=False),
        *_who(),
        sa.UniqueConstraint("key", name="gauge_fact_once"),
    )
    for table in RECORDS:
        op.execute(
            f"CREATE TRIGGER {table}_stands BEFORE UPDATE OR DELETE ON {table}"
            " FOR EACH ROW EXECUTE FUNCTION record_stands()"
        )
        op.execute(
            f"CREATE TRIGGER {table}_stands_whole BEFORE TRUNCATE ON {table}"
            " FOR EACH STATEMENT EXECUTE FUNCTION record_stands()"
        )


def downgrade() -> None:
    for table in RECORDS:
        op.drop_table(table)
