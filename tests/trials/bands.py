"""Bands: whether 95 % of them hold what is true."""

from __future__ import annotations

import math
from functools import partial

from support.engines import engine, true_results
from trials.study import Share, Table, over_all, percent
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.stack.difference import difference
from zygometra.core.stack.evaluate import state_now
from zygometra.core.student import NORMAL
from zygometra.core.uncertainty import Cause

RESULTS = ("deck_clearance", "quench", "compression_ratio")
FIGURES = ("deck_clearance", "bore", "chamber_volume")
SHARED = (Cause.ZERO, Cause.ZERO_ROUNDING, Cause.GAUGE, Cause.TEMPERATURE, Cause.SHOT)
CASES = [
    (repeats, register, coarse, tipped)
    for coarse, tipped in ((False, False), (False, True), (True, False))
    for register in (0.7, 1.0, 1.3)
    for repeats in (2, 3, 5)
]


def one_engine(seed: int, case: tuple[int, float, bool, bool]) -> dict[str, tuple[bool, bool]]:
    """For one hole and one pair of an engine: whether each band holds the truth, with and without shared terms."""
    repeats, register, coarse, tipped = case
    made = engine(seed, register=register, coarse=coarse).read_all(FIGURES, repeats, tipped=tipped)
    state = state_now(read_measured(made.document))
    # One hole and one pair of each engine: its holes are no independent cases.
    first, second = made.holes[seed % 4], made.holes[(seed + 1 + seed // 4 % 3) % 4]
    one, other = state.hole(first), state.hole(second)
    true, true_other = true_results(made, first), true_results(made, second)
    held = {}
    for name in RESULTS:
        value, spread = getattr(one.outcome, name), getattr(one.outcome.doubts, name)
        apart = value - getattr(other.outcome, name)
        held[name] = (abs(value - true[name]) <= spread.half, abs(value - true[name]) <= _alone(one, name))
        off = abs(apart - (true[name] - true_other[name]))
        held[f"{name}, two holes"] = (
            off <= difference(one, other, name).half,
            off <= math.hypot(_as_own(one, name), _as_own(other, name)),
        )
    return held


def _alone(hole, name: str) -> float:
    """Half a band without what readings share: zero, gauge, temperature, shots."""
    own = [i for i in hole.outcome.contributions if i.term.cause not in SHARED]
    return NORMAL * math.sqrt(sum((hole.outcome.slope_on(i.slopes, name) * i.term.u) ** 2 for i in own))


def _as_own(hole, name: str) -> float:
    """Half a band of one hole in a difference, as if nothing were shared between the two."""
    return getattr(hole.outcome.doubts, name).half


def study(engines: int, seed: int = 1, cases=None) -> Table:
    """Draw so many engines for each case and count."""
    rows, fails = [], []
    for at, case in enumerate(cases or CASES):
        repeats, register, coarse, tipped = case
        seeds = range(seed * 10**7 + at * 10**5, seed * 10**7 + at * 10**5 + engines)
        done = over_all(partial(one_engine, case=case), seeds)
        label = f"{'coarse' if coarse else 'fine'}, {'tipped' if tipped else 'plain'}"
        for name in done[0]:
            whole = Share(sum(one[name][0] for one in done), len(done), 0.95)
            bare = Share(sum(one[name][1] for one in done), len(done), 0.95)
            # A coarse gauge, and pairs of a few readings, may hold more than they promise.
            good = whole.within(1, more=coarse)
            rows.append(
                (
                    label,
                    str(repeats),
                    f"{register:.1f}",
                    name,
                    percent(whole.share),
                    percent(bare.share),
                    "" if good else "✗",
                )
            )
            if not good:
                fails.append(
                    f"{label}, {repeats} repeats, register × {register}: {name} {percent(whole.share)}"
                )
    heads = ("gauges", "repeats", "register ×", "result", "held", "without what is shared", "")
    return Table("Bands of 95 %", heads, rows, fails)
