"""Two roles of the database: an owner, who changes tables, and a lesser one, who writes rows and owns nothing.

The application connects as the lesser role. What it may not do, no fault of the program
and nobody who gets in through it can do either: alter, delete or sweep away a row of the
record, or take off the triggers that guard it.
"""

from __future__ import annotations

import hashlib
import hmac

from psycopg import sql
from sqlalchemy import Connection, Engine, text
from sqlalchemy.engine import make_url
from sqlalchemy.exc import ProgrammingError

from .tables import RECORDS

NOT_GUARDED = (
    "The record rests on its triggers alone: the database gave this program only a role that owns the tables,"
    " and no leave to make a lesser one."
)

# What of a table the lesser role may do, beside reading it.
_WRITES = "SELECT, INSERT, UPDATE, DELETE"
_RECORDS = "SELECT, INSERT"


def lesser_of(owner: Engine) -> str:
    """Return what the role is called that the application connects as: one for each database of a server.

    Parameters
    ----------
    owner : Engine
        Of the database.

    Returns
    -------
    str
        At most as many letters as a role's name may have.
    """
    return f"bench_of_{owner.url.database}"[:63]


def password_of(url: str) -> str:
    """Return the lesser role's password: it follows from the owner's address, and is kept nowhere.

    Parameters
    ----------
    url : str
        The owner's, with the password; the same for all processes that serve one database.

    Returns
    -------
    str
        64 hexadecimal digits.
    """
    parts = make_url(url)
    secret = f"{parts.username}:{parts.password}".encode()
    return hmac.new(secret, f"the bench of {parts.database}".encode(), hashlib.sha256).hexdigest()


def make_lesser(owner: Engine, role: str, password: str) -> bool:
    """Make the lesser role, or give it its password, and grant it what it may do.

    Parameters
    ----------
    owner : Engine
        Of a migrated database, as a role that owns its tables.
    role, password : str
        What it shall be called, and connect with.

    Returns
    -------
    bool
        False where the owner may make no roles: nothing was changed then.
    """
    try:
        with owner.begin() as connection:
            # Several processes may start at once: one after the other.
            connection.execute(text("SELECT pg_advisory_xact_lock(722006)"))
            known = connection.execute(text("SELECT 1 FROM pg_roles WHERE rolname = :role"), {"role": role})
            _run(
                connection,
                f"{'ALTER' if known.first() else 'CREATE'} ROLE {{role}} LOGIN NOSUPERUSER NOCREATEDB"
                " NOCREATEROLE NOREPLICATION PASSWORD {password}",
                role=sql.Identifier(role),
                password=sql.Literal(password),
            )
            grant(connection, role)
    except ProgrammingError:
        return False
    return True


def grant(connection: Connection, role: str) -> None:
    """Grant a role what the application does: rows of every table, but of a record only new ones.

    Parameters
    ----------
    connection : Connection
        Of the owner, within a transaction.
    role : str
        Who is granted it, and loses whatever else it was granted.
    """
    database = connection.execute(text("SELECT current_database()")).scalar_one()
    named = {"role": sql.Identifier(role), "database": sql.Identifier(database)}
    for statement in (
        "GRANT CONNECT ON DATABASE {database} TO {role}",
        "REVOKE CREATE ON SCHEMA public FROM PUBLIC",
        "GRANT USAGE ON SCHEMA public TO {role}",
        "REVOKE ALL ON ALL TABLES IN SCHEMA public FROM {role}",
        f"GRANT {_WRITES} ON ALL TABLES IN SCHEMA public TO {{role}}",
        "REVOKE ALL ON TABLE alembic_version FROM {role}",
        "GRANT SELECT ON TABLE alembic_version TO {role}",
        "GRANT USAGE, SELECT ON ALL SEQUENCES IN SCHEMA public TO {role}",
    ):
        _run(connection, statement, **named)
    for table in RECORDS:
        _run(connection, "REVOKE ALL ON TABLE {table} FROM {role}", table=sql.Identifier(table), **named)
        _run(
            connection,
            f"GRANT {_RECORDS} ON TABLE {{table}} TO {{role}}",
            table=sql.Identifier(table),
            **named,
        )


def _run(connection: Connection, statement: str, **named: sql.Composable) -> None:
    """Run a statement with names and literals in it, which take no parameters."""
    raw = connection.connection.dbapi_connection
    connection.exec_driver_sql(sql.SQL(statement).format(**named).as_string(raw))  # type: ignore[arg-type]


def rests_on_triggers_alone(engine: Engine) -> bool:
    """Tell whether the role that an engine connects as could sweep the record away, but for its triggers.

    Parameters
    ----------
    engine : Engine
        That of the application.

    Returns
    -------
    bool
        True for an owner of a table of the record, or a role that may alter or delete its rows.
    """
    with engine.connect() as connection:
        rows = connection.execute(
            text(
                "SELECT bool_or(pg_has_role(current_user, relowner, 'MEMBER')"
                " OR has_table_privilege(current_user, c.oid, 'UPDATE, DELETE, TRUNCATE, TRIGGER'))"
                " FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace"
                " WHERE n.nspname = 'public' AND c.relname = ANY(:records)"
            ),
            {"records": list(RECORDS)},
        )
        return bool(rows.scalar_one())
