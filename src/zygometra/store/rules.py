"""The shop's house rules: set, take back, and bring the shop floor up to date."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import func, insert, select, update
from sqlalchemy.orm import Session

from zygometra.core.actors import Actor
from zygometra.core.findings.summary import summarise
from zygometra.core.house_rules import check_rule, rules_for

from .builds import RULES_IN_FORCE, load
from .locks import hold_house_rules
from .newest import Newest, check_seen, newest_of
from .tables import BuildRow, HouseRuleRow
from .whole import with_facts

_rule = HouseRuleRow.__table__  # type: ignore[attr-defined]
_build = BuildRow.__table__  # type: ignore[attr-defined]
_SCHOOL = func.coalesce(_build.c.frame["school"].as_string(), "")


def shop_rules(session: Session) -> dict[str, float]:
    """Return the shop's own figures by rule key; the others stand at their defaults."""
    return dict(session.execute(select(RULES_IN_FORCE)).scalar_one())


def newest(session: Session) -> Newest:
    """Return which setting of a house rule is the newest."""
    return newest_of(session, _rule)


def set_rules(session: Session, changes: Mapping[str, float | None], *, actor: Actor, seen: int) -> int:
    """Set house rules together, and judge again the builds for which one of them counts.

    Parameters
    ----------
    session : Session
        The caller's; nobody else judges by the rules until its transaction ends.
    changes : Mapping
        By rule key the new figure in the rule's base unit; None goes back to the default.
    actor : Actor
        Who.
    seen : int
        The number of the newest setting that the person saw.

    Returns
    -------
    int
        How many builds were judged again.

    Raises
    ------
    Moved
        If somebody changed a rule since; nothing is written.
    QuantityError
        If a rule cannot take its value; nothing is written.
    """
    for key, value in changes.items():
        if value is not None:
            check_rule(key, value)
    hold_house_rules(session, to_change=True)
    check_seen(session, _rule, seen)
    before = shop_rules(session)
    new = [{"key": key, "value": value} for key, value in changes.items() if before.get(key) != value]
    if not new:
        return 0
    session.execute(insert(_rule), [row | {"actor": actor.name, "actor_id": actor.id} for row in new])
    return _judge_again(session, before, shop_rules(session))


def _judge_again(session: Session, before: Mapping[str, float], now: Mapping[str, float]) -> int:
    """Write anew what the floor says of builds whose rules moved: a school's own figure stands above the shop's."""
    moved = {"": rules_for("", before).values != rules_for("", now).values}
    judged = 0
    for build_id, school in session.execute(select(_build.c.id, _SCHOOL).order_by(_build.c.id)).all():
        if school not in moved:
            moved[school] = rules_for(school, before).values != rules_for(school, now).values
        if not moved[school]:
            continue
        stored = load(session, build_id)
        session.execute(
            update(_build)
            .where(_build.c.id == build_id)
            .values(summary=summarise(with_facts(session, build_id, stored.document), rules_for(school, now)))
        )
        judged += 1
    return judged
