"""The shop's house rules: set, take back, and bring the shop floor up to date."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple

from sqlalchemy import func, insert, select, update
from sqlalchemy.orm import Session

from zygometra.core.actors import Actor
from zygometra.core.findings.summary import summarise
from zygometra.core.house_rules import HouseRules, check_rule, rules_for

from .builds import load
from .in_force import RULES_IN_FORCE
from .locks import hold_house_rules
from .newest import Newest, check_seen, newest_of
from .tables import BuildRow, HouseRuleRow, table_for
from .whole import with_facts

_rule = table_for(HouseRuleRow)
_build = table_for(BuildRow)
_SCHOOL = func.coalesce(_build.c.frame["school"].as_string(), "")


def shop_rules(session: Session) -> dict[str, float]:
    """Return the shop's own figures by rule key; the others stand at their defaults."""
    return dict(session.execute(select(RULES_IN_FORCE)).scalar_one())


def newest(session: Session) -> Newest:
    """Return which setting of a house rule is the newest."""
    return newest_of(session, _rule)


def set_rules(session: Session, changes: Mapping[str, float | None], *, actor: Actor, seen: int) -> int:
    """Set house rules together; builds for which one of them counts are still to be judged again.

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
        How many builds are to be judged again: see :func:`settle_next`.

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
    return _to_judge_again(session, before, now=shop_rules(session), number=newest(session).number, seen=seen)


def _to_judge_again(
    session: Session, before: Mapping[str, float], now: Mapping[str, float], number: int, seen: int
) -> int:
    """Count the builds whose rules moved: a school's own figure stands above the shop's. The others are settled."""
    moved = 0
    counted = select(_SCHOOL, func.count()).select_from(_build).group_by(_SCHOOL)
    for school, builds in session.execute(counted).all():
        if rules_for(school, before).values != rules_for(school, now).values:
            moved += builds
            continue
        settled = update(_build).where(school == _SCHOOL, _build.c.judged >= seen).values(judged=number)
        session.execute(settled)
    return moved


class ToSettle(NamedTuple):
    """A build that is still to be judged by the rules that are in force: what its line on the floor follows from."""

    build_id: int
    version: int
    document: Mapping[str, Any]
    rules: HouseRules
    number: int


def settle_next(session: Session, judge: Callable[[Mapping[str, Any], HouseRules], dict[str, Any]]) -> bool:
    """Judge one build by the rules in force whose line on the floor is older than they.

    Parameters
    ----------
    session : Session
        Its own transactions: it is committed twice, and nothing is held while the build is judged.
    judge : callable
        Takes the document with its facts, and the rules; gives the summary.

    Returns
    -------
    bool
        False where every build is judged by the newest rules.
    """
    found = _next_to_settle(session)
    session.commit()
    if found is None:
        return False
    summary = judge(found.document, found.rules)
    hold_house_rules(session)
    # What was saved or noted meanwhile wrote its own line, by the rules in force.
    session.execute(
        update(_build)
        .where(
            _build.c.id == found.build_id, _build.c.version == found.version, _build.c.judged < found.number
        )
        .values(summary=summary, judged=found.number)
    )
    session.commit()
    return True


def _next_to_settle(session: Session) -> ToSettle | None:
    number = newest(session).number
    build_id = session.execute(
        select(_build.c.id).where(_build.c.judged < number).order_by(_build.c.changed_at.desc()).limit(1)
    ).scalar_one_or_none()
    if build_id is None:
        return None
    stored = load(session, build_id)
    document = with_facts(session, build_id, stored.document)
    rules = rules_for(document.get("school") or "", stored.shop_rules)
    return ToSettle(build_id=build_id, version=stored.version, document=document, rules=rules, number=number)


def settle(session: Session) -> int:
    """Judge every build again whose line is older than the rules in force, here and now; return how many."""
    count = 0
    while settle_next(session, summarise):
        count += 1
    return count
