"""House rules changed while others save: one transaction, and no build left judged by rules of before."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import event, text
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from support.cases import demo
from support.people import by, someone
from zygometra.core.build.document import with_leaf
from zygometra.core.errors import QuantityError
from zygometra.core.findings.summary import summarise
from zygometra.core.house_rules import rules_for
from zygometra.store import builds, fit_rules, rules
from zygometra.store.newest import Moved

ADA = someone("Ada")


def created(session, name="hill-climb", **changes):
    return builds.create(session, demo(name) | changes, entry=by("Ada", "taken in"))


def set_now(session, changes):
    return rules.set_rules(session, changes, actor=ADA, seen=rules.newest(session).number)


def test_only_builds_for_which_a_rule_counts_are_judged_again(session):
    created(session)
    guarded = created(session, school="guarded-quench")
    session.commit()
    before = builds.load(session, guarded).document
    # The guarded school has a floor of its own for steel: the shop's does not count there.
    assert (
        rules.set_rules(session, {"quench_floor.steel": 0.4}, actor=ADA, seen=rules.newest(session).number)
        == 1
    )
    assert (
        rules.set_rules(session, {"quench_floor.steel": 0.4}, actor=ADA, seen=rules.newest(session).number)
        == 0
    )
    assert (
        rules.set_rules(
            session, {"disagreement": 2.5, "ratio_spread": 0.2}, actor=ADA, seen=rules.newest(session).number
        )
        == 2
    )
    assert builds.load(session, guarded).document == before
    assert rules.shop_rules(session) == {"quench_floor.steel": 0.4, "disagreement": 2.5, "ratio_spread": 0.2}


def test_one_rule_that_cannot_be_leaves_all_as_they_were(session):
    with pytest.raises(QuantityError):
        rules.set_rules(
            session,
            {"ratio_spread": 0.2, "quench_floor.steel": 99},
            actor=ADA,
            seen=rules.newest(session).number,
        )
    assert rules.shop_rules(session) == {}


def test_each_build_is_judged_once_however_many_rules_move(session):
    for _ in range(3):
        created(session)
    session.commit()
    written = []
    event.listen(session.get_bind(), "before_cursor_execute", lambda *a: written.append(a[2]))
    rules.set_rules(
        session, {"quench_floor.steel": 0.5, "quench_ceiling": 1.4, "ratio_spread": 0.3}, actor=ADA, seen=0
    )
    assert [listed.is_settled for listed in builds.listed(session)] == [False] * 3
    assert rules.settle(session) == 3
    assert sum(statement.startswith("UPDATE build") for statement in written) == 3
    assert all(listed.is_settled for listed in builds.listed(session))


def save_six_gaskets(engine, build_id):
    """Save a build six times over, another gasket each time."""
    for n in range(6):
        with Session(engine) as own:
            stored = builds.load(own, build_id)
            document = with_leaf(stored.document, ("parts", "gasket", "thickness"), f"{0.6 + n / 10:.1f} mm")
            builds.save(own, build_id, document, expected_version=stored.version, entry=by("Bo", "x"))
            own.commit()


def change_eight_rules(engine):
    """Change the house rules eight times; who comes second in a race lets it be."""
    for n in range(8):
        values = {"quench_floor.steel": 0.4 + n / 10, "ratio_spread": 0.1 + n / 50}
        with Session(engine) as own:
            try:
                rules.set_rules(own, values, actor=ADA, seen=rules.newest(own).number)
                own.commit()
            except Moved:
                own.rollback()


def test_no_summary_is_older_than_its_build_and_the_rules(session, engine):
    ids = [created(session) for _ in range(4)]
    session.commit()
    with ThreadPoolExecutor(len(ids) + 2) as pool:
        jobs = [pool.submit(save_six_gaskets, engine, i) for i in ids]
        jobs += [pool.submit(change_eight_rules, engine) for _ in range(2)]
    assert [job.exception() for job in jobs] == [None] * len(jobs)
    session.rollback()
    rules.settle(session)
    shop = rules.shop_rules(session)
    for listed in builds.listed(session):
        document = builds.load(session, listed.id).document
        assert listed.summary == summarise(document, rules_for(document.get("school") or "", shop))


def test_who_waits_too_long_for_another_is_told_so(session, engine):
    build = created(session)
    session.commit()
    with Session(engine) as holder, Session(engine) as other:
        builds.load(holder, build, lock=True)
        other.execute(text("SET LOCAL lock_timeout = '50ms'"))
        with pytest.raises(OperationalError, match="lock timeout"):
            builds.load(other, build, lock=True)


def test_statements_have_their_bounds(session):
    assert session.execute(text("SHOW lock_timeout")).scalar() == "8s"
    assert session.execute(text("SHOW statement_timeout")).scalar() == "30s"


def test_rules_are_not_set_over_newer_ones_unseen(session):
    rules.set_rules(session, {"ratio_spread": 0.2}, actor=ADA, seen=0)
    session.commit()
    with pytest.raises(Moved) as moved:
        rules.set_rules(session, {"ratio_spread": 0.4}, actor=someone("Bo"), seen=0)
    assert moved.value.newest.actor == "Ada"
    assert rules.shop_rules(session) == {"ratio_spread": 0.2}
    fit_rules.save(session, None, entry=by("Ada", "back"), seen=0)
    with pytest.raises(Moved):
        fit_rules.save(session, None, entry=by("Bo", "back"), seen=0)
