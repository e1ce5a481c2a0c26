"""Fixtures: a real PostgreSQL database of its own for each worker, emptied between tests."""

from __future__ import annotations

import os
import uuid

import pytest
from hypothesis import HealthCheck, settings
from sqlalchemy import create_engine, text
from sqlalchemy.engine import make_url

# What is drawn is the same at every run, so that a fault is of the change and not of the draw;
# ``./test anew`` draws afresh, four times as much.
ANEW = bool(os.environ.get("ZYGOMETRA_DRAWN_ANEW"))
settings.register_profile(
    "ours",
    deadline=None,
    max_examples=240 if ANEW else 60,
    derandomize=not ANEW,
    database=None,
    suppress_health_check=[HealthCheck.too_slow],
)
settings.load_profile("ours")


@pytest.fixture(scope="session")
def database_url():
    """A fresh database on the server that ./test started (or was given)."""
    server = os.environ.get("ZYGOMETRA_TEST_DATABASE_URL")
    if not server:
        pytest.fail("No database: run these tests through ./test, which starts one.")
    url = make_url(server.replace("postgresql://", "postgresql+psycopg://", 1))
    name = f"zygometra_test_{uuid.uuid4().hex[:12]}"
    admin = create_engine(url, isolation_level="AUTOCOMMIT")
    with admin.connect() as connection:
        connection.execute(text(f"CREATE DATABASE {name}"))
    yield url.set(database=name).render_as_string(hide_password=False).replace("+psycopg", "")
    with admin.connect() as connection:
        connection.execute(text(f"DROP DATABASE {name} WITH (FORCE)"))
        connection.execute(text(f"DROP ROLE IF EXISTS bench_of_{name}"))
    admin.dispose()


@pytest.fixture(scope="session")
def owner(database_url):
    """An engine of the role that owns the tables: what empties them, and looks into the catalogue."""
    from zygometra.store.database import migrate, open_engine

    engine = open_engine(database_url)
    migrate(engine)
    yield engine
    engine.dispose()


@pytest.fixture(scope="session")
def migrated(database_url, owner):
    """An engine on the migrated database, as the application connects: by a role that owns nothing."""
    from zygometra.store.database import open_engine
    from zygometra.store.roles import lesser_of, make_lesser, password_of

    role, password = lesser_of(owner), password_of(database_url)
    assert make_lesser(owner, role, password)
    engine = open_engine(
        make_url(database_url).set(username=role, password=password).render_as_string(hide_password=False)
    )
    yield engine
    engine.dispose()


@pytest.fixture
def engine(migrated, owner):
    """The migrated database, empty, as the application connects."""
    empty(owner)
    return migrated


def empty(engine) -> None:
    """Empty every table. Builds begin at 1 again; changes of the shelf go on, for they number what is laid out."""
    from support.database import sweep

    with engine.begin() as connection:
        sweep(
            connection,
            "TRUNCATE build, house_rule, fact, photo, gauge_fact RESTART IDENTITY CASCADE",
            "TRUNCATE part, part_change, fit_rules, acceptance, ended_session",
        )


@pytest.fixture
def session(engine):
    """A session on the empty database."""
    from sqlalchemy.orm import Session

    with Session(engine) as opened:
        yield opened
