"""What happened to a build: every change of it, newest first; rows are only ever added."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import Row, insert, select, text
from sqlalchemy.orm import Session

from zygometra.core import stages
from zygometra.core.actors import Entry
from zygometra.core.build.document import Difference

from .tables import ChangeRow, table_for

_change = table_for(ChangeRow)


@dataclass(frozen=True, slots=True)
class Change:
    """One row of a build's history."""

    id: int
    version: int
    at: datetime
    actor: str
    kind: str
    says: str
    patch: tuple[Difference, ...]


def history(
    session: Session, build_id: int, *, path: str = "", after: int = 0, limit: int = 200
) -> tuple[Change, ...]:
    """Return a build's changes, the newest first.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.
    path : str
        Only changes of this place.
    after : int
        Only changes that made a version above this.
    limit : int
        How many at most.

    Returns
    -------
    tuple of Change
        Newest first.
    """
    statement = (
        select(_change)
        .where(_change.c.build_id == build_id, _change.c.version > after)
        .order_by(_change.c.id.desc())
        .limit(limit)
    )
    if path:
        statement = statement.where(
            text(
                "EXISTS (SELECT 1 FROM json_array_elements(patch) leaf"
                " WHERE array_to_string(ARRAY(SELECT json_array_elements_text(leaf->'path')), '.')"
                " = :path)"
            ).bindparams(path=path)
        )
    return tuple(read_change(row) for row in session.execute(statement))


# What the record of a build begins with that came with the demo shop.
DEMO_SHOP = "brought in with the demo shop"


def is_of_the_demo(session: Session, build_id: int) -> bool:
    """Tell whether a build came with the demo shop; a copy of one did not.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.
    """
    first = select(_change.c.says).where(_change.c.build_id == build_id).order_by(_change.c.id).limit(1)
    return session.execute(first).scalar_one_or_none() == DEMO_SHOP


def read_change(row: Row[Any]) -> Change:
    """Return a row of the history as a change."""
    patch = tuple(Difference(tuple(p["path"]), p["before"], p["after"]) for p in row.patch)
    return Change(
        id=row.id, version=row.version, at=row.at, actor=row.actor, kind=row.kind, says=row.says, patch=patch
    )


def was_signed_off(session: Session, build_id: int, stage: str) -> bool:
    """Tell whether a build is signed off, or was when it was shelved.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.
    stage : str
        At which it stands.

    Returns
    -------
    bool
        False for a build that somebody may go on with.
    """
    if stage == stages.SHELVED and (move := last_move(session, build_id)) is not None:
        return any(leaf.before == stages.SIGNED_OFF for leaf in move.patch)
    return stage == stages.SIGNED_OFF


def last_move(session: Session, build_id: int) -> Change | None:
    """Return the last change of a build's stage; None where it stands where it began."""
    row = session.execute(
        select(_change)
        .where(_change.c.build_id == build_id, _change.c.kind == "stage")
        .order_by(_change.c.id.desc())
        .limit(1)
    ).first()
    return None if row is None else read_change(row)


def record(session: Session, build_id: int, version: int, entry: Entry, patch: Iterable[Difference]) -> None:
    """Add a change to a build's history.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id, version : int
        The build, and the version that the change made or left.
    entry : Entry
        Who, what was done, and of which kind it is.
    patch : iterable of Difference
        Each leaf before and after.
    """
    session.execute(
        insert(_change).values(
            build_id=build_id,
            version=version,
            actor=entry.actor.name,
            actor_id=entry.actor.id,
            kind=entry.kind,
            says=entry.says[:500],
            patch=[{"path": list(d.path), "before": d.before, "after": d.after} for d in patch],
        )
    )
