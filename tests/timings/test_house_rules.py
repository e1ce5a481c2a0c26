"""How long a change of many house rules holds up a shop of many builds; printed."""

from __future__ import annotations

import time

import pytest
from sqlalchemy.orm import Session

from support.cases import demo
from support.people import by, someone
from support.timing import WHOLE
from zygometra.core.house_rules import RULES
from zygometra.store import builds, rules

pytestmark = pytest.mark.timing
BUILDS, CHANGED = 385 if WHOLE else 8, 14


def test_many_rules_over_many_builds(engine):
    with Session(engine) as session:
        documents = [demo(name) for name in ("pilot-launch", "mountain-rescue", "sawmill-six", "hill-climb")]
        for number in range(BUILDS):
            builds.create(session, documents[number % 4], entry=by("bench", "bench"))
        session.commit()
        changes = {rule.key: min(rule.value * 1.01, rule.high) for rule in RULES[:CHANGED]}
        start = time.perf_counter()
        judged = rules.set_rules(session, changes, actor=someone("bench"), seen=0)
        session.commit()
        took = time.perf_counter() - start
    assert judged == BUILDS
    print(f"\n{CHANGED} house rules over {BUILDS} builds: {took:.2f} s (26 s once, rule by rule)")
