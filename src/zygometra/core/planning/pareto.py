"""Plans that are worth keeping: what covers what, and what is worse than another in everything."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..build.means import Planning
from .quasi_random import Table

# The last bits of a sum.
_HAIR = 1e-9


class Objectives(NamedTuple):
    """What plans are weighed by: money, metal in cc, days, and the chance that all of it comes out right."""

    cost: float
    metal: float
    days: float
    chance: float


def epsilon_dominates(one: Objectives, other: Objectives, apart: Planning, share: float = 1.0) -> bool:
    """Tell whether one plan is as good as another, but for so little that both need not be shown (trade.md 11).

    Parameters
    ----------
    one, other : Objectives
        Two plans.
    apart : Planning
        How far they must lie apart in money, metal and chance.
    share : float
        Of that distance; no unit.

    Examples
    --------
    >>> epsilon_dominates(Objectives(105, 3, 2, 0.9), Objectives(100, 0, 2, 0.91), Planning())
    True
    >>> epsilon_dominates(Objectives(100, 0, 3, 0.9), Objectives(100, 0, 2, 0.9), Planning())
    False
    """
    return (
        one.cost <= other.cost + share * apart.apart.cost + _HAIR
        and one.metal <= other.metal + share * apart.apart.metal_cc + _HAIR
        and one.days <= other.days + _HAIR
        and one.chance >= other.chance - share * apart.apart.yield_ - _HAIR
    )


def dominates(one: Objectives, other: Objectives) -> bool:
    """Tell whether one plan is as good as another in everything and better in something (trade.md 11).

    Parameters
    ----------
    one, other : Objectives
        Two plans.

    Examples
    --------
    >>> dominates(Objectives(100, 3, 2, 0.9), Objectives(101, 3, 2, 0.9))
    True
    >>> dominates(Objectives(1, 1, 1, 0.5), Objectives(1, 1, 1, 0.5))
    False
    """
    pairs = (
        (one.cost, other.cost),
        (one.metal, other.metal),
        (one.days, other.days),
        (-one.chance, -other.chance),
    )
    return all(a <= b for a, b in pairs) and any(a < b for a, b in pairs)


Flags = NDArray[np.bool_]


class ParetoArchive:
    """The plans found so far, by what they are weighed by.

    Parameters
    ----------
    apart : Planning
        How far plans must lie apart.
    share : float
        Of that distance which the search itself may use; the rest is left for the steps of its
        ladders; no unit.
    """

    def __init__(self, apart: Planning, share: float) -> None:
        self._apart = apart
        self._share = share
        # A row for each plan that is kept; what is good is little in every column.
        self._good: Table = np.empty((0, 4))
        self._table: Table = np.empty((0, 4))

    def add(self, worth: Objectives) -> None:
        """Keep one plan (trade.md 11).

        Parameters
        ----------
        worth : Objectives
            Of the plan.
        """
        # What covers all that another covers stands for it.
        one = np.array([worth.cost, worth.metal, worth.days, -worth.chance])
        if (self._good <= one).all(axis=1).any():
            return
        stays = ~(one <= self._good).all(axis=1)
        self._good = np.vstack([self._good[stays], one])
        apart, share = self._apart, self._share
        self._table = self._good * [1, 1, 1, -1] + [
            -share * apart.apart.cost - _HAIR,
            -share * apart.apart.metal_cc - _HAIR,
            -_HAIR,
            share * apart.apart.yield_ + _HAIR,
        ]

    def dominated(
        self, cost: Table, metal: Table, days: Table, chance: Table
    ) -> np.ndarray[tuple[int], np.dtype[np.bool_]]:
        """Return which of many plans are covered by one that is kept.

        Parameters
        ----------
        cost, metal, days, chance : array
            An entry for each plan: money, cc, days, a share of 1. Lower bounds of the first three and
            an upper bound of the last do as well.

        Returns
        -------
        array of bool
            True where a kept plan covers it.
        """
        if not len(self._good):
            return np.zeros(len(cost), dtype=bool)
        costs, metals, leads, chances = self._table.T[:, :, None]
        return np.asarray(
            ((costs <= cost) & (metals <= metal) & (leads <= days) & (chances >= chance)).any(axis=0)
        )

    def dominated_by(self, worth: Objectives, cost: Table, metal: Table, days: Table, chance: Table) -> Flags:
        """Return which of many plans are covered by one; see :meth:`dominated` (trade.md 11).

        Parameters
        ----------
        worth : Objectives
            Of that one.
        cost, metal, days, chance : array
            An entry for each plan: money, cc, days, a share of 1.
        """
        apart, share = self._apart, self._share
        return np.asarray(
            (worth.cost <= cost + share * apart.apart.cost + _HAIR)
            & (worth.metal <= metal + share * apart.apart.metal_cc + _HAIR)
            & (worth.days <= days + _HAIR)
            & (worth.chance >= chance - share * apart.apart.yield_ - _HAIR)
        )

    def dominates(self, worth: Objectives) -> bool:
        """Tell whether a plan, or a bound of many, is covered (trade.md 11).

        Parameters
        ----------
        worth : Objectives
            Of the plan.
        """
        if not len(self._good):
            return False
        low, most = self._table[:, :3], self._table[:, 3]
        return bool(((low <= worth[:3]).all(axis=1) & (most >= worth.chance)).any())


def pareto_front(worths: list[Objectives], apart: Planning, share: float) -> list[int]:
    """Return which plans to show: none beaten by another, none that the others cover (trade.md 11).

    Parameters
    ----------
    worths : list of Objectives
        Best first: of two that cover one another the earlier stays.
    apart : Planning
        How far plans must lie apart.
    share : float
        Of that distance within which one stands for another; no unit.

    Returns
    -------
    list of int
        Their places, in the same order.
    """
    if not worths:
        return []
    # What is good is little in every column.
    table = np.array(worths) * [1, 1, 1, -1]
    as_good = (table[:, None, :] <= table[None, :, :]).all(axis=2)
    beaten = (as_good & ~as_good.T).any(axis=0)
    off = np.array([apart.apart.cost, apart.apart.metal_cc, 0.0, apart.apart.yield_]) * share + _HAIR
    covering = np.asarray((table[:, None, :] <= table[None, :, :] + off).all(axis=2))
    kept: list[int] = []
    for i in np.nonzero(~beaten)[0].tolist():
        if not covering[kept, i].any():
            kept.append(i)
    return kept
