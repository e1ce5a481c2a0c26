"""Ten vee eights planned, beside every point of their ladders drawn, and one mixed-integer solve. Printed."""

from __future__ import annotations

import json
import statistics
import time

import numpy as np
import pytest

from support.timing import WHOLE
from support.vee_eights import vee_eight
from zygometra.core.planning.cut_bank import MilledVolume
from zygometra.core.planning.decisions import DecisionSpace
from zygometra.core.planning.plans import Planner
from zygometra.core.planning.search import Search, SearchNode
from zygometra.exchange.build_file import build_from_text

pytestmark = pytest.mark.timing
# Of the jobs of an exhaustive search so many are timed.
SAMPLED = 12 if WHOLE else 1


def planner_of(seed: int, *, head: bool) -> Planner:
    return Planner(build_from_text(json.dumps(vee_eight(seed, head=head)))[1])


def timed(planner: Planner) -> tuple[float, float, float, int]:
    """Seconds until plans stand, until their results stand, until their policies do; how many there are."""
    start = time.perf_counter()
    plans = planner.plans()
    found = time.perf_counter()
    assert plans
    assert all(plan.result.holes for plan in plans)
    stated = time.perf_counter()
    assert all(plan.policy is None or plan.policy.chance >= 0 for plan in plans)
    return found - start, stated - start, time.perf_counter() - start, len(plans)


def exhaustive(planner: Planner) -> tuple[float, int]:
    """Seconds that every pair of points of every ladder would take, from a sample of jobs; and how many pairs."""
    search = Search(planner.build, planner.rules, planner.fixed)
    jobs = [
        SearchNode(fitting, faced) for fitting in search.space.fittings for faced in search._faced(fitting)
    ]
    sample = [jobs[i] for i in np.random.default_rng(1).permutation(len(jobs))]
    took, pairs, tried = 0.0, 0, 0
    for job in sample:
        start = time.perf_counter()
        missed = search._missed(job.faced)
        banks = []
        for ladder in search._ladders(job.fitting):
            points = ladder.undrawn(job.faced, lambda cost, *rest: np.ones(len(cost), dtype=bool), every=True)
            banks.append(None if points is None else ladder.drawn(points, *missed).ok.astype(np.float32))
        one, other = banks
        if one is not None and other is not None:
            for block in range(0, len(one), 512):
                (one[block : block + 512] @ other.T).max()
            pairs += len(one) * len(other)
        took += time.perf_counter() - start
        tried += 1
        if tried >= SAMPLED and pairs:
            break
    return took * len(jobs) / tried, pairs * len(jobs) // tried


def nominal_grid(planner: Planner) -> tuple[float, int]:
    """Seconds for every step of every lever on stated values in NumPy, from a sample; and how many points there are."""
    stated, wanted, space = planner.stated, planner.wanted, DecisionSpace(planner.build, planner.rules)
    crowns = np.arange(0.0, 0.601, 0.01)
    pistons = [(), *((part.part,) for part in planner.build.levers.parts)]
    every = [(parts, crown) for parts in pistons for crown in crowns]
    some = np.random.default_rng(1).permutation(len(every))[: 60 if WHOLE else 10]
    took, points = 0.0, 0
    milled = {
        bank.bank.name: np.zeros(1)
        if bank.head is None
        else MilledVolume.of(stated, (), columns=bank.columns, deepest=bank.head.high).volume(
            steps(bank.head)
        )
        for bank in space.banks
    }
    for at in some:
        parts, crown = every[at]
        base = stated.base(parts)
        start = time.perf_counter()
        for bank in space.banks:
            deck, opened = steps(bank.deck), steps(bank.opening)[:, None]
            sizes = [(g.thickness.value, g.bore.value) for _, g in bank.gaskets if g is not None]
            thick = np.array([base.gasket[0, bank.columns.start], *(t for t, _ in sizes)])
            held = np.array(
                [base.gasket_volume[0, bank.columns.start], *(np.pi / 4000 * g * g * t for t, g in sizes)]
            )
            ok = np.ones(1, dtype=bool)
            for hole in range(bank.columns.start, bank.columns.stop):
                clearance = base.clearance[0, hole] + crown - deck
                gap = (clearance + thick[:, None])[:, :, None, None]
                room = base.closed[0, hole] + base.area[0, hole] * clearance / 1000
                volume = room[:, None, None] + held[:, None, None, None] + opened - milled[bank.bank.name]
                ratio = 1 + base.swept[0, hole] / volume
                ok = ok & (gap >= wanted.gap.low) & (gap <= wanted.gap.high)
                ok = ok & (ratio >= wanted.ratio.low) & (ratio <= wanted.ratio.high)
            points += ok.size
        took += time.perf_counter() - start
    return took * len(every) / len(some), points * len(every) // len(some)


def steps(move) -> np.ndarray:
    """Every step of a lever, from none to its most."""
    return np.arange(0.0, move.high + move.step / 2, move.step)


@pytest.mark.parametrize("head", [False, True], ids=["as asked", "with head cuts too"])
def test_ten_vee_eights(*, head: bool) -> None:
    planner_of(0, head=head).plans()
    rows = [timed(planner_of(seed, head=head)) for seed in range(10 if WHOLE else 1)]
    found, stated, all_of, plans = (list(column) for column in zip(*rows, strict=True))
    print(f"\nten vee eights, twelve gaskets a bank, thirty pistons: {min(plans)} to {max(plans)} plans each")
    for name, column in (("plans", found), ("with results", stated), ("with policies", all_of)):
        print(f"  {name}: median {statistics.median(column):.2f} s, worst {max(column):.2f} s")
    grid, points = nominal_grid(planner_of(0, head=head))
    print(
        f"  every step of every lever on stated values, {points / 1e6:,.0f} million points: {grid:.1f} s,"
        f" {grid / statistics.median(found):.1f} times the plans with their yields"
    )
    if head:
        # Every lever: there the search must be worth having. Without heads see decision 23.
        assert grid > 8 * statistics.median(found)
        return
    seconds, pairs = exhaustive(planner_of(0, head=False))
    start = time.perf_counter()
    assert planner_of(0, head=False).conflict.plan() is not None
    solved = time.perf_counter() - start
    print(
        f"  every pair of points of one of them, {pairs / 1e6:.0f} million, on as many draws: {seconds:.0f} s"
    )
    print(f"  one mixed-integer solve of one of them, stated values only: {solved:.2f} s")
