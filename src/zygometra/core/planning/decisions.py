"""What may be done to a build, said once: levers with limits and steps, gaskets, parts, and what is fixed by hand.

The search and the mixed-integer programme both take it from here. Lengths in mm, volumes in cc.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

from ..build.lever_table import LEVER, SWAP, OpName
from ..build.levers import limit_of
from ..build.means import FittedPart, Means, PartChoice
from ..build.model import Bank, Build, Gasket
from ..house_rules import HouseRules
from ..quantity import Quantity, read_quantity
from ..units import BASE, from_base, to_base
from .crowns import above_the_rim, bowl_limit, crown_limit, more_above_rim
from .quasi_random import Table

# A hair: an amount so near a limit counts as on it.
EPSILON = 1e-9
# The levers of one bank.
OF_A_BANK: tuple[OpName, ...] = ("deck_cut", "head_cut", "open_chamber")


class Move(NamedTuple):
    """One lever on one bank (the crowns: on the set): nought, or from ``low`` to ``high``."""

    means: Means
    low: float
    high: float
    may_rest: bool = True

    @property
    def step(self) -> float:
        """One step in mm or cc; nought where any amount can be cut."""
        return self.means.step.value if self.means.step is not None else 0.0

    def rounded(self, value: float, low: float, high: float) -> float:
        """Return the multiple of the step nearest to a value within bounds; where there is none the value.

        See trade.md 11.

        Parameters
        ----------
        value, low, high : float
            In mm or cc.
        """
        step = self.step
        if not step:
            return min(max(value, low), high)
        first, last = math.ceil(low / step - 1e-7), math.floor(high / step + 1e-7)
        if first > last:
            return min(max(value, low), high)
        return min(max(round(value / step), first), last) * step

    def rounded_all(self, values: Table, low: Table, high: Table) -> Table:
        """Return many amounts as :meth:`rounded` returns one (trade.md 11).

        Parameters
        ----------
        values, low, high : array
            In mm or cc.
        """
        inside, step = np.clip(values, low, high), self.step
        if not step:
            return inside
        first, last = np.ceil(low / step - 1e-7), np.floor(high / step + 1e-7)
        stepped = np.clip(np.round(values / step), first, np.maximum(last, first)) * step
        return np.asarray(np.where(first > last, inside, stepped))

    def quantity(self, value: float) -> Quantity:
        """Return an amount as it is planned: in the unit of the step, with the lever's tolerance.

        Parameters
        ----------
        value : float
            In mm or cc.
        """
        step, tolerance, op = self.means.step, self.means.tolerance, self.means.op
        unit = step.unit if step is not None else BASE[LEVER[op].kind]
        number = from_base(value, unit)
        if step is not None and abs(round(value / step.value) * step.value - value) < EPSILON:
            number = round(round(value / step.value) * step.number, 10)
        typed: dict[str, Any] = {"value": number, "unit": unit.symbol}
        if tolerance is not None:
            typed |= _doubt_of(tolerance, to_base(1.0, unit))
        return read_quantity(typed, LEVER[op].kind, dimension=op, low=0)


def _doubt_of(tolerance: Quantity, size: float) -> dict[str, Any]:
    """A lever's tolerance as the doubt of an amount; a bare figure is a half-width."""
    each = {"each": True} if tolerance.each else {}
    if tolerance.doubt == "tolerance":
        return {"plus_minus": tolerance.u * math.sqrt(3) / size, **each}
    if tolerance.doubt in ("house", "none") and tolerance.value:
        return {"plus_minus": tolerance.value / size, **each}
    return {"u": tolerance.u / size, **each}


@dataclass(frozen=True)
class FixedDecisions:
    """What whoever plans has fixed by hand; the rest is solved round it.

    ``cuts`` by lever and bank (the crowns: by no bank): its amount, or first and last of a levelling
    cut; nought keeps the lever at rest. ``gaskets`` by bank: which of the listed, None the one that is
    there. ``parts``: what is fitted, None nothing new. ``swap``: heads side for side or not.
    """

    cuts: Mapping[tuple[str, str], tuple[float, float]] = field(default_factory=dict)
    gaskets: Mapping[str, int | None] = field(default_factory=dict)
    part: int | str | None = "any"
    swap: bool | None = None


