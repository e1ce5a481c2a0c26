"""Going once through every bottom end of a question, with a gasket's thickness: none is made twice.

Where the bounds of the search are of no use (all recipes are to be counted, what is
wanted is no sum, or hardly anything is left) the bottom ends are gone through one and
all, those alike as one; the top ends that close each are a run that is not gone through.
"""

from __future__ import annotations

import copy
from collections.abc import Callable, Iterator, Mapping

import numpy as np

from ..place import PartPlace
from ..windows import Window
from .joins import Join
from .laid_out import QueryTables
from .parts import MAKING
from .runs import kept_rows, spread
from .search_result import joined, least
from .shelf import Floats, Ints, Rows, alike
from .top_ends import TopEnds

# Pairs of crank and rod that are gone through at a time; and first, where a few may do.
AT_A_TIME = 2000
_FIRST = 100
# Bottom ends that are closed at a time, those that promise most before the others.
_CLOSED_AT_A_TIME = 2000


class ExhaustiveSearch:
    """All bottom ends that could satisfy some windows, and the top ends that close them.

    ``pairs`` are rows of crank and rod; parts that nothing sets apart are one, which
    stands in ``times`` for so many. With ``by_cost`` cost sets them apart too.
    """

    def __init__(
        self, laid_out: QueryTables, filters: Mapping[str, Window], *, by_cost: bool = False
    ) -> None:
        cost = filters.get("cost", Window())
        self.laid_out = laid_out
        self.priced = by_cost or cost.low is not None or cost.high is not None
        self.alike = {kind: laid_out.alike(kind, with_cost=self.priced) for kind in MAKING}
        self.join = Join(laid_out, filters, None, {kind: one.candidates for kind, one in self.alike.items()})
        self.pairs: Rows = {}
        if all(len(one.candidates.rows) for one in self.alike.values()):
            self.pairs = joined([rows for rows in self.join.pairs() if len(rows["times"])])
        if self.pairs:
            self.top_ends = TopEnds(self.join, by_run=not self.priced)

    def __len__(self) -> int:
        return len(self.pairs["times"]) if self.pairs else 0

    def narrowed(self, filters: Mapping[str, Window]) -> ExhaustiveSearch:
        """Return the same with windows drawn in.

        Parameters
        ----------
        filters : Mapping
            Windows in place of the question's.
        """
        out = copy.copy(self)
        out.join = self.join.narrowed(filters)
        if self.pairs:
            out.top_ends = self.top_ends.narrowed(out.join)
            out.pairs = out.join.pairs_within(self.pairs)
        return out

    def settled(self) -> ExhaustiveSearch:
        """Return the same with every stroke where it was settled: real recipes, though not all of them."""
        out = copy.copy(self)
        out.join = self.join.settled()
        if self.pairs:
            out.top_ends = self.top_ends.narrowed(out.join)
        return out

    def merged(self) -> ExhaustiveSearch:
        """Return the same with pairs as one that are alike in all that is still asked of them: to count by."""
        if not self.pairs:
            return self
        laid_out, pairs = self.laid_out, self.pairs
        later = [rule for kind in ("piston", "gasket", "head") for rule in laid_out.by_row[kind]]
        places = sorted(
            {p for rule in later for p in rule.asked if PartPlace.parse(p).kind in ("crank", "rod")}
        )
        columns = [pairs[name] for name in ("shortest", "longest", "length")]
        columns += [
            np.isnan(pairs["shift"]),
            laid_out.floors(pairs["rod"]),
            laid_out.signature("rod", "piston").of_part[pairs["rod"]],
        ]
        columns += [laid_out.column(place)[pairs[PartPlace.parse(place).kind]] for place in places]
        if self.priced:
            columns.append(pairs["cost"])
        first, of = alike(columns)
        times = np.zeros(len(first), np.int64)
        np.add.at(times, of, pairs["times"])
        out = copy.copy(self)
        out.pairs = {name: column[first] for name, column in pairs.items()} | {"times": times}
        return out

    def at(self, places: Ints | slice) -> Rows:
        """Return some of the pairs.

        Parameters
        ----------
        places : array of int or slice
            Which pairs.
        """
        return {name: column[places] for name, column in self.pairs.items()}

    def rows(self, pairs: Rows) -> Iterator[Rows]:
        """Yield rows of crank, rod, piston and thickness, settled but for the top end, from some pairs.

        Parameters
        ----------
        pairs : Rows
            Columns of crank and rod.
        """
        for triples in self.join.triples(pairs):
            yield from self.join.at_thicknesses(self.top_ends.could_close(triples), self.top_ends.thicknesses)

    def numbers(self, pairs: Rows) -> Ints:
        """Return how many recipes each of some pairs leads to.

        Parameters
        ----------
        pairs : Rows
            Columns of crank and rod.
        """
        out = np.zeros(len(pairs["times"]), np.int64)
        for rows in self.rows(pairs | {"pair": np.arange(len(out))}):
            np.add.at(out, rows["pair"], self.top_ends.number(rows))
        return out

    def sets(self, pairs: Rows) -> Floats:
        """Return how many sets of crank, rod and piston some pairs could lead to, rules and gaskets not yet asked.

        Parameters
        ----------
        pairs : Rows
            Columns of crank and rod.
        """
        runs = self.join.piston_runs(pairs)
        pistons = np.concatenate([[0], np.cumsum(self.join.pistons.taken.times)])
        many = pistons[runs.start + runs.many] - pistons[runs.start]
        found: Floats = np.bincount(runs.of_row, weights=many, minlength=len(pairs["times"])).astype(float)
        return found * pairs["times"]

    def top_ends_in_all(self) -> int:
        """Return how many pairs of a gasket and a head there are at all; no unit."""
        return int(self.join.gaskets.taken.times.sum() * self.join.heads.taken.times.sum())

    def leads_anywhere(self) -> bool:
        """Tell whether there is any recipe: the first that turns up will do."""
        order = np.random.default_rng(1).permutation(len(self))
        begin, size = 0, _FIRST
        while begin < len(order):
            if self.numbers(self.at(order[begin : begin + size])).any():
                return True
            begin, size = begin + size, AT_A_TIME
        return False

    def cheapest(
        self,
        wanted: int,
        keep: Callable[[Rows], Rows] | None = None,
        *,
        told: Callable[[float], None] | None = None,
    ) -> Rows:
        """Return the recipes that come first by what is to be least, with all that tie with the last.

        Parameters
        ----------
        wanted : int
            How many; no unit.
        keep : callable, optional
            Leaves of some recipes those that count.
        told : callable, optional
            Is told now and then how much is done, from 0 to 1; may raise to end it.

        Returns
        -------
        dict
            Rows of recipes, told apart; fewer where there are no more.
        """
        kept: Rows = {}
        bound = np.inf
        for rows in self.all_rows(told):
            at_least = rows["key"] + self.top_ends.least_key(rows)
            order = np.argsort(at_least, kind="stable")
            for begin in range(0, len(order), _CLOSED_AT_A_TIME):
                some = order[begin : begin + _CLOSED_AT_A_TIME]
                if at_least[some[0]] > bound:
                    break
                part = {name: column[some] for name, column in rows.items()}
                for found in self.top_ends.recipes(part, *self.top_ends.runs(part)):
                    found = kept_rows(found, found["key"] <= bound)
                    found = found if keep is None else keep(found)
                    if len(found["key"]):
                        kept = joined([kept, found]) if kept else found
                        kept = least(kept, kept["key"], wanted)
                        if len(kept["key"]) >= wanted:
                            bound = kept["key"].max()
        return self.told_apart(kept, wanted) if kept else {}

    def all_rows(self, told: Callable[[float], None] | None = None) -> Iterator[Rows]:
        """Yield all rows of crank, rod, piston and thickness; row numbers without a unit.

        Parameters
        ----------
        told : callable, optional
            Is told the share done, from 0 to 1.
        """
        for begin in range(0, len(self), AT_A_TIME):
            if told is not None:
                told(begin / len(self))
            yield from self.rows(self.at(slice(begin, begin + AT_A_TIME)))

    def told_apart(self, rows: Rows, wanted: int | None = None) -> Rows:
        """Return recipes for rows that stand for several alike: the same but for the parts and what those cost.

        With ``wanted``, those that come first by what is to be least, ties with the last
        of them included.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        wanted : int, optional
            How many are wanted at most; no unit.
        """
        if wanted is None or int(rows["times"].sum()) <= wanted:
            return self._opened(rows, np.inf)
        # Each stands for one at its own key at least, so no more than this is ever needed.
        keys = rows["key"]
        spare = max(int(np.ptp(keys)), 1)
        while True:
            found = self._opened(rows, keys.min() + spare)
            if len(found["key"]) >= wanted:
                return least(found, found["key"], wanted)
            spare *= 2

    def _opened(self, rows: Rows, bound: float) -> Rows:
        for kind in MAKING:
            group, taken = self.alike[kind], self.laid_out.candidates[kind]
            place = group.place(rows[kind])
            of, at = spread(group.start[place], group.count[place])
            member, standing = group.members[at], group.candidates
            rows = {name: column[of] for name, column in rows.items()}
            rows |= {
                kind: taken.rows[member],
                "key": rows["key"] + taken.key[member] - standing.key[place[of]],
                "cost": rows["cost"] + taken.cost[member] - standing.cost[place[of]],
            }
            rows = kept_rows(rows, rows["key"] <= bound)
        return rows
