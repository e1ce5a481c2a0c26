"""The shop's house rules: set, take back, and bring the shop floor up to date."""

from __future__ import annotations

from sqlalchemy import insert, select, update
from sqlalchemy.orm import Session

from zygometra.core.actors import Actor
from zygometra.core.findings.summary import summarise
from zygometra.core.house_rules import check_rule, rules_for

from .builds import RULES_IN_FORCE, load
from .tables import BuildRow, HouseRuleRow

_rule = HouseRuleRow.__table__  # type: ignore[attr-defined]
_build = BuildRow.__table__  # type: ignore[attr-defined]


def shop_rules(session: Session) -> dict[str, float]:
    """Return the shop's own figures by rule key; the others stand at their defaults."""
    return dict(session.execute(select(RULES_IN_FORCE)).scalar_one())


def set_rule(session: Session, key: str, value: float | None, *, actor: Actor) -> None:
    """Set a house rule, or with None go back to its default.

    Parameters
    ----------
    session : Session
        The caller's.
    key : str
        The rule.
    value : float or None
        In the rule's base unit.
    actor : Actor
        Who.

    Raises
    ------
    QuantityError
        If the rule cannot take the value.
    """
    if value is not None:
        check_rule(key, value)
    if shop_rules(session).get(key) == value:
        return
    session.execute(insert(_rule).values(key=key, value=value, actor=actor.name, actor_id=actor.id))
    _summarise_all(session)


def _summarise_all(session: Session) -> None:
    """A rule that moved changes what is said of every build on the shop floor."""
    for (build_id,) in session.execute(select(_build.c.id)).all():
        stored = load(session, build_id)
        rules = rules_for(stored.document.get("school") or "", stored.shop_rules)
        session.execute(
            update(_build).where(_build.c.id == build_id).values(summary=summarise(stored.document, rules))
        )
