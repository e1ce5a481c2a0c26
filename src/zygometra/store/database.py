"""Opening the database and bringing its tables up to date."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import Engine, create_engine

MIGRATIONS = Path(__file__).parent / "migrations"


# How long a statement waits for who else is saving, and how long it may take, in milliseconds.
_WAITS, _TAKES = 8_000, 30_000
_OPTIONS = f"-c lock_timeout={_WAITS} -c statement_timeout={_TAKES}"


def open_engine(url: str) -> Engine:
    """Return an engine on the PostgreSQL server at ``url``.

    Parameters
    ----------
    url : str
        ``postgresql://user@host:port/name``; the driver is psycopg 3.

    Returns
    -------
    Engine
        With a small pool whose connections are tried before use: who saves is
        not told of a server that was started again in between.
    """
    plain = url.replace("postgres://", "postgresql://", 1)
    return create_engine(
        plain.replace("postgresql://", "postgresql+psycopg://", 1),
        pool_size=8,
        max_overflow=4,
        pool_timeout=10,
        pool_pre_ping=True,
        connect_args={"connect_timeout": 5, "prepare_threshold": 1, "options": _OPTIONS},
    )


def reading_engine(engine: Engine) -> Engine:
    """Return an engine on the same server for requests that only read.

    Parameters
    ----------
    engine : Engine
        Whose server to use.

    Returns
    -------
    Engine
        Each statement is taken as it comes, without a transaction around it: a
        page is one statement, and opening and closing one costs more than it. A
        connection that died is noticed when it is used; a reader simply asks again.
    """
    return create_engine(
        engine.url,
        isolation_level="AUTOCOMMIT",
        pool_reset_on_return=None,
        pool_size=8,
        max_overflow=4,
        pool_timeout=10,
        connect_args={"connect_timeout": 5, "prepare_threshold": 1, "options": _OPTIONS},
    )


def migrate(engine: Engine) -> None:
    """Bring the tables to the newest migration.

    Parameters
    ----------
    engine : Engine
        Of the database to migrate.
    """
    from alembic import command
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    with engine.begin() as connection:
        # Who migrates waits for his turn, however long it takes.
        connection.exec_driver_sql("SET LOCAL lock_timeout = 0")
        connection.exec_driver_sql("SET LOCAL statement_timeout = 0")
        config.attributes["connection"] = connection
        command.upgrade(config, "head")
