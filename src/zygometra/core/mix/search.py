"""The best recipes and how many there are, exactly, without forming the product.

What is to be least is a sum over parts and machining, so a bound on it leaves few parts
of each kind. The bound rises from the least it could be until enough recipes lie under
it: then none that was left out can be better. Nearness to the aims is no sum; there the
windows draw in around the aims and open until enough recipes lie inside.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from ..build import Window
from .bench import Alike, Bench, Candidates
from .joins import Join, kept_rows
from .judge import Recipe
from .parts import MAKING
from .question import WANTED, Question
from .shelf import Floats, Ints, Rows

# Named results as the joins call them.
COLUMN = {
    "deck_clearance": "clearance", "quench": "quench", "compression_ratio": "ratio", "rod_ratio": "rod_ratio",
    "piston_speed": "speed",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Found:
    """Recipes in order, and the columns they came with."""

    recipes: tuple[Recipe, ...]
    rows: Rows

    def column(self, key: str, bench: Bench) -> Floats:
        """Return a result by the key of its window."""
        return result_column(self.rows, key, bench)


@dataclass(frozen=True, slots=True)
class Count:
    """How many recipes there are: exactly, or as an estimate with its standard error."""

    recipes: float
    error: float
    exact: bool


def result_column(rows: Rows, key: str, bench: Bench) -> Floats:
    """Return a result of many rows by the key of its window; cost in the shop's money."""
    if key == "cost":
        return rows["cost"] / 100
    if key == "displacement":
        return rows["swept"] * bench.block.cylinders
    return np.asarray(rows[COLUMN[key]], float)


def best(bench: Bench, most: int | None = None) -> Found:
    """Return the best recipes by the question's priority.

    Parameters
    ----------
    bench : Bench
        The shelf laid out for the question.
    most : int, optional
        How many; the question's own number where left out.

    Returns
    -------
    Found
        In order; fewer where there are no more.

    Notes
    -----
    Ties go to what is cheaper, then to what stands first on the shelf.
    """
    wanted = bench.question.best if most is None else most
    if any(not len(bench.candidates[kind].rows) for kind in MAKING):
        return Found((), {})
    if bench.question.priority == "nearest":
        return _nearest(bench, wanted)
    rows = _cheapest(bench, bench.question.windows, wanted)
    return _in_order(rows, rows["key"], wanted) if rows else Found((), {})


def _cheapest(bench: Bench, filters: Mapping[str, Window], wanted: int) -> Rows:
    """The rows that come first by what is to be least, with all that tie with the last."""
    least = sum(int(bench.candidates[kind].key.min()) for kind in MAKING)
    spread_of = sum(int(bench.candidates[kind].key.max()) for kind in MAKING) - least
    spare = max(_first_spare(bench), 1)
    if math.prod(len(bench.candidates[kind].rows) for kind in MAKING) <= _FEW:
        return _gather(Join(bench, filters, None), wanted)
    # Machining that a pair of parts wants adds what neither's own key shows: past the
    # spread of the parts there is no bound but none at all.
    while spare < 4 * spread_of:
        rows = _gather(Join(bench, filters, least + spare), wanted)
        if len(rows.get("key", ())) >= wanted:
            return rows
        spare *= 2
    return _gather(Join(bench, filters, None), wanted)


# So few recipes could there be that one look at all is quicker than several at some.
_FEW = 2_000_000


def _first_spare(bench: Bench) -> int:
    """A first guess of how far over the least: what leaves some dozen parts of each kind."""
    spares = []
    for kind in MAKING:
        keys = bench.candidates[kind].key
        at = min(12, len(keys) - 1)
        spares.append(int(np.partition(keys, at)[at] - keys.min()))
    return int(np.median(spares))


