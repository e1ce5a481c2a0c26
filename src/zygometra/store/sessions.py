"""Which sessions were ended before their time."""

from __future__ import annotations

from datetime import timedelta

from sqlalchemy import Connection, Engine, delete, func, select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from .tables import EndedSessionRow, table_for

_ended = table_for(EndedSessionRow)


def end(session: Session, identity: str, *, forget_after: timedelta) -> None:
    """End a session: whoever kept its cookie is nobody from now on.

    Parameters
    ----------
    session : Session
        The caller's.
    identity : str
        Of the session that ends.
    forget_after : timedelta
        How long a cookie holds by itself: what was ended longer ago is forgotten.
    """
    session.execute(delete(_ended).where(_ended.c.at < func.now() - forget_after))
    session.execute(insert(_ended).values(id=identity).on_conflict_do_nothing())


# No identity of a session, but a row that can be written at any time.
_WELL = "well"


def write_something(session: Session) -> None:
    """Write one small row down to the disk: what a sound database always takes.

    Parameters
    ----------
    session : Session
        The caller's, who commits.
    """
    written = insert(_ended).values(id=_WELL)
    session.execute(written.on_conflict_do_update(index_elements=["id"], set_={"at": func.now()}))


def is_ended(engine: Engine, identity: str) -> bool:
    """Tell whether a session was ended.

    Parameters
    ----------
    engine : Engine
        For statements that only read.
    identity : str
        Of the session.

    Returns
    -------
    bool
        False for one that nobody knows.
    """
    connection: Connection
    with engine.connect() as connection:
        return connection.execute(select(_ended.c.id).where(_ended.c.id == identity)).first() is not None
