"""A build whole: its document with the facts beside it, and what the floor says of both.

The caller owns the transaction: it passes the session in and commits.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import update
from sqlalchemy.orm import Session

from zygometra.core.build.document import Document

from .facts import of_build
from .gauges import register
from .in_force import NEWEST_RULE
from .tables import BuildRow, table_for

_build = table_for(BuildRow)


def with_facts(session: Session, build_id: int, document: Mapping[str, Any]) -> Document:
    """Return a build's document with its facts in it, as a file carries them.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.
    document : Mapping
        Its document.

    Returns
    -------
    dict
        The same where nothing was noted beside it.
    """
    facts, _ = of_build(session, build_id).within(document)
    if not facts.seq:
        return dict(document)
    return {**document, **facts.document(register(session).entries)}


def refresh_summary(session: Session, build_id: int, summary: Mapping[str, Any]) -> None:
    """Write what the floor says of a build after something was noted beside it; its version stays.

    Parameters
    ----------
    session : Session
        The caller's, which holds the house rules: the build was judged by those in force.
    build_id : int
        The build.
    summary : Mapping
        Of the document and its facts.
    """
    values: dict[str, Any] = {"summary": dict(summary), "judged": NEWEST_RULE}
    session.execute(update(_build).where(_build.c.id == build_id).values(**values))
