"""A build whole: its document with the facts beside it, and what the floor says of both.

The caller owns the transaction: it passes the session in and commits.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from zygometra.core.build.document import Document

from .facts import of_build
from .gauges import register
from .in_force import NEWEST_RULE, RULES_IN_FORCE
from .locks import hold_house_rules
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


def refresh_summary(
    session: Session, build_id: int, summary: Mapping[str, Any], shop_rules: Mapping[str, float]
) -> bool:
    """Write what the floor says of a build after something was noted beside it; its version stays.

    Parameters
    ----------
    session : Session
        The caller's.
    build_id : int
        The build.
    summary : Mapping
        Of the document and its facts.
    shop_rules : Mapping
        The shop's own rules that it was judged by.

    Returns
    -------
    bool
        False where somebody changed the rules in between: it is still to be judged by the new ones.
    """
    hold_house_rules(session)
    as_they_are = bool(session.execute(select(RULES_IN_FORCE)).scalar_one() == dict(shop_rules))
    values: dict[str, Any] = {"summary": dict(summary), "judged": NEWEST_RULE if as_they_are else 0}
    session.execute(update(_build).where(_build.c.id == build_id).values(**values))
    return as_they_are
