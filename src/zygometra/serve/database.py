"""The database of the process: migrated by its owner, used by a role that owns nothing."""

from __future__ import annotations

import os
from typing import NamedTuple

from sqlalchemy import Engine
from sqlalchemy.engine import make_url
from sqlalchemy.exc import DBAPIError, OperationalError, ProgrammingError

from zygometra.store.database import (
    OWNER,
    USED,
    Newer,
    NoDatabase,
    checked_url,
    migrate,
    open_engine,
    owners_url,
    revisions,
)
from zygometra.store.roles import (
    NOT_GUARDED,
    grant,
    lesser_of,
    make_lesser,
    password_of,
    rests_on_triggers_alone,
)


class Ready(NamedTuple):
    """A database that can be used: its engine, that of its owner, and what is to be said of it at the start."""

    engine: Engine
    owner: Engine
    said: str = ""


def ready() -> Ready:
    """Migrate the database as its owner, and return an engine of the lesser role.

    Returns
    -------
    Ready
        ``said`` holds a sentence where no lesser role could be had.

    Raises
    ------
    NoDatabase
        With one sentence: it does not answer, is a newer program's, or may not be changed.
    """
    url = owners_url()
    owner = open_engine(url)
    used = checked_url(os.environ.get(USED, url))
    try:
        _migrate(owner)
        engine = _used(owner, url, used)
        said = NOT_GUARDED if rests_on_triggers_alone(engine) else ""
    except OperationalError as error:
        owner.dispose()
        raise NoDatabase(f"The database does not answer: {str(error.orig).strip().splitlines()[0]}") from None
    except DBAPIError as error:
        owner.dispose()
        raise NoDatabase(f"The database does not do it: {str(error.orig).strip().splitlines()[0]}") from None
    except NoDatabase:
        owner.dispose()
        raise
    return Ready(engine, owner, said)


def _used(owner: Engine, url: str, used: str) -> Engine:
    """The engine of the role that was given for use, granted what it needs; else of one that is made."""
    if (role := make_url(used).username) == make_url(url).username:
        return _lesser(owner, url)
    with owner.begin() as connection:
        grant(connection, role or "")
    return open_engine(used)


def _migrate(owner: Engine) -> None:
    try:
        migrate(owner)
    except Newer as newer:
        raise NoDatabase(str(newer)) from None
    except ProgrammingError:
        there, wanted = revisions(owner)
        if there == wanted:
            return
        raise NoDatabase(
            f"The role {owner.url.username} may not change the tables; give the owner's address in {OWNER}."
        ) from None


def _lesser(owner: Engine, url: str) -> Engine:
    """The engine of the lesser role where it can be made and let in; else the owner's own."""
    if not rests_on_triggers_alone(owner):
        return owner
    role, password = lesser_of(owner), password_of(url)
    if not make_lesser(owner, role, password):
        return owner
    engine = open_engine(
        make_url(url).set(username=role, password=password).render_as_string(hide_password=False)
    )
    try:
        with engine.connect():
            return engine
    except OperationalError:
        # The server lets people in by other means than a password.
        engine.dispose()
        return owner
