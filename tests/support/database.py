"""Emptying tables between tests and laying out a shop again, as their owner: the program has no word for either."""

from __future__ import annotations

from sqlalchemy import text
from sqlmodel import SQLModel

from zygometra.store.tables import RECORDS


def sweep(connection, *statements: str) -> None:
    """Run TRUNCATE statements with the guards of the record taken off and put back."""
    for table in RECORDS:
        connection.execute(text(f"ALTER TABLE {table} DISABLE TRIGGER USER"))
    for statement in statements:
        connection.execute(text(statement))
    for table in RECORDS:
        for trigger in (f"{table}_stands", f"{table}_stands_whole"):
            connection.execute(text(f"ALTER TABLE {table} ENABLE ALWAYS TRIGGER {trigger}"))


def keep_aside(connection) -> None:
    """Copy every table, and where its numbers stand, into a schema of its own."""
    connection.execute(text("CREATE SCHEMA aside"))
    for table in SQLModel.metadata.sorted_tables:
        connection.execute(text(f"CREATE TABLE aside.{table.name} AS TABLE public.{table.name}"))
    connection.execute(
        text(
            "CREATE TABLE aside.numbers AS SELECT sequencename AS name, last_value AS stands"
            " FROM pg_sequences WHERE schemaname = 'public' AND last_value IS NOT NULL"
        )
    )


def lay_out_again(connection) -> None:
    """Fill the emptied tables with what was kept aside."""
    for table in SQLModel.metadata.sorted_tables:
        connection.execute(
            text(f"INSERT INTO public.{table.name} OVERRIDING SYSTEM VALUE TABLE aside.{table.name}")
        )
    connection.execute(text("SELECT setval(quote_ident(name)::regclass, stands) FROM aside.numbers"))