NOTHING_FIXED = FixedDecisions()


def move_of(
    build: Build, rules: HouseRules, op: OpName, bank: Bank | None, fixed: FixedDecisions = NOTHING_FIXED
) -> Move | None:
    """Return how a lever may be moved; None where it is not there or no amount of it is left.

    Parameters
    ----------
    build : Build
        With its levers.
    rules : HouseRules
        For the limit where the build sets none, and what must remain.
    op : str
        The lever.
    bank : Bank or None
        Where; None for what acts on the whole set.
    fixed : FixedDecisions
        What was fixed by hand.
    """
    means = build.levers.means.get(op)
    if means is None:
        return None
    low, high = means.low, means.high
    own = means.banks.get(bank.name) if bank is not None else None
    if own is not None:
        low = own[0] if own[0] is not None else low
        high = own[1] if own[1] is not None else high
    if high is not None and op == "crown_cut":
        high += above_the_rim(None, build, rules)
    house = limit_of(build, op, rules)[0] if high is None else high
    high = min(house, _left(build, rules, op, bank))
    ends = fixed.cuts.get((op, bank.name if bank is not None else ""))
    if ends is not None:
        most = max(ends)
        return Move(means, most, most, may_rest=False) if EPSILON < most <= high + EPSILON else None
    return Move(means, low, high) if high > 0 and high >= low else None


def _left(build: Build, rules: HouseRules, op: OpName, bank: Bank | None) -> float:
    """How far a lever goes before a floor that somebody named: least deck height, head, crown and land left."""
    if op == "deck_cut" and bank is not None and build.facing.least_deck_height is not None:
        heights = [
            quantity.value
            for path in (f"banks.{bank.name}.deck_height", "parts.block.deck_height")
            if (quantity := build.figures.get(path)) is not None
        ]
        return max(heights[0] - build.facing.least_deck_height, 0.0) if heights else math.inf
    if op == "head_cut":
        return max(limit_of(build, op, rules)[0] - build.facing.head_cut_so_far, 0.0)
    return math.inf


class Fitting(NamedTuple):
    """What is fitted before anything is cut: a part that may be had or none, and which way the heads lie."""

    part: PartChoice | None
    swapped: bool

    @property
    def parts(self) -> tuple[FittedPart, ...]:
        """The parts that are fitted."""
        return () if self.part is None else (self.part.part,)


def fittings_of(build: Build, fixed: FixedDecisions = NOTHING_FIXED) -> list[Fitting]:
    """Return what may be fitted: every part by itself or none, the heads either way.

    Parameters
    ----------
    build : Build
        With its levers.
    fixed : FixedDecisions
        What was fixed by hand.
    """
    parts: list[PartChoice | None] = [None, *build.levers.parts]
    if fixed.part != "any":
        parts = [None if fixed.part is None else build.levers.parts[int(fixed.part)]]
    ways = [False, True] if SWAP in build.levers.means else [False]
    if fixed.swap is not None:
        ways = [way for way in ways if way == fixed.swap]
    return [Fitting(part, swapped) for part, swapped in itertools.product(parts, ways)]


class BankDecisions(NamedTuple):
    """What may be done to one bank: its levers, and its gaskets with their place among those that may be had.

    ``columns`` are its holes among those of the build; −1 is the place of the gasket that is there; ``ends`` are first
    and last of a levelling cut that was fixed by hand, in mm.
    """

    bank: Bank
    columns: slice
    deck: Move | None
    head: Move | None
    opening: Move | None
    gaskets: tuple[tuple[int, Gasket | None], ...]
    ends: tuple[float, float] | None

    @property
    def fixed_wedge(self) -> float | None:
        """By how much the last end was fixed to be cut deeper than the first, in mm; None where they are alike."""
        return None if self.ends is None or self.ends[0] == self.ends[1] else self.ends[1] - self.ends[0]

    @property
    def levels(self) -> bool:
        """Whether its deck may be cut to a slope."""
        return self.deck is not None and self.deck.means.level and len(self.bank.cylinders) > 1


