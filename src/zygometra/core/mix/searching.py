"""The best recipes by the shop's priority, exactly, and some from all over the field, without forming the product."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .cheapest import cheapest
from .counting import Told
from .joins import Join, Runs
from .laid_out import QueryTables
from .nearest import nearest
from .parts import MAKING
from .search_result import SearchResult, in_order, joined
from .shelf import Rows


def best(laid_out: QueryTables, most: int | None = None, *, told: Told | None = None) -> SearchResult:
    """Return the best recipes by the question's priority.

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out for the question.
    most : int, optional
        How many; the question's own number where left out; no unit.
    told : callable, optional
        Is told now and then how much is done, from 0 to 1; may raise to end it.

    Returns
    -------
    SearchResult
        In order; fewer where there are no more.

    Notes
    -----
    Ties go to what is cheaper, then to what stands first on the shelf.
    """
    wanted = laid_out.question.best if most is None else most
    if any(not len(laid_out.candidates[kind].rows) for kind in MAKING):
        return SearchResult((), {})
    if laid_out.question.priority == "nearest":
        return nearest(laid_out, wanted, told=told)
    rows = cheapest(laid_out, laid_out.question.windows, wanted, told=told)
    return in_order(rows, rows["key"], wanted) if rows else SearchResult((), {})


# -- the whole field ----------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class RandomSample:
    """Some recipes from all over the field, in and around the windows; of how many sets of crank, rod and piston.

    Where only some sets were drawn their number is an estimate and not ``exact``.
    """

    found: SearchResult
    sets: int
    exact: bool


def survey(laid_out: QueryTables, most: int, seed: int = 1) -> RandomSample:
    """Return one recipe each of some sets of crank, rod and piston, drawn evenly.

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out, with windows as wide as the field is to be seen.
    most : int
        How many sets are drawn; no unit.
    seed : int
        Of the draw; no unit.

    Returns
    -------
    RandomSample
        For each set the recipe with what is to be least, and how many sets there are.
    """
    join = Join(laid_out, laid_out.question.windows, None)
    pairs = joined([rows for rows in join.pairs() if len(rows["key"])])
    triples, sets, exact = (
        _drawn_sets(join, pairs, most, np.random.default_rng(seed)) if pairs else ({}, 0, True)
    )
    if not triples:
        return RandomSample(SearchResult((), {}), 0, exact=True)
    triples["set"] = np.arange(len(triples["key"]))
    kept: list[Rows] = []
    for stacks in join.stacks(triples):
        for rows in join.recipes(_one_each(stacks)):
            kept.append(_one_each(rows))
    if not kept:
        return RandomSample(SearchResult((), {}), sets, exact)
    rows = _one_each(joined(kept))
    return RandomSample(in_order(rows, rows["key"], most), sets, exact)


# Of more pairs of crank and rod than this only so many are looked at, and of more sets
# only so many times what is wanted are made: some fall to a rule.
_MOST_PAIRS = 20_000
_MOST_SETS = 20_000
_DRAWN = 3


def _drawn_sets(join: Join, pairs: Rows, most: int, rng: np.random.Generator) -> tuple[Rows, int, bool]:
    """Sets of crank, rod and piston, drawn evenly; how many there are, and whether that is exact."""
    share = 1.0
    if len(pairs["key"]) > _MOST_PAIRS:
        drawn = np.sort(rng.choice(len(pairs["key"]), _MOST_PAIRS, replace=False))
        share = _MOST_PAIRS / len(pairs["key"])
        pairs = {name: column[drawn] for name, column in pairs.items()}
    runs = join.piston_runs(pairs)
    total = int(runs.many.sum())
    if total > max(_MOST_SETS, _DRAWN * most):
        places = np.sort(rng.choice(total, _DRAWN * most, replace=False, shuffle=False))
        ends = np.cumsum(runs.many)
        run = np.searchsorted(ends, places, "right")
        start = runs.start[run] + places - (ends - runs.many)[run]
        runs = Runs(runs.of_row[run], runs.pair[run], start, np.ones(len(run), np.int64))
        share *= _DRAWN * most / total
    triples = joined([rows for rows in join.with_pistons(pairs, runs) if len(rows["key"])])
    if not triples:
        return {}, 0, share == 1.0
    found = len(triples["key"])
    if found > most:
        drawn = np.sort(rng.choice(found, most, replace=False))
        triples = {name: column[drawn] for name, column in triples.items()}
    return triples, round(found / share), share == 1.0


def _one_each(rows: Rows) -> Rows:
    """Of the rows of each set the one with what is to be least."""
    order = np.lexsort((rows["key"], rows["set"]))
    of = rows["set"][order]
    first = np.ones(len(of), bool)
    first[1:] = of[1:] != of[:-1]
    return {name: column[order[first]] for name, column in rows.items()}
