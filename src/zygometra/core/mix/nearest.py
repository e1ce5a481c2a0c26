"""The recipes nearest the aims: no sum that a bound could leave out by, so windows draw in instead.

Every recipe found draws the windows in to where it lies, and what is gone through
after it is less and less. Thicknesses come in steps, so thousands may be equally near;
of those only the cheapest are made.
"""

from __future__ import annotations

import math

import numpy as np

from ..build import Window
from .bench import Bench
from .cheapest import cheapest
from .found import Found, in_order, joined, result_column
from .question import WANTED, Question
from .runs import kept_rows
from .shelf import Floats, Ints, Rows
from .sweep import Sweep

# A ten-thousandth of a step tells nobody one recipe from another.
EVEN = 1e-4
_BIN = (3 - math.sqrt(5)) / 2
# How many pairs of crank and rod are looked at first, and by how many times more then.
_FIRST = 64
_MORE = 4
_MOST = 2_000


def nearest(bench: Bench, wanted: int) -> Found:
    """Return the recipes nearest the aims, ties to the cheaper.

    Parameters
    ----------
    bench : Bench
        The shelf laid out for the question.
    wanted : int
        How many.

    Returns
    -------
    Found
        In order of the largest distance of any result from its aim, in steps of its
        window; fewer where there are no more.
    """
    sweep = Sweep(bench, bench.question.windows, by_cost=bench.question.aim("cost") is not None)
    reach, nearer = _reach(sweep, wanted)
    number = int(nearer["times"].sum()) if nearer else 0
    if number >= wanted:
        # Nearer than any other bottom end comes, and enough of them: the last may be nearer still.
        reach = _kth(nearer["distance"], nearer["times"], wanted)
        tied = kept_rows(nearer, nearer["distance"] == reach)
        nearer = kept_rows(nearer, nearer["distance"] < reach)
        tied = sweep.told_apart(tied, wanted - int(nearer["times"].sum()))
    elif np.isinf(reach):
        tied = {}
    else:

        def at_the_edge(rows: Rows) -> Rows:
            rows["distance"] = distance(bench, rows)
            return kept_rows(rows, rows["distance"] == reach)

        tied = cheapest(bench, drawn_in(bench.question, reach), wanted - number, at_the_edge)
    found = joined([rows for rows in (sweep.told_apart(nearer) if nearer else {}, tied) if rows])
    return in_order(found, found["distance"], wanted) if found else Found((), {})


def distance(bench: Bench, rows: Rows, *, but_ratio: bool = False) -> Floats:
    """Return the largest distance of any result from its aim, in steps of its window.

    Parameters
    ----------
    bench : Bench
        With the question.
    rows : dict
        Recipes; where the ratio is left out, rows without a head.
    but_ratio : bool
        Leave the ratio out.

    Returns
    -------
    array of float
        In whole multiples of :data:`EVEN`: what lies closer together is even, and the
        cheaper comes first.
    """
    question = bench.question
    out = np.zeros(len(rows["key"]))
    for wanted in WANTED:
        aim = question.aim(wanted.key)
        if aim is not None and not (but_ratio and wanted.key in ("compression_ratio", "cost")):
            off = np.abs(result_column(rows, wanted.key, bench) - aim) / question.scale(wanted.key)
            out = np.maximum(out, off)
    return evened(out)


def evened(steps: Floats) -> Floats:
    """Return distances with those of one bin even; the bins begin at no round number, where results lie."""
    return np.floor(steps / EVEN + _BIN) * EVEN


def drawn_in(question: Question, steps: float) -> dict[str, Window]:
    """Return the windows drawn in to some steps around their aims, never wider than they are."""
    out = {}
    for wanted in WANTED:
        window, aim = question.window(wanted.key), question.aim(wanted.key)
        if aim is None or np.isinf(steps):
            out[wanted.key] = window
            continue
        reach = (max(steps, 0.0) + EVEN) * question.scale(wanted.key)
        low = aim - reach if window.low is None else max(window.low, aim - reach)
        high = aim + reach if window.high is None else min(window.high, aim + reach)
        out[wanted.key] = Window(low, aim, high)
    return out


def _reach(sweep: Sweep, wanted: int) -> tuple[float, Rows]:
    """How near each of the bottom ends comes: the distance of the last that is wanted, and the recipes nearer than it.

    Each bottom end leads to one recipe at least, so as many as are wanted lie no
    further off than this; infinite where there are not so many.
    """
    order = np.random.default_rng(1).permutation(len(sweep))
    reach = np.inf
    pool: Rows = {}
    begin, size = 0, _FIRST
    while begin < len(order) and reach > 0:
        pairs = sweep.at(order[begin : begin + size])
        begin, size = begin + size, min(size * _MORE, _MOST)
        near = sweep.narrowed(drawn_in(sweep.bench.question, reach))
        for rows in near.rows(near.join.pairs_within(pairs)):
            rows["nearest"] = _nearest_of(near, rows)
            rows = kept_rows(rows, rows["nearest"] < min(reach, np.finfo(float).max))
            if not len(rows["times"]):
                continue
            pool = joined([pool, rows]) if pool else rows
            reach = min(reach, _kth(pool["nearest"], pool["times"], wanted))
            pool = kept_rows(pool, pool["nearest"] < reach)
    pool.pop("nearest", None)
    return reach, _recipes(sweep, pool, reach) if pool else {}


def _recipes(sweep: Sweep, rows: Rows, reach: float) -> Rows:
    """All recipes of some bottom ends that are nearer than a distance."""
    near = sweep.narrowed(drawn_in(sweep.bench.question, reach))
    out = []
    for found in near.top_ends.recipes(rows, *near.top_ends.runs(rows)):
        found["distance"] = distance(sweep.bench, found)
        found = kept_rows(found, found["distance"] < reach)
        if len(found["key"]):
            out.append(found)
    return joined(out)


def _nearest_of(sweep: Sweep, rows: Rows) -> Floats:
    """How near each bottom end comes with the top end that suits it best; infinite where none closes it."""
    bench, tops = sweep.bench, sweep.top_ends
    start, count = tops.runs(rows)
    out = np.full(len(start), np.inf)
    if not tops.is_run:
        for found in tops.recipes(rows | {"of": np.arange(len(start))}, start, count):
            np.minimum.at(out, found["of"], distance(bench, found))
        return out
    some = np.flatnonzero(count)
    rows = {name: column[some] for name, column in rows.items()}
    nearest_of = distance(bench, rows, but_ratio=True)
    aim = bench.question.aim("compression_ratio")
    if aim is not None and len(some):
        first, last = start[some], start[some] + count[some] - 1
        volume = rows["swept"] / (max(aim, 1 + 1e-9) - 1) - rows["below"]
        at: Ints = tops.places(tops.groups(rows), volume, "left")
        off = np.full(len(some), np.inf)
        # The ratio falls as the volume grows: the nearest is one of the two that lie about what is aimed at.
        for place in (at - 1, at):
            closed = rows["below"] + tops.volume[np.clip(place, first, last)]
            ratio = (rows["swept"] + closed) / closed
            off = np.minimum(off, np.abs(ratio - aim) / bench.question.scale("compression_ratio"))
        nearest_of = np.maximum(nearest_of, evened(off))
    out[some] = nearest_of
    return out


def _kth(values: Floats, times: Ints, wanted: int) -> float:
    """The least value at or under which so many lie, each as often as it says; infinite where they are too few."""
    order = np.argsort(values)
    at = int(np.searchsorted(np.cumsum(times[order]), wanted))
    return float(values[order[at]]) if at < len(order) else np.inf
