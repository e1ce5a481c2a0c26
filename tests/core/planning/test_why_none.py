"""Why there is no plan: windows that conflict, and the least movement that opens one."""

from __future__ import annotations

import copy
import json
import random

import pytest
from hypothesis import HealthCheck, Phase, assume, given, settings

from support.plain_plans import Plain, document, engines
from zygometra.core.planning.plans import Planner, plans_of
from zygometra.exchange.build_file import build_from_text

DECK = {"max": 0.5, "tolerance": {"value": 0, "plus_minus": 0.015}}


def four(targets, levers, **more):
    return document(clearances=[0.30] * 4, chambers=[52.0] * 4, targets=targets, levers=levers, **more)


def answered(doc):
    return plans_of(build_from_text(json.dumps(doc))[1])


def opens(doc):
    """Whether any plan is there: asked of the programme alone, which is quicker than a whole search."""
    planner = Planner(build_from_text(json.dumps(doc))[1])
    return planner.conflict.plan() is not None


def relaxed(doc, relaxation):
    """The document with what is to be typed in typed in."""
    doc = copy.deepcopy(doc)

    def merge(into, new):
        for key, value in new.items():
            if isinstance(value, dict) and isinstance(into.get(key), dict):
                merge(into[key], value)
            else:
                into[key] = value

    merge(doc, relaxation)
    return doc


def nearer(doc, relaxation, part):
    """The relaxation with only a part of its movement; None for what is no single number."""
    out = copy.deepcopy(relaxation)
    node, old = out, doc
    while True:
        ((key, value),) = node.items()
        if not isinstance(value, dict):
            break
        node, old = value, (old or {}).get(key) or {}
    was = old.get(key)
    if isinstance(value, list) or was is None:
        return None
    numbers = [float(str(one).split()[0]) for one in (was, value)]
    moved = numbers[0] + part * (numbers[1] - numbers[0])
    node[key] = f"{moved} cc" if "cc" in str(value) else moved
    return out


def test_each_edge_of_a_gap_is_told_with_its_least_movement():
    """By hand: 1.60 over the rims; 0.5 off the deck leaves 1.10, so a ceiling of 1.05 is 0.05 short."""
    doc = four({"quench": {"min": 0.95, "max": 1.05}}, {"deck_cut": DECK})
    answer = answered(doc)
    assert answer.plans == ()
    told = {reason.edge: reason for reason in answer.none_because}
    assert told["quench.max"].by == pytest.approx(0.05, abs=3e-5)
    assert told["quench.max"].share == pytest.approx(0.5, abs=1e-3)
    assert told["quench.max"].typed["targets"]["quench"]["max"] == pytest.approx(1.10, abs=3e-5)
    assert told["deck_cut.max"].by == pytest.approx(0.05, abs=3e-5)
    # A gasket of 1.25 or less: 0.05 thinner than the one there.
    assert told["gasket"].by == pytest.approx(0.05, abs=3e-5)
    assert {reason.windows for reason in answer.none_because} == {("quench",)}
    shares = [reason.share for reason in answer.none_because]
    assert shares == sorted(shares)


def test_windows_that_conflict_are_named_and_none_too_many():
    doc = four(
        {
            "quench": {"min": 1.0, "max": 1.1},
            "compression_ratio": {"min": 9.5, "max": 9.7},
            "deck_clearance": {"min": -1},
        },
        {"deck_cut": DECK | {"max": 1.0}},
    )
    answer = answered(doc)
    assert answer.none_because[0].windows == ("compression_ratio", "quench")
    for window in answer.none_because[0].windows:
        without = copy.deepcopy(doc)
        del without["targets"][window]
        assert opens(without)


def test_no_floor_is_ever_relaxed():
    doc = four({"quench": {"max": 0.85}}, {"deck_cut": DECK | {"max": 2.0}})
    answer = answered(doc)
    assert answer.plans == ()
    for reason in answer.none_because:
        low = ((reason.typed or {}).get("targets") or {}).get("quench", {}).get("min", 1.0)
        assert low >= 0.889


def test_where_nothing_alone_opens_a_plan_the_common_share_does():
    doc = four(
        {
            "quench": {"min": 1.55, "max": 1.65},
            "compression_ratio": {"min": 10.2, "max": 10.3},
            "deck_clearance": {"min": 0.40, "max": 0.44},
        },
        {},
    )
    (only,) = answered(doc).none_because
    assert only.by is None
    if only.typed is not None:
        assert opens(relaxed(doc, only.typed))


@settings(
    max_examples=8,
    deadline=None,
    phases=(Phase.explicit, Phase.generate),
    suppress_health_check=list(HealthCheck),
)
@given(engines(1))
def test_what_is_typed_in_opens_a_plan_and_five_percent_less_does_not(doc):
    answer = answered(doc)
    assume(not answer.plans)
    plain, grid = Plain(doc, count=10), list(Plain(doc, count=10).grid(steps=3, crowns=5))
    some = random.Random(2).sample(grid, min(len(grid), 200))
    assert not any(plain.stated_inside(plan) for plan in some)
    for reason in answer.none_because[:4]:
        if reason.typed is None:
            continue
        assert opens(relaxed(doc, reason.typed)), reason
        less = nearer(doc, reason.typed, 0.95) if reason.by is not None and reason.by > 0.002 else None
        if less is not None:
            assert not opens(relaxed(doc, less)), reason
