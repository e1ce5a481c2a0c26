"""What a bank's ladder is laid out in: rows, points on them, and what each of them takes.

Lengths in mm, volumes in cc.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .distinct import Flags
from .quasi_random import Table


class LowerBound(NamedTuple):
    """The least that a bank costs in money and metal, and the most that it can yield, a share of 1."""

    cost: float
    metal: float
    chance: float


# Least and most of something in each draw, for each point.
Ends = NDArray[np.float32]


class DrawnCandidates(NamedTuple):
    """Points of one bank, an entry each: which gasket (−1: the one there), the cuts, what they take, the draws."""

    gasket: NDArray[np.int64]
    first: Table
    last: Table
    head: Table
    opened: Table
    cost: Table
    metal: Table
    kinds: NDArray[np.int64]
    ok: Flags
    # Ratio and quench, least and most of the bank, for the spreads between holes: as stated, and in each draw
    # where other banks must be near.
    ratio: Table
    gap: Table
    ratio_drawn: Ends
    gap_drawn: Ends

    def take(self, which: NDArray[np.int64] | Flags) -> DrawnCandidates:
        """Return some of the points.

        Parameters
        ----------
        which : array
            Their places, or a flag for each; no unit.
        """
        return DrawnCandidates._make(column[which] for column in self)

    @property
    def size(self) -> int:
        """How many there are."""
        return len(self.cost)

    @property
    def bound(self) -> LowerBound:
        """The least that they take, and the most that they yield."""
        return LowerBound(float(self.cost.min()), float(self.metal.min()), float(self.ok.mean(axis=1).max()))


# What a point does, as bits: they tell which set-ups and days a plan takes.
DECK, HEAD, OPEN, GASKET = 1, 2, 4, 8


class Configurations(NamedTuple):
    """A crown cut with a pattern and a gasket, an entry each; extremes as stated.

    ``at`` tells which crown cut; ``least`` and ``most`` gap without a listed gasket, ``low`` and ``high`` room to
    the volume's edges, ``up`` and ``down`` the least and most clearance; all in mm.
    """

    at: NDArray[np.int64]
    gasket: NDArray[np.int64]
    pattern: NDArray[np.int64]
    thickness: Table
    volume: Table
    price: Table
    least: Table
    most: Table
    low: Table
    high: Table
    up: Table
    down: Table
    wedge: Table
    opened: Table

    @property
    def size(self) -> int:
        """How many there are."""
        return len(self.price)

    @property
    def extremes(self) -> tuple[Table, ...]:
        """What :meth:`~.chances.Chances.rooms` asks for."""
        return self.least, self.most, self.low, self.high, self.up, self.down

    def take(self, which: Flags) -> Configurations:
        """Return some of them.

        Parameters
        ----------
        which : array
            Their places, or a flag for each; no unit.
        """
        return Configurations._make(column[which] for column in self)


class DeckRanges(NamedTuple):
    """Rows with deck cuts from ``bottom`` to ``top`` in mm: the least they take, the most that they can yield."""

    row: NDArray[np.int64]
    bottom: Table
    top: Table
    cost: Table
    metal: Table
    kinds: NDArray[np.int64]
    chance: Table

    def take(self, which: Flags) -> DeckRanges:
        """Return some of them.

        Parameters
        ----------
        which : array
            Their places, or a flag for each; no unit.
        """
        return DeckRanges._make(column[which] for column in self)


class WindowBound(NamedTuple):
    """An edge of a window: whether a deck cut nears it, and which of a row's extremes meets it."""

    window: str
    lower: bool
    of: int


class CutAmounts(NamedTuple):
    """Points, an entry each: the row, mean deck cut, head cut in mm, what every chamber is opened more in cc."""

    row: NDArray[np.int64]
    deck: Table
    cuts: Table
    more: Table

    def take(self, which: NDArray[np.int64] | Flags) -> CutAmounts:
        """Return some of them.

        Parameters
        ----------
        which : array
            Their places, or a flag for each; no unit.
        """
        return CutAmounts._make(column[which] for column in self)


class UndrawnCandidates(NamedTuple):
    """Points of one bank at one crown cut before they are drawn; ``likely`` stands in for their yield."""

    rows: Configurations
    many: CutAmounts
    cost: Table
    metal: Table
    kinds: NDArray[np.int64]
    likely: Table
    ratio: Table
    gap: Table

    def take(self, which: NDArray[np.int64] | Flags) -> UndrawnCandidates:
        """Return some of the points.

        Parameters
        ----------
        which : array
            Their places, or a flag for each; no unit.
        """
        return UndrawnCandidates._make(
            [self.rows, self.many.take(which), *(column[which] for column in self[2:])]
        )


class CrownWork(NamedTuple):
    """What is done to the crowns: so many mm come off, so many cc are sunk into them."""

    crown: float = 0.0
    bowl: float = 0.0
