"""A hash of everything that a shop keeps: two databases with the same hold the same, row by row."""

from __future__ import annotations

import hashlib
from typing import NamedTuple

from sqlalchemy import Connection, text

# What comes and goes, and is no part of what a shop keeps.
_BESIDE = ("alembic_version", "ended_session")


class Fingerprint(NamedTuple):
    """The hash, and how many rows of each table stand behind it."""

    digest: str
    rows: dict[str, int]


def fingerprint(connection: Connection, schema: str = "public") -> Fingerprint:
    """Return the hash of history and documents as one transaction sees them.

    Parameters
    ----------
    connection : Connection
        In a transaction that sees one moment (repeatable read), where others may be writing.
    schema : str
        In which the tables lie; a name of ours.

    Returns
    -------
    Fingerprint
        SHA-256 over every row of every table, in the order of their keys, as JSON; the texts
        that were typed are in it to the letter.
    """
    connection.execute(text("SET LOCAL TIME ZONE 'UTC'"))
    connection.execute(text("SET LOCAL extra_float_digits = 1"))
    # Of a large shop it may take as long as it likes.
    connection.execute(text("SET LOCAL statement_timeout = 0"))
    digest, rows = hashlib.sha256(), {}
    for table, keys in _tables(connection, schema):
        digest.update(f"\n{table}\n".encode())
        rows[table] = 0
        order = ", ".join(f'"{key}"' for key in keys)
        statement = text(
            f'SELECT row_to_json(r)::text FROM (SELECT * FROM {schema}."{table}" ORDER BY {order}) r'
        )
        for (row,) in connection.execute(statement.execution_options(stream_results=True)):
            digest.update(row.encode() + b"\n")
            rows[table] += 1
    return Fingerprint(digest.hexdigest(), rows)


def _tables(connection: Connection, schema: str) -> list[tuple[str, list[str]]]:
    """The tables with the columns of their keys, by name."""
    found = connection.execute(
        text(
            "SELECT c.relname, array_agg(a.attname ORDER BY array_position(i.indkey::int2[], a.attnum))"
            " FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace"
            " JOIN pg_index i ON i.indrelid = c.oid AND i.indisprimary"
            " JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum = ANY(i.indkey)"
            " WHERE n.nspname = :schema AND c.relkind = 'r' AND c.relname <> ALL(:beside)"
            ' GROUP BY c.relname ORDER BY c.relname COLLATE "C"'
        ),
        {"beside": list(_BESIDE), "schema": schema},
    )
    return [(name, list(keys)) for name, keys in found]