class DecisionSpace:
    """Everything that may be done to a build in one plan.

    Parameters
    ----------
    build : Build
        With its levers.
    rules : HouseRules
        For limits where the build sets none, and what must remain.
    fixed : FixedDecisions
        What was fixed by hand.
    """

    def __init__(self, build: Build, rules: HouseRules, fixed: FixedDecisions = NOTHING_FIXED) -> None:
        self.build, self.rules, self.fixed = build, rules, fixed
        self.fittings = fittings_of(build, fixed)
        self.crown = move_of(build, rules, op="crown_cut", bank=None, fixed=fixed)
        self.bowl = move_of(build, rules, op="bowl", bank=None, fixed=fixed)
        starts = itertools.accumulate((len(bank.cylinders) for bank in build.banks), initial=0)
        self.banks = tuple(self._bank(bank, start) for bank, start in zip(build.banks, starts, strict=False))

    def _bank(self, bank: Bank, start: int) -> BankDecisions:
        deck, head, opening = (
            move_of(self.build, self.rules, op=op, bank=bank, fixed=self.fixed) for op in OF_A_BANK
        )
        return BankDecisions(
            bank=bank,
            columns=slice(start, start + len(bank.cylinders)),
            deck=deck,
            head=head,
            opening=opening,
            gaskets=tuple(gaskets_of(self.build, bank.name, self.fixed)),
            ends=self.fixed.cuts.get(("deck_cut", bank.name)),
        )

    def of(self, bank: str) -> BankDecisions:
        """Return what may be done to one bank.

        Parameters
        ----------
        bank : str
            Its name.
        """
        return next(one for one in self.banks if one.bank.name == bank)

    def move(self, op: str, bank: str = "") -> Move | None:
        """Return how a lever may be moved; None where it is not there or no amount of it is left.

        Parameters
        ----------
        op : str
            The lever.
        bank : str
            Where; empty for what acts on the whole set.
        """
        if op in OF_A_BANK:
            own = self.of(bank)
            return {"deck_cut": own.deck, "head_cut": own.head, "open_chamber": own.opening}[op]
        return {"crown_cut": self.crown, "bowl": self.bowl}[op]

    def most_off_crown(self, part: FittedPart | None) -> float:
        """Return how far the crowns of one piston may be cut, in mm from the highest point down.

        Parameters
        ----------
        part : FittedPart or None
            A piston that is fitted; None the one that is there.
        """
        limit, move = self.crown_floor(part), self.crown
        if move is None:
            return 0.0
        return min(move.high + self.more_above_rim(part), limit) if move.may_rest else limit

    def more_above_rim(self, part: FittedPart | None) -> float:
        """Return by how much more a fitted piston stands above its rim than the one that is there, in mm.

        Parameters
        ----------
        part : FittedPart or None
            A piston that is fitted; None the one that is there.
        """
        return more_above_rim(part, self.build, self.rules)

    def crown_floor(self, part: FittedPart | None) -> float:
        """Return how far crowns may be cut before metal that must remain is reached, in mm.

        Parameters
        ----------
        part : FittedPart or None
            A piston that is fitted; None the one that is there.
        """
        return crown_limit(part, self.build, self.rules)

    def bowl_floor(self, part: FittedPart | None) -> float:
        """Return how much may be sunk into crowns before metal that must remain is reached, in cc.

        Parameters
        ----------
        part : FittedPart or None
            A piston that is fitted; None the one that is there.
        """
        return bowl_limit(part, self.build, self.rules)

    @property
    def one_gasket(self) -> bool:
        """Whether all banks must have the same gasket."""
        return len(self.banks) > 1 and not self.build.levers.gasket_per_bank


def gaskets_of(
    build: Build, bank: str, fixed: FixedDecisions = NOTHING_FIXED
) -> list[tuple[int, Gasket | None]]:
    """Return the gaskets of one bank by place: the one that is there (−1), then those that may be had.

    Parameters
    ----------
    build : Build
        With its levers.
    bank : str
        The bank.
    fixed : FixedDecisions
        What was fixed by hand.
    """
    known: list[tuple[int, Gasket | None]] = [(-1, None), *enumerate(build.levers.gaskets)]
    if bank in fixed.gaskets:
        return [
            one for one in known if one[0] == (-1 if fixed.gaskets[bank] is None else fixed.gaskets[bank])
        ]
    return known
