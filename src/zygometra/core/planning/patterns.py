"""One bank with its parts and levers, and the patterns of cuts that level it: what no crown cut changes.

Tables have a row for each hole and a column for each draw. Lengths in mm, volumes in cc.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..build.model import Bank, Gasket
from .cut_bank import MilledVolume, UncutBank
from .moves import Move
from .quasi_random import Table
from .results import PlanTargets


class ExtremesMoved(NamedTuple):
    """How the extremes of patterns lie in the draws: by how much their mean is off what is stated, and their spread.

    A row for each pattern with a gasket that is listed, then with the one there: twice its place and one.
    """

    off: Table
    spread: Table


@dataclass
class BankMoves:
    """What may be done to a bank: its levers, and the gaskets with their place among those listed."""

    bank: Bank
    columns: slice
    deck: Move | None
    head: Move | None
    opening: Move | None
    gaskets: list[tuple[int, Gasket | None]]
    # Lowest cost and metal a step of a ladder may not exceed.
    cost_step: float = math.inf
    metal_step: float = math.inf
    # What may be sunk into the crowns at the most, in cc.
    bowl: float = 0.0
    # A levelling cut that was fixed by hand.
    ends: tuple[float, float] | None = None
    # Whether other banks must have the same gasket, and whether there are any.
    one_gasket: bool = False
    others: bool = False
    shifts: dict[tuple[int, int], tuple[Table, Table]] = field(default_factory=dict)
    listed: list[Table] = field(default_factory=list)
    missed: dict[str, Table] = field(default_factory=dict)
    opened: dict[bytes, Table] = field(default_factory=dict)
    moved: dict[tuple[float, ...], ExtremesMoved] = field(default_factory=dict)
    laid: dict[tuple[int, int], list[NDArray[Any]]] = field(default_factory=dict)
    patterns: dict[tuple[float, ...], list[CutPattern]] = field(default_factory=dict)
    wander: list[tuple[float, float]] = field(default_factory=list)


class CutPattern(NamedTuple):
    """A levelling with a pattern of openings: last end less first in mm, cc by hole."""

    wedge: float
    opened: Table


@dataclass
class FittedBank:
    """One bank with parts fitted: what is the same however far the crowns are cut.

    Parameters
    ----------
    moves : BankMoves
        The bank's levers.
    wanted : PlanTargets
        The windows.
    stated, drawn : UncutBank
        The bank as it is stated and as it is drawn.
    taken : MilledVolume or None
        What milling takes.
    """

    moves: BankMoves
    wanted: PlanTargets
    stated: UncutBank
    drawn: UncutBank
    taken: MilledVolume | None

    @property
    def is_known(self) -> bool:
        """Whether every figure is known that decides where the holes stand, whatever gasket lies between."""
        return not bool(np.isnan(self.stated.clearance + self.stated.closed + self.stated.swept).any())

    @cached_property
    def shares(self) -> Table:
        """Where each hole stands between the bank's ends: −½ at the first, ½ at the last."""
        count = len(self.moves.bank.cylinders)
        return np.arange(count) / (count - 1) - 0.5 if count > 1 else np.zeros(1)

    @cached_property
    def per_mm(self) -> float:
        """What one mm of deck takes from the volume, in cc."""
        return float((self.stated.area + self.stated.pocket).mean()) / 1000

    @cached_property
    def patterns(self) -> list[CutPattern]:
        """Every levelling with every pattern of openings: the same for all parts that leave holes alike."""
        key, known = self.stands, self.moves.patterns
        if key not in known:
            known[key] = [
                CutPattern(wedge, opened) for wedge in self._wedges() for opened in self._openings(wedge)
            ]
        return known[key]

    @cached_property
    def columns(self) -> tuple[Table, Table]:
        """Wedges and openings of the patterns, a row each."""
        return (
            np.array([pattern.wedge for pattern in self.patterns]),
            np.stack([pattern.opened for pattern in self.patterns]),
        )

    @cached_property
    def stands(self) -> tuple[float, ...]:
        """How holes stand to one another, rounded to what no gauge shows: patterns and their extremes hang on it."""
        side = self.stated
        full = self._full(side.clearance)
        columns = (side.clearance - side.clearance.mean(), full - full.mean(), side.swept, side.area)
        return tuple(np.round(np.concatenate(columns, axis=0).ravel(), 7).tolist())

    def _full(self, clearance: Table) -> Table:
        """The volume above the pistons without gaskets as stated, in cc."""
        return self.stated.cut(np.zeros(1)).full(clearance)

    def _wedges(self) -> list[float]:
        """Last end less first of a levelling cut: none, or some of what levels the bank."""
        deck = self.moves.deck
        if self.moves.ends is not None:
            return [self.moves.ends[1] - self.moves.ends[0]]
        if deck is None or not deck.means.level or len(self.moves.bank.cylinders) < 2:
            return [0.0]
        rooms = [self.stated.clearance[:, 0]]
        if not self.wanted.ratio.is_open or self.wanted.ratio_spread is not None:
            # What levels the volumes is another wedge than what levels the deck, where chambers differ.
            full = self._full(rooms[0][:, None])[:, 0]
            level = full / self.stated.swept[:, 0]
            rooms.append((level - level.mean()) * self.stated.swept[:, 0] / self.per_mm)
        step = 2 * deck.step
        parts = [_flattest(self.shares, room) * part for room in rooms for part in (0.5, 1.0)]
        if step:
            parts = [round(part / step) * step for part in parts]
        return list(dict.fromkeys([0.0, *(part for part in parts if not math.isnan(part))]))

    def _openings(self, wedge: float) -> Iterator[Table]:
        """What each chamber is opened: nothing, or the smallest raised step by step until all are alike."""
        count = len(self.moves.bank.cylinders)
        yield np.zeros(count)
        move = self.moves.opening
        if move is None or count == 1:
            return
        # Of everything that is shared nothing counts: only how holes stand to one another.
        full = self._full(self.stated.clearance - wedge * self.shares[:, None])[:, 0]
        share = full / self.stated.swept[:, 0]
        if not np.isfinite(share).all():
            # What nobody knows cannot be made alike.
            return
        seen: set[tuple[float, ...]] = set()
        for part in (0.5, 1.0):
            level = share.min() + part * (share.max() - share.min())
            # As far as it may go, where that is not far enough.
            wanted = np.clip((level - share) * self.stated.swept[:, 0], 0.0, move.high)
            opened = np.array([_opening(move, one) for one in wanted])
            key = tuple(opened)
            if key not in seen and (opened.any() or part == 1.0):
                seen.add(key)
                yield opened


def _opening(move: Move, wanted: float) -> float:
    """An opening that can be made: nothing for less than half the least."""
    if wanted < max(move.low, move.step) / 2:
        return 0.0
    return move.rounded(max(wanted, move.low), move.low, move.high)


def _flattest(along: Table, heights: Table) -> float:
    """The slope that leaves least between the highest and the lowest: it is the slope of some two of them."""
    first, second = np.triu_indices(len(along), 1)
    slopes = (heights[second] - heights[first]) / (along[second] - along[first])
    left = heights - slopes[:, None] * along
    return float(slopes[np.argmin(np.ptp(left, axis=1))])