def _gather(join: Join, most: int) -> Rows:
    """The rows of a join that come first by what is to be least, with all that tie with the last."""
    kept: Rows = {}
    for rows in _all(join):
        if not len(rows["key"]):
            continue
        kept = rows if not kept else {name: np.concatenate([kept[name], rows[name]]) for name in kept}
        if len(kept["key"]) > 4 * most + 1000:
            kept = _least(kept, kept["key"], most)
    return _least(kept, kept["key"], most) if kept else kept


def _all(join: Join) -> Iterator[Rows]:
    for pairs in join.pairs():
        for triples in join.triples(pairs):
            for stacks in join.stacks(triples):
                yield from join.recipes(stacks)


def _least(rows: Rows, by: Floats, most: int) -> Rows:
    """The rows that come first, all of those that tie with the last included."""
    if len(by) <= most:
        return rows
    edge = np.partition(by, most - 1)[most - 1]
    keep = by <= edge
    return {name: column[keep] for name, column in rows.items()}


def _in_order(rows: Rows, by: Floats, most: int) -> Found:
    keys = [rows[kind] for kind in reversed(MAKING)]
    order = np.lexsort((*keys, rows["cost"], by))[:most]
    rows = {name: column[order] for name, column in rows.items()}
    recipes = zip(*(rows[kind].tolist() for kind in MAKING), strict=True)
    return Found(tuple(recipes), rows)


# -- nearest the aims ------------------------------------------------------------


def _distance(bench: Bench, rows: Rows) -> Floats:
    """The largest distance of any result from its aim, in steps of its window."""
    question = bench.question
    out = np.zeros(len(rows["key"]))
    for wanted in WANTED:
        aim = question.aim(wanted.key)
        if aim is not None:
            off = np.abs(result_column(rows, wanted.key, bench) - aim) / question.scale(wanted.key)
            # A result that meets its aim but for the last digits of a float meets it.
            out = np.maximum(out, np.round(off, 9))
    return out


def drawn_in(question: Question, steps: float) -> dict[str, Window]:
    """Return the windows drawn in to some steps around their aims, never wider than they are."""
    out = {}
    for wanted in WANTED:
        window, aim = question.window(wanted.key), question.aim(wanted.key)
        if aim is None:
            out[wanted.key] = window
            continue
        reach = max(steps, 0.0) * question.scale(wanted.key) * (1 + 1e-9) + 1e-9
        low = aim - reach if window.low is None else max(window.low, aim - reach)
        high = aim + reach if window.high is None else min(window.high, aim + reach)
        out[wanted.key] = Window(low, aim, high)
    return out


def _nearest(bench: Bench, wanted: int) -> Found:
    """The nearest, ties to the cheaper: first how near the last of them is, then which they are.

    Thicknesses come in steps, so thousands of recipes may be equally near; of those only
    the cheapest are made.
    """
    priced = not bench.question.window("cost").is_open
    alike = {kind: bench.alike(kind, priced) for kind in MAKING}
    standing = {kind: one.candidates for kind, one in alike.items()}
    reach = _reach(bench, standing, wanted)
    windows = drawn_in(bench.question, reach)
    nearer = _nearer_than(bench, alike, reach - _EVEN)
    tied = _cheapest(bench, windows, wanted + len(nearer.get("key", ())))
    if tied:
        tied["distance"] = _distance(bench, tied)
        tied = kept_rows(tied, tied["distance"] >= reach - _EVEN)
    rows = (
        {name: np.concatenate([nearer[name], tied[name]]) for name in tied}
        if nearer and tied
        else nearer or tied
    )
    if not rows:
        return Found((), {})
    even = np.round(rows["distance"] / _EVEN / 10) * _EVEN * 10
    return _in_order(rows, np.asarray(even, float), wanted)


def _nearer_than(bench: Bench, alike: Mapping[str, Alike], reach: float) -> Rows:
    """All recipes that lie nearer than a distance; there are fewer than were wanted."""
    standing = {kind: one.candidates for kind, one in alike.items()}
    join = Join(bench, drawn_in(bench.question, reach), None, standing)
    kept: list[Rows] = []
    for rows in _all(join):
        if len(rows["key"]):
            rows["distance"] = _distance(bench, rows)
            kept.append(kept_rows(rows, rows["distance"] < reach))
    found = {name: np.concatenate([rows[name] for rows in kept]) for name in kept[0]} if kept else {}
    return _told_apart(bench, alike, found) if len(found.get("key", ())) else {}


