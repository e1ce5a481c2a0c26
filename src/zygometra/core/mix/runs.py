"""Runs: what a window leaves of parts that lie in order, found by bisection, a run at a time."""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from .candidates import Candidates
from .laid_out import QueryTables
from .shelf import Bools, Floats, Ints, Rows

# By so much in mm (or cc) the edges of a run are wider than the window: results are judged on their own.
HAIR = 1e-6
# So many rows are made at a time: enough to pay, and few enough to stay near at hand.
MOST_ROWS = 250_000


def spread(start: Ints, count: Ints) -> tuple[Ints, Ints]:
    """Return, for runs of ``count`` places from ``start``, each place and the run it is of.

    Parameters
    ----------
    start : array of int
        Where each run begins; no unit.
    count : array of int
        How many of each run; no unit.
    """
    total = int(count.sum())
    of = np.repeat(np.arange(len(count)), count)
    ends = np.cumsum(count)
    return of, np.arange(total) - np.repeat(ends - count, count) + np.repeat(start, count)


def pieces(count: Ints) -> Iterator[slice]:
    """Cut parents into pieces that have no more than so many children together.

    Parameters
    ----------
    count : array of int
        How many of each run; no unit.
    """
    if not len(count):
        return
    ends = np.cumsum(count)
    begin = 0
    while begin < len(count):
        before = int(ends[begin - 1]) if begin else 0
        end = max(int(np.searchsorted(ends, before + MOST_ROWS, "right")), begin + 1)
        yield slice(begin, end)
        begin = end


def united(runs: list[tuple[Ints, Ints]]) -> tuple[Ints, Ints, Ints]:
    """Return, for some runs of places each of many may have, which it is of, start and count; no place twice.

    Parameters
    ----------
    runs : list of (array, array)
        Start and count of each; no unit.
    """
    if len(runs) < 2:
        start, count = runs[0] if runs else (np.zeros(0, np.int64), np.zeros(0, np.int64))
        return np.arange(len(start)), start, count
    starts = np.stack([start for start, _ in runs])
    ends = starts + np.stack([count for _, count in runs])
    order = np.argsort(starts, axis=0)
    starts, ends = np.take_along_axis(starts, order, 0), np.take_along_axis(ends, order, 0)
    starts[1:] = np.maximum(starts[1:], np.maximum.accumulate(ends, axis=0)[:-1])
    at, of = np.nonzero(ends > starts)
    return of, starts[at, of], (ends - starts)[at, of]


class Hull:
    """The least band that holds all the bands it was given."""

    def __init__(self) -> None:
        self.low, self.high = math.inf, -math.inf

    @property
    def is_filled(self) -> bool:
        """Whether it was given any band."""
        return self.low <= self.high + HAIR

    def take(self, low: float, high: float) -> None:
        """Widen to hold a band more.

        Parameters
        ----------
        low : float
            Lower edge, in the unit of what is ordered.
        high : float
            Upper edge, in the unit of what is ordered.
        """
        self.low, self.high = min(self.low, low), max(self.high, high)

    def holds(self, value: float) -> bool:
        """Tell whether a value lies within.

        Parameters
        ----------
        value : float
            In the unit of what is ordered.
        """
        return self.low - HAIR <= value <= self.high + HAIR


class Ordered:
    """Candidates of a kind in order of class and of one figure: a run of it is found by bisection."""

    def __init__(self, laid_out: QueryTables, kind: str, taken: Candidates, figure: str | None) -> None:
        first = {"rod": "crank", "piston": "rod", "gasket": "piston", "head": "piston"}[kind]
        of_class = laid_out.signature(kind, first).of_part[taken.rows]
        values = laid_out.counted(f"{kind}.{figure}")[taken.rows] if figure else np.zeros(len(taken.rows))
        order = np.lexsort((values, of_class))
        self.taken = taken.taken(order)
        self.values = values[order]
        classes = of_class[order]
        # One number a candidate, rising with class and then figure, so that one bisection finds both.
        self._levels = np.unique(values)
        self._step = len(self._levels) + 2
        self._places = classes * self._step + 1 + np.searchsorted(self._levels, self.values)

    def runs(self, classes: Ints, low: Floats | float, high: Floats | float) -> tuple[Ints, Ints]:
        """Return start and count of the candidates of each class between two figures, edges included (trade.md 13).

        Parameters
        ----------
        classes : array of int
            Class of each row; no unit.
        low : array or float
            Lower edges, in the unit of what is ordered.
        high : array or float
            Upper edges, in the unit of what is ordered.
        """
        bottom = classes * self._step + 1 + np.searchsorted(self._levels, low, "left")
        top = classes * self._step + 1 + np.searchsorted(self._levels, high, "right")
        start = np.searchsorted(self._places, bottom, "left")
        end = np.searchsorted(self._places, top, "left")
        return start, np.maximum(end - start, 0)


def kept_rows(rows: Rows, keep: Bools) -> Rows:
    """Return the rows that are kept.

    Parameters
    ----------
    rows : Rows
        Columns of what was joined so far, one entry a row.
    keep : array of bool
        Which to keep.
    """
    if keep.all():
        return dict(rows)
    return {name: column[keep] for name, column in rows.items()}
