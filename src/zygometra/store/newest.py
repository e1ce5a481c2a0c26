"""The newest state of something of which every state is kept, and what is raised where a person saw an older one."""

from __future__ import annotations

from datetime import datetime
from typing import NamedTuple

from sqlalchemy import Table, select
from sqlalchemy.orm import Session


class Newest(NamedTuple):
    """The number of the newest state, who set it, and when; 0 and nobody before the first."""

    number: int = 0
    actor: str = ""
    at: datetime | None = None


class Moved(Exception):
    """Somebody set another state since the person looked; nothing was written."""

    def __init__(self, newest: Newest) -> None:
        self.newest = newest
        super().__init__(f"state {newest.number} by {newest.actor} is newer")


def newest_of(session: Session, table: Table) -> Newest:
    """Return the newest state that stands in a table of states."""
    row = session.execute(
        select(table.c.id, table.c.actor, table.c.at).order_by(table.c.id.desc()).limit(1)
    ).first()
    return Newest() if row is None else Newest(*row)


def check_seen(session: Session, table: Table, seen: int) -> None:
    """Raise :class:`Moved` unless the newest state is the one that was seen."""
    newest = newest_of(session, table)
    if newest.number != seen:
        raise Moved(newest)