def _told_apart(bench: Bench, alike: Mapping[str, Alike], rows: Rows) -> Rows:
    """Recipes for rows that stand for several alike: the same but for the parts and what those cost."""
    groups = [alike[kind].members for kind in MAKING]
    own = [{int(row): at for at, row in enumerate(bench.candidates[kind].rows)} for kind in MAKING]
    of_row: list[int] = []
    chosen: list[tuple[int, ...]] = []
    for i in range(len(rows["key"])):
        members = [group[int(rows[kind][i])].tolist() for group, kind in zip(groups, MAKING, strict=True)]
        for combination in itertools.product(*members):
            of_row.append(i)
            chosen.append(combination)
    out = {name: column[of_row] for name, column in rows.items()}
    for place, kind in enumerate(MAKING):
        taken = bench.candidates[kind]
        now = np.array([combination[place] for combination in chosen])
        before = np.array([own[place][int(row)] for row in out[kind]])
        out["key"] = out["key"] + taken.key[now] - taken.key[before]
        out["cost"] = out["cost"] + taken.cost[now] - taken.cost[before]
        out[kind] = taken.rows[now]
    return out


def _reach(bench: Bench, alike: Mapping[str, Candidates], wanted: int) -> float:
    """Within how many steps of the aims the wanted number of recipes lies, the last of them at the edge."""
    enough = 40 * wanted + 2000
    reach = 1 / 256
    while reach < 4096:
        found = _some(Join(bench, drawn_in(bench.question, reach), None, alike), enough)
        if len(found) >= wanted:
            break
        reach *= 4
    else:
        return reach
    # The number found is enough; draw in until what is nearer would be too few.
    while True:
        edge = float(np.partition(found, wanted - 1)[wanted - 1])
        if edge <= _EVEN:
            return 0.0
        windows = drawn_in(bench.question, edge - _EVEN)
        found = _some(Join(bench, windows, None, alike), enough, edge - _EVEN)
        if len(found) < wanted:
            return edge


# Distances closer than this are even: what is left between them is the last digits of floats.
_EVEN = 1e-7


def _some(join: Join, enough: int, below: float = math.inf) -> Floats:
    """The distances under a bound of the recipes of a join: all, or as soon as there are enough."""
    out: list[Floats] = []
    total = 0
    for rows in _all(join):
        if len(rows["key"]):
            found = _distance(join.bench, rows)
            near = found < below
            out.append(np.repeat(found[near], np.minimum(rows["times"][near], enough)))
            total += len(out[-1])
            if total >= enough:
                break
    return np.concatenate(out) if out else np.zeros(0)


# -- the whole field ----------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Survey:
    """Some recipes from all over the field, in and around the windows; of how many sets of crank, rod and piston."""

    found: Found
    sets: int


def survey(bench: Bench, most: int, seed: int = 1) -> Survey:
    """Return one recipe each of some sets of crank, rod and piston, drawn evenly.

    Parameters
    ----------
    bench : Bench
        The shelf laid out, with windows as wide as the field is to be seen.
    most : int
        How many sets are drawn.
    seed : int
        Of the draw.

    Returns
    -------
    Survey
        For each set the recipe with what is to be least, and how many sets there are.
    """
    join = Join(bench, bench.question.windows, None)
    pieces = [t for pairs in join.pairs() for t in join.triples(pairs) if len(t["key"])]
    if not pieces:
        return Survey(Found((), {}), 0)
    triples = {name: np.concatenate([rows[name] for rows in pieces]) for name in pieces[0]}
    sets = len(triples["key"])
    if sets > most:
        drawn = np.sort(np.random.default_rng(seed).choice(sets, most, replace=False))
        triples = {name: column[drawn] for name, column in triples.items()}
    triples["set"] = np.arange(len(triples["key"]))
    kept: list[Rows] = []
    for stacks in join.stacks(triples):
        for rows in join.recipes(_one_each(stacks)):
            kept.append(_one_each(rows))
    if not kept:
        return Survey(Found((), {}), sets)
    rows = _one_each({name: np.concatenate([piece[name] for piece in kept]) for name in kept[0]})
    return Survey(_in_order(rows, rows["key"], most), sets)


