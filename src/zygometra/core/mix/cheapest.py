"""The recipes with the least of what is to be least: a sum over parts and machining.

A bound on the sum leaves few parts of each kind. It rises from the least it could be
until enough recipes lie under it: then none that was left out can be better. Where
hardly anything satisfies the windows, everything is gone through once instead.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping

import numpy as np

from ..windows import Window
from .counting import Told, estimate
from .exhaustive import ExhaustiveSearch
from .joins import Join
from .laid_out import QueryTables
from .parts import MAKING
from .search_result import first, joined
from .shelf import Rows

Keep = Callable[[Rows], Rows]


def cheapest(
    laid_out: QueryTables,
    filters: Mapping[str, Window],
    wanted: int,
    keep: Keep | None = None,
    *,
    told: Told | None = None,
) -> Rows:
    """Return the recipes that come first by what is to be least (trade.md 13).

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out for the question.
    filters : Mapping
        The windows they must lie in.
    wanted : int
        How many; no unit.
    keep : callable, optional
        Leaves of some rows of recipes those that count.
    told : callable, optional
        Is told now and then how much is done, from 0 to 1; may raise to end it.

    Returns
    -------
    dict
        Rows of recipes in no order, ties among them perhaps; fewer where there are no more.
    """
    if math.prod(len(laid_out.candidates[kind].rows) for kind in MAKING) <= _FEW:
        return _gather(Join(laid_out, filters, None), wanted, keep) or {}
    lowest = sum(int(laid_out.candidates[kind].key.min()) for kind in MAKING)
    highest = sum(int(laid_out.candidates[kind].key.max()) for kind in MAKING)
    spare, budget, in_vain = max(_first_spare(laid_out), 1), _MANY, 0
    # Machining that two parts want adds what neither's own key shows: so the factor.
    while spare < 4 * (highest - lowest):
        if told is not None:
            told(0.0)
        rows = _gather(Join(laid_out, filters, lowest + spare), wanted, keep, budget)
        if rows is None:
            if estimate(laid_out, filters).recipes < _PLENTY * wanted:
                break
            budget = None
        elif len(rows.get("key", ())) >= wanted:
            return rows
        else:
            spare *= 2
            in_vain += not rows
            if in_vain == _IN_VAIN and not estimate(laid_out, filters).recipes:
                break
    # Hardly anything satisfies the windows: better to go through everything once.
    return ExhaustiveSearch(laid_out, filters).cheapest(wanted, keep, told=told)


# Where so many rows were made and did not do, it is asked how many recipes there are;
# where there are so many times what is wanted, a bound finds them soon.
_MANY: int | None = 300_000
_PLENTY = 1000
# Where nothing at all lay under so many bounds, it is asked whether there is likely to be anything.
_IN_VAIN = 3
# So few recipes could there be that one look at all is quicker than several at some.
_FEW = 2_000_000


def _first_spare(laid_out: QueryTables) -> int:
    """A first guess of how far over the least: what leaves some dozen parts of each kind."""
    spares = []
    for kind in MAKING:
        keys = laid_out.candidates[kind].key
        at = min(12, len(keys) - 1)
        spares.append(int(np.partition(keys, at)[at] - keys.min()))
    return int(np.median(spares))


def _gather(join: Join, wanted: int, keep: Keep | None, budget: int | None = None) -> Rows | None:
    """The rows of a join that come first by what is to be least.

    None where the join makes more rows than the budget.
    """
    kept: Rows = {}
    made = 0
    for pairs in _some_cranks(join):
        for triples in join.triples(pairs):
            for stacks in join.stacks(triples):
                for rows in join.recipes(stacks):
                    made += len(stacks["key"]) + len(rows["key"])
                    if budget is not None and made > budget:
                        return None
                    rows = rows if keep is None else keep(rows)
                    if not len(rows["key"]):
                        continue
                    kept = joined([kept, rows]) if kept else rows
                    if len(kept["key"]) > 4 * wanted + 1000:
                        kept = first(kept, kept["key"], wanted)
        if kept and np.count_nonzero(kept["key"] <= join.lowest) >= wanted:
            # None can be lower, and those of later cranks stand further on on the shelf.
            break
    return first(kept, kept["key"], wanted) if kept else kept


def _some_cranks(join: Join) -> Iterator[Rows]:
    """The pairs of crank and rod in the order of their cranks: of one crank, then of more and more."""
    pairs = joined([rows for rows in join.pairs() if len(rows["key"])])
    if not pairs:
        return
    cranks = np.append(np.flatnonzero(np.diff(pairs["crank"], prepend=-1)), len(pairs["crank"]))
    begin, size = 0, 1 if len(pairs["crank"]) > _WORTH else len(cranks)
    while begin < len(cranks) - 1:
        end = min(begin + size, len(cranks) - 1)
        yield {name: column[cranks[begin] : cranks[end]] for name, column in pairs.items()}
        begin, size = end, size * 8


# So many pairs of crank and rod are worth looking at a few cranks first.
_WORTH = 200
