"""What may be done in one plan, resolved: between which amounts, in which steps, at what price.

Lengths in mm, volumes in cc, money in the shop's own, minutes and days.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import numpy as np

from ..build.lever_table import FIT, LEVER, SWAP, OpName
from ..build.levers import limit_of
from ..build.means import FittedPart, Means, PartChoice
from ..build.model import GASKET_FIGURES, Bank, Build, Gasket, Operation
from ..house_rules import HouseRules
from ..quantity import Quantity, read_quantity
from ..units import BASE, from_base, to_base
from .crowns import above_the_rim, crown_limit, more_above_rim
from .quasi_random import Table

# A hair: an amount so near a limit counts as on it.
EPSILON = 1e-9


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
        """Return many amounts as :meth:`rounded` returns one.

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

    def cost(self, amount: float, holes: int = 1) -> float:
        """Return what an amount costs; nought for none.

        Parameters
        ----------
        amount : float
            In mm or cc, of all holes together.
        holes : int
            How often the fixed sum counts; no unit.
        """
        return self.means.fixed * holes + self.means.per_unit * amount if amount else 0.0

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


def moves_of(
    build: Build, rules: HouseRules, op: OpName, bank: Bank | None, pins: FixedDecisions = NOTHING_FIXED
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
    pins : FixedDecisions
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
    fixed = pins.cuts.get((op, bank.name if bank is not None else ""))
    if fixed is not None:
        most = max(fixed)
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


def most_off_crown(move: Move, part: FittedPart | None, build: Build, rules: HouseRules) -> float:
    """Return how far the crowns of one piston may be cut, in mm from the highest point down.

    Parameters
    ----------
    move : Move
        Of the crown lever, as the build's own piston leaves it.
    part : FittedPart or None
        A piston that is fitted; None the one that is there.
    build : Build
        Its figures.
    rules : HouseRules
        What must remain.
    """
    limit = crown_limit(part, build, rules)
    return min(move.high + more_above_rim(part, build, rules), limit) if move.may_rest else limit


class Fitting(NamedTuple):
    """What is fitted before anything is cut: a part that may be had or none, and which way the heads lie."""

    part: PartChoice | None
    swapped: bool

    @property
    def parts(self) -> tuple[FittedPart, ...]:
        """The parts that are fitted."""
        return () if self.part is None else (self.part.part,)


def fittings_of(build: Build, pins: FixedDecisions = NOTHING_FIXED) -> list[Fitting]:
    """Return what may be fitted: every part by itself or none, the heads either way.

    Parameters
    ----------
    build : Build
        With its levers.
    pins : FixedDecisions
        What was fixed by hand.
    """
    parts: list[PartChoice | None] = [None, *build.levers.parts]
    if pins.part != "any":
        parts = [None if pins.part is None else build.levers.parts[int(pins.part)]]
    ways = [False, True] if SWAP in build.levers.means else [False]
    if pins.swap is not None:
        ways = [way for way in ways if way == pins.swap]
    return [Fitting(part, swapped) for part, swapped in itertools.product(parts, ways)]


def gaskets_of(
    build: Build, bank: str, pins: FixedDecisions = NOTHING_FIXED
) -> list[tuple[int | None, Gasket | None]]:
    """Return the gaskets of one bank: the one that is there, then those that may be had.

    Parameters
    ----------
    build : Build
        With its levers.
    bank : str
        The bank.
    pins : FixedDecisions
        What was fixed by hand.
    """
    known: list[tuple[int | None, Gasket | None]] = [(None, None), *enumerate(build.levers.gaskets)]
    if bank in pins.gaskets:
        return [one for one in known if one[0] == pins.gaskets[bank]]
    return known


class Bill(NamedTuple):
    """What a plan takes: money, minutes, days, metal in cc."""

    cost: float
    minutes: float
    days: float
    metal: float


def bill_of(build: Build, planned: Iterable[Operation]) -> Bill:
    """Return what a plan takes, from its operations and the build's levers.

    Parameters
    ----------
    build : Build
        With its levers.
    planned : iterable of Operation
        The plan.

    Returns
    -------
    Bill
        Fixed sums and minutes count for each bank, head or hole, of crowns for the set; a set-up once;
        days are the longest wait for what is bought, then each kind of operation once, then the set-ups.
    """
    planned = tuple(planned)
    cost = minutes = metal = 0.0
    for op in planned:
        means = build.levers.means.get(op.op)
        if op.amount is not None and means is not None:
            times = _times(build, op)
            cost += times * (means.fixed + means.per_unit * op.amount.value)
            minutes += times * (means.minutes + means.minutes_per_unit * op.amount.value)
            metal += times * means.metal * op.amount.value
            if op.first is not None and op.last is not None and op.first.value != op.last.value:
                cost += times * means.level_fixed
        elif op.op == SWAP and means is not None:
            cost, minutes = cost + means.fixed, minutes + means.minutes
    bought = [_price(build, op) for op in planned if op.gasket is not None or op.part is not None]
    cost += math.fsum(price for price, _ in bought)
    kinds = {op.op for op in planned if op.op in build.levers.means}
    days = max((wait for _, wait in bought), default=0.0) + math.fsum(
        build.levers.means[k].days for k in kinds
    )
    for name in set_ups_of(build, planned):
        one = build.levers.set_ups[name]
        cost, minutes, days = cost + one.cost, minutes + one.minutes, days + one.days
    return Bill(cost, minutes, days, metal)


def _times(build: Build, op: Operation) -> int:
    """How often an operation's fixed sum counts."""
    if LEVER[op.op].reach == "set":
        return 1
    if LEVER[op.op].reach == "bank":
        return 1 if op.bank is not None else len(build.banks)
    return sum(op.acts_on(bank.name, number) for bank in build.banks for number in bank.cylinders)


def _price(build: Build, op: Operation) -> tuple[float, float]:
    """What is bought for an operation: its price, and how long it is waited for."""
    if op.gasket is not None:
        listed = next((one for one in build.levers.gaskets if _same(one, op.gasket)), op.gasket)
        return listed.price * (1 if op.bank is not None else len(build.banks)), listed.days
    choice = next((one for one in build.levers.parts if one.part == op.part), None)
    return (choice.price, choice.days) if choice is not None else (0.0, 0.0)


def _same(one: Gasket, other: Gasket) -> bool:
    """Whether two gaskets have the same name and figures, whatever they cost."""
    return one.name == other.name and all(
        getattr(one, name) == getattr(other, name) for name in GASKET_FIGURES
    )


def set_ups_of(build: Build, planned: Iterable[Operation]) -> tuple[str, ...]:
    """Return what must be set up or opened for a plan, each once, in the order of the levers.

    Parameters
    ----------
    build : Build
        With its levers.
    planned : iterable of Operation
        The plan.
    """
    return tuple(dict.fromkeys(itertools.chain.from_iterable(needs_of(build, op) for op in planned)))


def needs_of(build: Build, op: Operation) -> Iterator[str]:
    """Yield what must be set up or opened for one operation.

    Parameters
    ----------
    build : Build
        With its levers.
    op : Operation
        One of a plan.

    Yields
    ------
    str
        The name of a set-up.
    """
    if op.gasket is not None:
        yield from build.levers.gasket_needs
    elif op.op == FIT:
        choice = next((one for one in build.levers.parts if one.part == op.part), None)
        yield from choice.needs if choice is not None else ()
    elif op.op in build.levers.means:
        yield from build.levers.means[op.op].needs