def _one_each(rows: Rows) -> Rows:
    """Of the rows of each set the one with what is to be least."""
    order = np.lexsort((rows["key"], rows["set"]))
    of = rows["set"][order]
    first = np.ones(len(of), bool)
    first[1:] = of[1:] != of[:-1]
    return {name: column[order[first]] for name, column in rows.items()}


# -- how many ---------------------------------------------------------------------


def _counting(bench: Bench, filters: Mapping[str, Window] | None) -> Join:
    windows = bench.question.windows if filters is None else filters
    cost = windows.get("cost", Window())
    priced = cost.low is not None or cost.high is not None
    return Join(bench, windows, None, {kind: bench.alike(kind, priced).candidates for kind in MAKING})


def count(
    bench: Bench, filters: Mapping[str, Window] | None = None, *, most_sets: int | None = None
) -> Count | None:
    """Count the recipes, every one.

    Parameters
    ----------
    bench : Bench
        The shelf laid out for the question.
    filters : Mapping, optional
        Windows in place of the question's.
    most_sets : int, optional
        How many sets of crank, rod and piston (those that nothing sets apart are one)
        may be followed up at the most.

    Returns
    -------
    Count or None
        Exact; None where there are more sets than may be followed up.

    Notes
    -----
    Parts that nothing sets apart are counted together, and heads by runs.
    """
    join = _counting(bench, filters)
    total = sets = 0
    for pairs in join.pairs():
        for triples in join.triples(pairs):
            sets += len(triples["key"])
            if most_sets is not None and sets > most_sets:
                return None
            total += int(join.number(triples).sum())
    return Count(total, 0.0, True)


def estimate(
    bench: Bench, filters: Mapping[str, Window] | None = None, *, sample: int = 200, seed: int = 1
) -> Count:
    """Estimate how many recipes there are from some of their pairs of crank and rod.

    Parameters
    ----------
    bench : Bench
        The shelf laid out for the question.
    filters : Mapping, optional
        Windows in place of the question's.
    sample : int
        How many pairs are followed up.
    seed : int
        Of the draw.

    Returns
    -------
    Count
        Exact where all were followed up. Else from a draw with chances in proportion to
        how many parts alike a pair stands for: W·mean(n/w), with the standard error
        W·s/√m.
    """
    join = _counting(bench, filters)
    pieces = [pairs for pairs in join.pairs() if len(pairs["key"])]
    if not pieces:
        return Count(0.0, 0.0, True)
    pairs = {name: np.concatenate([rows[name] for rows in pieces]) for name in pieces[0]}
    if len(pairs["key"]) <= sample:
        return Count(int(_number(join, pairs).sum()), 0.0, True)
    weights = pairs["times"].astype(float)
    total = weights.sum()
    drawn = np.random.default_rng(seed).choice(len(weights), sample, p=weights / total)
    found = _number(join, {name: column[drawn] for name, column in pairs.items()}) / weights[drawn]
    return Count(float(total * found.mean()), float(total * found.std(ddof=1) / math.sqrt(sample)), False)


def _number(join: Join, pairs: Rows) -> Ints:
    """How many recipes each row of crank and rod leads to."""
    out = np.zeros(len(pairs["key"]), np.int64)
    for triples in join.triples(pairs | {"pair": np.arange(len(out))}):
        np.add.at(out, triples["pair"], join.number(triples))
    return out
