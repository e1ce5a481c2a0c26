"""Emptying tables between tests, as their owner: the program itself has no word for it."""

from __future__ import annotations

from sqlalchemy import text

from zygometra.store.tables import RECORDS


def sweep(connection, *statements: str) -> None:
    """Run TRUNCATE statements with the guards of the record taken off and put back."""
    for table in RECORDS:
        connection.execute(text(f"ALTER TABLE {table} DISABLE TRIGGER USER"))
    for statement in statements:
        connection.execute(text(statement))
    for table in RECORDS:
        connection.execute(text(f"ALTER TABLE {table} ENABLE TRIGGER USER"))
