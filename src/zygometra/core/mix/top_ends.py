"""Gasket and head taken together: what closes a bottom end, laid in order so that it need not be tried.

To a crank, rod and piston whose clearance is settled, a gasket of one thickness and a
head are one volume. For each piston that rules set apart and each thickness these
volumes lie in order: what a ratio leaves of them is one run, found by bisection, and
how many recipes it holds is a difference of two numbers.
"""

from __future__ import annotations

import copy
import itertools
from collections.abc import Iterator
from typing import Literal

import numpy as np

from ..place import PartPlace
from ..stack.arithmetic import circle_area, clearance_volume_for
from ..windows import TOLERANCE, Window
from .joins import Join, gasket_volume
from .rules import judge_columns, names_asked
from .runs import HAIR, kept_rows, pieces, spread
from .shelf import Floats, Ints, Rows, alike

_TOP = {"gasket", "head"}


class TopEnds:
    """Every gasket with every head that goes on a piston, in order of piston, thickness and volume.

    ``thicknesses`` are those there are. Of each top end there are ``volume``, the places
    of its ``gasket`` and ``head`` among the candidates of the join, and ``key``, ``cost``
    and ``times`` as of :class:`~zygometra.core.mix.laid_out.Candidates`, the machining that
    the piston wants of them included. ``is_run`` is False where a rule between a top end
    and the rest, or what a recipe costs, must be asked recipe by recipe.
    """

    def __init__(self, join: Join, *, by_run: bool = True) -> None:
        laid_out = join.laid_out
        self.join, self.gaskets, self.heads = join, join.gaskets.taken, join.heads.taken
        rules = [rule for rule in laid_out.rules.rules if len(rule.kinds) > 1 and _TOP & set(rule.kinds)]
        self._rules = [rule for rule in rules if set(rule.kinds) <= _TOP | {"piston"}]
        self._across = [rule for rule in rules if rule not in self._rules]
        self.is_run = by_run and not self._across
        self.thicknesses, self._level = np.unique(join.gaskets.values, return_inverse=True)
        gasket = self.gaskets.rows
        self._gasket_volume = gasket_volume(
            laid_out.column("gasket.opening_area")[gasket],
            laid_out.column("gasket.bore")[gasket],
            join.gaskets.values,
        )
        self._of_piston = self._covers()

    def _covers(self) -> Ints:
        """Lay out the top ends for each piston that rules set apart; return which of them each piston has."""
        laid_out, rows = self.join.laid_out, self.join.pistons.taken.rows
        names = names_asked(self._rules, "piston")
        columns = [laid_out.column(f"piston.{name}")[rows] for name in names]
        first, of = alike([np.zeros(len(rows)), *columns])
        known: dict[bytes, int] = {}
        covers: list[Rows] = []
        cover_of = np.zeros(len(first), np.int64)
        for at, row in enumerate(first):
            ok, machining = self._judged(
                {name: float(column[row]) for name, column in zip(names, columns, strict=True)}
            )
            # Pistons on which the same goes, after the same machining, share one cover.
            seen = ok.tobytes() + machining.tobytes()
            if seen not in known:
                known[seen] = len(covers)
                covers.append(self._cover(ok, machining))
            cover_of[at] = known[seen]
        self._store(covers)
        of_piston = np.zeros(len(laid_out.shelf.tables["piston"]), np.int64)
        of_piston[rows] = cover_of[of]
        return of_piston

    def _judged(self, piston: dict[str, float]) -> tuple[np.ndarray, Ints]:
        """Which gaskets go with which heads on a piston, and what machining that costs."""
        laid_out = self.join.laid_out

        def look(place: str) -> Floats:
            kind, name = PartPlace.parse(place)
            if kind == "piston":
                return np.array([[piston[name]]])
            if kind == "gasket":
                return laid_out.column(place)[self.gaskets.rows][:, None]
            if kind == "head":
                return laid_out.column(place)[self.heads.rows][None, :]
            return laid_out.column(place)[None, :]

        ok = np.ones((len(self.gaskets.rows), len(self.heads.rows)), bool)
        machining = np.zeros(ok.shape, np.int64)
        for rule in self._rules:
            fits, band = judge_columns(rule, look, laid_out.question.allows, laid_out.number)
            ok &= fits
            machining += laid_out.band_costs(rule)[band]
        return ok, machining

    def _cover(self, ok: np.ndarray, machining: Ints) -> Rows:
        gasket, head = np.nonzero(ok)
        volume = self._gasket_volume[gasket] + self.join.heads.values[head]
        extra = machining[gasket, head]
        weighed = extra * (1 + self.join.laid_out.weight)
        order = np.lexsort((volume, self._level[gasket]))
        rows: Rows = {
            "level": self._level[gasket],
            "gasket": gasket,
            "head": head,
            "volume": volume,
            "key": self.gaskets.key[gasket] + self.heads.key[head] + weighed,
            "cost": self.gaskets.cost[gasket] + self.heads.cost[head] + extra,
            "times": self.gaskets.times[gasket] * self.heads.times[head],
        }
        return {name: column[order] for name, column in rows.items()}

    def _store(self, covers: list[Rows]) -> None:
        levels = len(self.thicknesses)
        ends = [np.searchsorted(cover["level"], np.arange(levels), "right") for cover in covers]
        sizes = np.array([len(cover["level"]) for cover in covers])
        begins = np.cumsum(sizes) - sizes
        self._end = np.concatenate([begin + end for begin, end in zip(begins, ends, strict=True)])
        self._start = np.concatenate(
            [np.concatenate([[begin], begin + end[:-1]]) for begin, end in zip(begins, ends, strict=True)]
        )
        whole = {name: np.concatenate([cover[name] for cover in covers]) for name in covers[0]}
        self.gasket, self.head, self.volume = whole["gasket"], whole["head"], whole["volume"]
        self.key, self.cost, self.times = whole["key"], whole["cost"], whole["times"]
        self.before = np.concatenate([[0], np.cumsum(self.times)])
        filled = self._start < self._end
        self._least_key = np.full(len(self._start), np.iinfo(np.int64).max // 4)
        if filled.any():
            self._least_key[filled] = np.minimum.reduceat(self.key, self._start[filled])
        # Of each cover whatever the thickness: the smallest and the largest.
        begins = self._start[::levels]
        held = sizes > 0
        self._smallest, self._largest = np.full(len(covers), np.inf), np.full(len(covers), -np.inf)
        if held.any():
            self._smallest[held] = np.minimum.reduceat(self.volume, begins[held])
            self._largest[held] = np.maximum.reduceat(self.volume, begins[held])

    def narrowed(self, join: Join) -> TopEnds:
        """Return the same for a join with narrower windows.

        Parameters
        ----------
        join : Join
            The search it narrows.
        """
        out = copy.copy(self)
        out.join = join
        return out

    # -- runs of them --------------------------------------------------------------

    def groups(self, rows: Rows) -> Ints:
        """Return which of the ordered groups of top ends is there for each row: by its piston and thickness.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        level = np.searchsorted(self.thicknesses, rows["thickness"])
        return self._of_piston[rows["piston"]] * len(self.thicknesses) + level

    def least_key(self, rows: Rows) -> Ints:
        """Return the least that any top end could add to what is to be least of each row.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        return self._least_key[self.groups(rows)]

    def could_close(self, rows: Rows) -> Rows:
        """Leave out rows of crank, rod and piston that no top end could bring inside the window of ratio (trade.md 13).

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        join = self.join
        window = join.left.filters.get("compression_ratio", Window())
        if not window.is_bounded:
            return rows
        cover, area = self._of_piston[rows["piston"]], circle_area(rows["bore"]) / 1000
        smallest, largest = join.volumes_between(rows)
        keep = np.ones(len(area), bool)
        if window.high is not None:
            least = clearance_volume_for(area * rows["shortest"], window.high + TOLERANCE)
            keep &= largest + self._largest[cover] >= least - HAIR
        if window.low is not None and window.low > 1:
            most = clearance_volume_for(area * rows["longest"], window.low - TOLERANCE)
            keep &= smallest + self._smallest[cover] <= most + HAIR
        return kept_rows(rows, keep)

    def places(self, groups: Ints, volumes: Floats, side: Literal["left", "right"]) -> Ints:
        """Return where volumes would stand in their groups: by bisection.

        Parameters
        ----------
        groups : array of int
            Group of each row; no unit.
        volumes : array of float
            In cc.
        side : {"left", "right"}
            On which side of equal ones to stand.
        """
        out = np.empty(len(groups), np.int64)
        order = np.argsort(groups.astype(np.int16 if len(self._start) < 2**15 else np.int64), kind="stable")
        ordered = groups[order]
        edges = np.flatnonzero(np.diff(ordered, prepend=-1, append=-1))
        for begin, end in itertools.pairwise(edges):
            at, group = order[begin:end], ordered[begin]
            start = self._start[group]
            out[at] = start + np.searchsorted(self.volume[start : self._end[group]], volumes[at], side)
        return out

    def runs(self, rows: Rows) -> tuple[Ints, Ints]:
        """Return start and count of the top ends that bring each row's ratio inside its window.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        least, most = self.join.volumes_left(rows)
        groups = self.groups(rows)
        start = self.places(groups, least, "left")
        return start, np.maximum(self.places(groups, most, "right") - start, 0)

    def number(self, rows: Rows) -> Ints:
        """Return how many recipes each row leads to.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        """
        start, count = self.runs(rows)
        if self.is_run:
            held: Ints = rows["times"] * (self.before[start + count] - self.before[start])
            return held
        out = np.zeros(len(start), np.int64)
        for found in self.recipes(rows | {"of": np.arange(len(start))}, start, count):
            np.add.at(out, found["of"], found["times"])
        return out

    def recipes(self, rows: Rows, start: Ints, count: Ints) -> Iterator[Rows]:
        """Yield whole recipes from rows with a thickness and a run of top ends each.

        Parameters
        ----------
        rows : Rows
            Columns of what was joined so far, one entry a row.
        start : array of int
            Where each run begins; no unit.
        count : array of int
            How many of each run; no unit.
        """
        every = np.arange(len(start))
        for piece in pieces(count):
            of, at = spread(start[piece], count[piece])
            parent = every[piece][of]
            found = {name: column[parent] for name, column in rows.items()}
            found |= {
                "gasket": self.gaskets.rows[self.gasket[at]],
                "head": self.heads.rows[self.head[at]],
                "key": found["key"] + self.key[at],
                "cost": found["cost"] + self.cost[at],
                "times": found["times"] * self.times[at],
                "volume": found["below"] + self.volume[at],
            }
            yield self.join.closed(self.join.ruled(found, self._across))
