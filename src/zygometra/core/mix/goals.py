"""What recipes are to come near: the aims of a question, or a window that they miss."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from ..windows import OPEN, Window
from .laid_out import QueryTables
from .question import WANTED, MixQuestion
from .search_result import result_column
from .shelf import Floats, Rows

# A ten-thousandth of a step tells nobody one recipe from another.
EVEN = 1e-4
_BIN = (3 - math.sqrt(5)) / 2


@dataclass(frozen=True, slots=True)
class Goal:
    """From where to where results are as near as can be, and the windows outside which nothing counts.

    ``between`` has for each result that matters two edges, the same where one figure is
    aimed at; distances from them are in steps of the question's own windows.
    """

    question: MixQuestion
    between: Mapping[str, tuple[float, float]]
    windows: Mapping[str, Window]

    @property
    def by_cost(self) -> bool:
        """Whether cost is among what matters."""
        return "cost" in self.between

    def off(self, key: str, values: Floats) -> Floats:
        """Return how far values of a result are from its edges, in steps (trade.md 13).

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        values : array of float
            Of the result, in its own unit.
        """
        low, high = self.between[key]
        return np.maximum(np.maximum(low - values, values - high), 0.0) / self.question.scale(key)

    def distance(self, laid_out: QueryTables, rows: Rows, *, but_ratio: bool = False) -> Floats:
        """Return the largest distance of any result, in steps.

        Parameters
        ----------
        laid_out : QueryTables
            With the question.
        rows : dict
            Recipes; where the ratio is left out, rows without a head.
        but_ratio : bool
            Leave out the ratio, and the cost that is not known before there is a head.

        Returns
        -------
        array of float
            In whole multiples of :data:`EVEN`: what lies closer together is even, and the
            cheaper comes first.
        """
        out = np.zeros(len(rows["key"]))
        for key in self.between:
            if not (but_ratio and key in ("compression_ratio", "cost")):
                out = np.maximum(out, self.off(key, result_column(rows, key, laid_out)))
        return evened(out)

    def within(self, steps: float) -> dict[str, Window]:
        """Return the windows drawn in to some steps around what is to be come near, never wider than they are.

        See trade.md 13.

        Parameters
        ----------
        steps : float
            How many of the steps by which misses are compared; no unit.
        """
        out = dict(self.windows)
        if math.isinf(steps):
            return out
        for key, (low, high) in self.between.items():
            window, reach = out.get(key, OPEN), (steps + EVEN) * self.question.scale(key)
            lowest = low - reach if window.low is None else max(window.low, low - reach)
            highest = high + reach if window.high is None else min(window.high, high + reach)
            out[key] = Window(
                None if math.isinf(lowest) else lowest, window.aim, None if math.isinf(highest) else highest
            )
        return out


def evened(steps: Floats) -> Floats:
    """Return distances with those of one bin even; the bins begin at no round number, where results lie (trade.md 13).

    Parameters
    ----------
    steps : array of float
        Misses counted in steps; no unit.
    """
    return np.floor(steps / EVEN + _BIN) * EVEN


def the_aims(question: MixQuestion) -> Goal:
    """Return the goal of coming near all that a question aims at.

    Parameters
    ----------
    question : MixQuestion
        What is asked.
    """
    aims = {w.key: aim for w in WANTED if (aim := question.aim(w.key)) is not None}
    return Goal(question, {key: (aim, aim) for key, aim in aims.items()}, question.windows)


def the_window(question: MixQuestion, key: str) -> Goal:
    """Return the goal of coming near one window, inside all the others.

    Parameters
    ----------
    question : MixQuestion
        What is asked.
    key : str
        Name of a result, such as ``quench``.
    """
    window = question.window(key)
    edges = (
        -math.inf if window.low is None else window.low,
        math.inf if window.high is None else window.high,
    )
    return Goal(question, {key: edges}, {k: w for k, w in question.windows.items() if k != key})
