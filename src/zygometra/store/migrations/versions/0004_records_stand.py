"""The record stands: no row of it is altered, taken out or swept away, and none goes with its build."""

from alembic import op

revision = "0004"
down_revision = "0003"
branch_labels = None
depends_on = None

# As zygometra.store.tables.RECORDS; a test holds the two against each other.
RECORDS = ("acceptance", "change", "fit_rules", "house_rule", "part_change")
_BEFORE = {
    "change": "change_is_a_record",
    "part_change": "part_change_is_a_record",
    "acceptance": "acceptance_is_a_record",
}


def upgrade() -> None:
    for table, trigger in _BEFORE.items():
        op.execute(f"DROP TRIGGER {trigger} ON {table}")
    op.execute("DROP FUNCTION change_is_a_record()")
    op.execute(
        """
        CREATE FUNCTION record_stands() RETURNS trigger LANGUAGE plpgsql AS
        $$ BEGIN
            RAISE EXCEPTION 'the record stands: % of % is refused', lower(TG_OP), TG_TABLE_NAME;
        END $$
        """
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
    _rebind("")


def downgrade() -> None:
    for table in RECORDS:
        op.execute(f"DROP TRIGGER {table}_stands ON {table}")
        op.execute(f"DROP TRIGGER {table}_stands_whole ON {table}")
    op.execute("DROP FUNCTION record_stands()")
    op.execute(
        """
        CREATE FUNCTION change_is_a_record() RETURNS trigger LANGUAGE plpgsql AS
        $$ BEGIN RAISE EXCEPTION 'a change that was recorded cannot be altered'; END $$
        """
    )
    for table, trigger in _BEFORE.items():
        op.execute(
            f"CREATE TRIGGER {trigger} BEFORE UPDATE ON {table}"
            " FOR EACH ROW EXECUTE FUNCTION change_is_a_record()"
        )
    _rebind(" ON DELETE CASCADE")


def _rebind(rule: str) -> None:
    """Bind changes to their build anew, with what happens to them where it would go."""
    op.execute("ALTER TABLE change DROP CONSTRAINT change_build_id_fkey")
    op.execute(
        "ALTER TABLE change ADD CONSTRAINT change_build_id_fkey"
        f" FOREIGN KEY (build_id) REFERENCES build (id){rule}"
    )
