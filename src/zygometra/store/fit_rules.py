"""The rules of fit in force: every state is kept, the newest holds."""

from __future__ import annotations

from sqlalchemy import insert, select
from sqlalchemy.orm import Session

from zygometra.core.actors import Entry
from zygometra.core.mix.rules import FitRules, rules_as_data, rules_from_data
from zygometra.core.mix.usual import USUAL

from .tables import FitRulesRow

_rules = FitRulesRow.__table__  # type: ignore[attr-defined]


def in_force(session: Session) -> FitRules:
    """Return the rules of fit in force."""
    data = session.execute(select(_rules.c.data).order_by(_rules.c.id.desc()).limit(1)).scalar()
    return USUAL if data is None else rules_from_data(data)


def save(session: Session, rules: FitRules | None, *, entry: Entry) -> None:
    """Put rules of fit in force; None goes back to the usual ones. Earlier ones stay on record."""
    data = None if rules is None else rules_as_data(rules)
    session.execute(
        insert(_rules).values(
            actor=entry.actor.name, actor_id=entry.actor.id, says=entry.says[:500], data=data
        )
    )
