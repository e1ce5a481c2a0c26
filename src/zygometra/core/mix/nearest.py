"""The recipes nearest a goal: no sum that a bound could leave out by, so windows draw in instead.

Every recipe found draws the windows in to where it lies, and what is gone through
after it is less and less. Thicknesses come in steps, so thousands may be equally near;
of those only the cheapest are made.
"""

from __future__ import annotations

import numpy as np

from ..stack.arithmetic import clearance_volume_for, ratio_of
from ..windows import TOLERANCE
from .cheapest import cheapest
from .counting import Told
from .exhaustive import ExhaustiveSearch
from .goals import Goal, evened, the_aims
from .laid_out import QueryTables
from .runs import kept_rows
from .search_result import SearchResult, in_order, joined
from .shelf import Floats, Ints, Rows

# How many pairs of crank and rod are looked at first, and by how many times more then.
_FIRST = 64
_MORE = 4
_MOST = 2_000


def nearest(
    laid_out: QueryTables, wanted: int, goal: Goal | None = None, *, told: Told | None = None
) -> SearchResult:
    """Return the recipes nearest a goal, ties to the cheaper.

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out for the question.
    wanted : int
        How many; no unit.
    goal : Goal, optional
        The question's aims where left out.
    told : callable, optional
        Is told now and then how much is done, from 0 to 1; may raise to end it.

    Returns
    -------
    SearchResult
        In order of the largest distance of any result, in steps of its window, with that
        as ``distance``; fewer where there are no more.
    """
    goal = goal or the_aims(laid_out.question)
    sweep = ExhaustiveSearch(laid_out, goal.windows, by_cost=goal.by_cost)
    reach, nearer = _reach(sweep, goal, wanted, told)
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
            rows["distance"] = goal.distance(laid_out, rows)
            return kept_rows(rows, rows["distance"] == reach)

        tied = cheapest(laid_out, goal.within(reach), wanted - number, at_the_edge, told=told)
    found = joined([rows for rows in (sweep.told_apart(nearer) if nearer else {}, tied) if rows])
    return in_order(found, found["distance"], wanted) if found else SearchResult((), {})


def _reach(sweep: ExhaustiveSearch, goal: Goal, wanted: int, told: Told | None) -> tuple[float, Rows]:
    """How near each of the bottom ends comes: the distance of the last that is wanted, and the recipes nearer than it.

    Each bottom end leads to one recipe at least, so as many as are wanted lie no
    further off than this; infinite where there are not so many.
    """
    order = np.random.default_rng(1).permutation(len(sweep))
    reach = np.inf
    pool: Rows = {}
    begin, size = 0, _FIRST
    if sweep.join.left.moves and len(sweep):
        # How near recipes come whose stroke waits for nothing says how far the others need be followed.
        reach = _first_reach(sweep.settled(), goal, wanted, order[:_FIRST])
    while begin < len(order) and reach > 0:
        if told is not None:
            told(begin / len(order))
        pairs = sweep.at(order[begin : begin + size])
        begin, size = begin + size, min(size * _MORE, _MOST)
        near = sweep.narrowed(goal.within(reach))
        for rows in near.rows(near.join.pairs_within(pairs)):
            rows["nearest"] = _nearest_of(near, goal, rows)
            rows = kept_rows(rows, rows["nearest"] < min(reach, np.finfo(float).max))
            if not len(rows["times"]):
                continue
            pool = joined([pool, rows]) if pool else rows
            reach = min(reach, _kth(pool["nearest"], pool["times"], wanted))
            pool = kept_rows(pool, pool["nearest"] < reach)
    pool.pop("nearest", None)
    return reach, _recipes(sweep, goal, pool, reach) if pool else {}


def _first_reach(sweep: ExhaustiveSearch, goal: Goal, wanted: int, order: Ints) -> float:
    """The distance within which as many as are wanted lie among the first pairs; infinite where there are too few."""
    nearest_of, times = [np.zeros(0)], [np.zeros(0, np.int64)]
    for rows in sweep.rows(sweep.at(order)):
        found = _nearest_of(sweep, goal, rows)
        near = np.isfinite(found)
        nearest_of.append(found[near])
        times.append(rows["times"][near])
    return _kth(np.concatenate(nearest_of), np.concatenate(times), wanted)


def _recipes(sweep: ExhaustiveSearch, goal: Goal, rows: Rows, reach: float) -> Rows:
    """All recipes of some bottom ends that are nearer than a distance."""
    near = sweep.narrowed(goal.within(reach))
    out = []
    for found in near.top_ends.recipes(rows, *near.top_ends.runs(rows)):
        found["distance"] = goal.distance(sweep.laid_out, found)
        found = kept_rows(found, found["distance"] < reach)
        if len(found["key"]):
            out.append(found)
    return joined(out)


def _nearest_of(sweep: ExhaustiveSearch, goal: Goal, rows: Rows) -> Floats:
    """How near each bottom end comes with the top end that suits it best; infinite where none closes it."""
    if not sweep.top_ends.is_run:
        return _one_by_one(sweep, goal, rows)
    waits = sweep.join.left.free(rows)
    if not waits.any():
        return _by_runs(sweep, goal, rows)
    # Where the stroke still moves with gasket and head, each of them is asked.
    out = np.empty(len(waits))
    for way, which in ((_one_by_one, waits), (_by_runs, ~waits)):
        out[which] = way(sweep, goal, {name: column[which] for name, column in rows.items()})
    return out


def _one_by_one(sweep: ExhaustiveSearch, goal: Goal, rows: Rows) -> Floats:
    """How near each bottom end comes, recipe by recipe."""
    tops = sweep.top_ends
    start, count = tops.runs(rows)
    out = np.full(len(start), np.inf)
    for found in tops.recipes(rows | {"of": np.arange(len(start))}, start, count):
        np.minimum.at(out, found["of"], goal.distance(sweep.laid_out, found))
    return out


def _by_runs(sweep: ExhaustiveSearch, goal: Goal, rows: Rows) -> Floats:
    """How near each bottom end comes: by what suits its ratio best in the run of its top ends."""
    laid_out, tops = sweep.laid_out, sweep.top_ends
    start, count = tops.runs(rows)
    out = np.full(len(start), np.inf)
    some = np.flatnonzero(count)
    rows = {name: column[some] for name, column in rows.items()}
    nearest_of = goal.distance(laid_out, rows, but_ratio=True)
    if "compression_ratio" in goal.between and len(some):
        groups, first, last = tops.groups(rows), start[some], start[some] + count[some] - 1
        off = np.full(len(some), np.inf)
        for edge in goal.between["compression_ratio"]:
            volume = clearance_volume_for(rows["swept"], max(edge, 1 + TOLERANCE)) - rows["below"]
            at: Ints = tops.places(groups, volume, "left")
            # The ratio falls as the volume grows: the nearest is one of the two that lie about the edge.
            for place in (at - 1, at):
                closed = rows["below"] + tops.volume[np.clip(place, first, last)]
                off = np.minimum(off, goal.off("compression_ratio", ratio_of(rows["swept"], closed)))
        nearest_of = np.maximum(nearest_of, evened(off))
    out[some] = nearest_of
    return out


def _kth(values: Floats, times: Ints, wanted: int) -> float:
    """The least value at or under which so many lie, each as often as it says; infinite where they are too few."""
    order = np.argsort(values)
    at = int(np.searchsorted(np.cumsum(times[order]), wanted))
    return float(values[order[at]]) if at < len(order) else np.inf
