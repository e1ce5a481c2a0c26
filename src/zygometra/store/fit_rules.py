"""The rules of fit in force: every state is kept, the newest holds."""

from __future__ import annotations

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from zygometra.core.actors import Entry
from zygometra.core.mix.rules import FitRules
from zygometra.core.mix.rules_data import rules_as_data, rules_from_data
from zygometra.core.mix.usual import USUAL

from .locks import hold_fit_rules
from .newest import Newest, check_seen, newest_of
from .tables import FitRulesRow, table_for

_rules = table_for(FitRulesRow)


def in_force(session: Session) -> FitRules:
    """Return the rules of fit in force."""
    data = session.execute(select(_rules.c.data).order_by(_rules.c.id.desc()).limit(1)).scalar()
    return USUAL if data is None else rules_from_data(data)


def newest(session: Session) -> Newest:
    """Return which state of the rules of fit is in force."""
    return newest_of(session, _rules)


def save(session: Session, rules: FitRules | None, *, entry: Entry, seen: int) -> None:
    """Put rules of fit in force; None goes back to the usual ones. Earlier ones stay on record.

    Raises :class:`~.newest.Moved` where the state that was seen is no longer the newest.
    """
    hold_fit_rules(session)
    check_seen(session, _rules, seen)
    data = None if rules is None else rules_as_data(rules)
    session.execute(
        insert(_rules).values(
            actor=entry.actor.name, actor_id=entry.actor.id, says=entry.says[:500], data=data
        )
    )
