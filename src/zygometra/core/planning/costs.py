"""What plans take: money, minutes, days and metal, summed here and nowhere else.

A plan in full has its bill. The search asks for parts of one, and for many at once: what comes before the banks (parts,
crowns), what a bank's cuts take, and what must be set up or opened besides. Money in the shop's own, metal in cc.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Iterator
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..build.lever_table import FIT, LEVER, SWAP, OpName
from ..build.means import Means
from ..build.model import GASKET_FIGURES, Build, Gasket, Levers, Operation
from .decisions import BankDecisions, DecisionSpace, Fitting
from .quasi_random import Table

# What is done to a bank, as bits: they tell which set-ups and days a plan takes.
DECK, HEAD, OPEN, GASKET = 1, 2, 4, 8
_BITS: tuple[tuple[int, OpName], ...] = ((DECK, "deck_cut"), (HEAD, "head_cut"), (OPEN, "open_chamber"))
_MASKS = 16


class Bill(NamedTuple):
    """What a plan, or a part of one, takes: money, minutes, days, metal in cc."""

    cost: float = 0.0
    minutes: float = 0.0
    days: float = 0.0
    metal: float = 0.0

    def __add__(self, other: Bill) -> Bill:  # type: ignore[override]
        """One after the other."""
        return Bill(
            self.cost + other.cost,
            self.minutes + other.minutes,
            self.days + other.days,
            self.metal + other.metal,
        )


# -- what one thing takes ----------------------------------------------------------


def cut_cost(
    means: Means, amount: Table | float, times: NDArray[Any] | float = 1, level: NDArray[Any] | float = 0
) -> Table:
    """Return what cuts cost (trade.md 11).

    Parameters
    ----------
    means : Means
        The lever.
    amount : array or float
        Of all times together, in mm or cc.
    times : array or float
        How often the fixed sum counts; nought where nothing is cut; no unit.
    level : array or float
        How often a deck is cut to a slope; no unit.

    Returns
    -------
    array or float
        In the shop's money.
    """
    return np.asarray(means.fixed * times + means.per_unit * amount + means.level_fixed * level)


def _cut(means: Means, amount: float, times: int = 1, level: int = 0) -> Bill:
    """What an amount takes, of all times together: nothing waits, days count once for each kind of operation."""
    minutes = means.minutes * times + means.minutes_per_unit * amount
    return Bill(float(cut_cost(means, amount, times, level)), minutes, metal=means.metal * amount)


def _swap(levers: Levers) -> Bill:
    means = levers.means[SWAP]
    return Bill(means.fixed, means.minutes)


def _set_up(levers: Levers, names: Iterable[str]) -> Bill:
    """What must be set up or opened, each once."""
    bill = Bill()
    for name in dict.fromkeys(names):
        one = levers.set_ups[name]
        bill += Bill(one.cost, one.minutes, one.days)
    return bill


# -- a plan in full ----------------------------------------------------------------


def bill_of(build: Build, planned: Iterable[Operation]) -> Bill:
    """Return what a plan takes, from its operations and the build's levers (trade.md 11).

    Parameters
    ----------
    build : Build
        With its levers.
    planned : iterable of Operation
        The plan.

    Returns
    -------
    Bill
        In the shop's money, minutes, days and cc. Fixed sums and minutes count for each bank, head or hole, of crowns
        for the set; a set-up once; days are the longest wait for what is bought, then each kind of operation once,
        then the set-ups.
    """
    planned, levers, bill = tuple(planned), build.levers, Bill()
    for op in planned:
        means = levers.means.get(op.op)
        if op.amount is not None and means is not None:
            times = _times(build, op)
            ends = op.first, op.last
            sloped = ends[0] is not None and ends[1] is not None and ends[0].value != ends[1].value
            bill += _cut(means, times * op.amount.value, times, times if sloped else 0)
        elif op.op == SWAP and means is not None:
            bill += _swap(levers)
    bought = [_price(build, op) for op in planned if op.gasket is not None or op.part is not None]
    kinds = {op.op for op in planned if op.op in levers.means}
    wait = max((wait for _, wait in bought), default=0.0)
    worked = math.fsum(levers.means[kind].days for kind in kinds)
    bill += Bill(math.fsum(price for price, _ in bought), days=wait + worked)
    return bill + _set_up(levers, set_ups_of(build, planned))


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


# -- parts of plans, for the search ------------------------------------------------


class Costs:
    """What parts of plans take: before the banks, in a bank, and besides.

    Parameters
    ----------
    space : DecisionSpace
        What may be done.
    """

    def __init__(self, space: DecisionSpace) -> None:
        self._space, self._levers = space, space.build.levers

    def before_banks(self, fitting: Fitting, crown: float, bowl: float) -> Bill:
        """Return what is taken before any bank is touched; days with the wait for what is bought.

        Parameters
        ----------
        fitting : Fitting
            What is fitted, and which way the heads lie.
        crown, bowl : float
            What comes off the crowns in mm, and what is sunk into them in cc.
        """
        levers, part, bill = self._levers, fitting.part, Bill()
        if part is not None:
            bill += Bill(part.price, days=part.days)
        if fitting.swapped:
            bill += _swap(levers) + Bill(days=levers.means[SWAP].days)
        for amount, move in ((crown, self._space.crown), (bowl, self._space.bowl)):
            if amount and move is not None:
                bill += _cut(move.means, amount) + Bill(days=move.means.days)
        return bill + _set_up(levers, self._needs(fitting, crown, bowl))

    def _needs(self, fitting: Fitting, crown: float, bowl: float) -> list[str]:
        """What must be set up or opened before the banks, as often as something asks for it."""
        names = list(fitting.part.needs) if fitting.part is not None else []
        if fitting.swapped:
            names += self._levers.means[SWAP].needs
        for amount, move in ((crown, self._space.crown), (bowl, self._space.bowl)):
            if amount and move is not None:
                names += move.means.needs
        return names

    def besides(self, fitting: Fitting, crown: float, bowl: float) -> tuple[Table, Table]:
        """Return what set-ups and working days cost beyond what comes before the banks.

        Parameters
        ----------
        fitting : Fitting
            What is fitted, and which way the heads lie.
        crown, bowl : float
            What comes off the crowns in mm, and what is sunk into them in cc.

        Returns
        -------
        tuple of array
            Money and days, by what is done to the banks as bits.
        """
        own, levers = self._needs(fitting, crown, bowl), self._levers
        costs, days = np.zeros(_MASKS), np.zeros(_MASKS)
        for mask in range(_MASKS):
            done = [levers.means[op] for bit, op in _BITS if mask & bit and op in levers.means]
            needs = [*(need for means in done for need in means.needs)]
            needs += levers.gasket_needs if mask & GASKET else ()
            bill = _set_up(levers, (name for name in needs if name not in own))
            costs[mask], days[mask] = bill.cost, bill.days + math.fsum(means.days for means in done)
        return costs, days

    def in_bank(  # noqa: PLR0913 - what may be done to a bank
        self,
        bank: BankDecisions,
        *,
        gasket: NDArray[np.int64],
        price: Table,
        deck: Table,
        wedge: Table,
        head: Table,
        opened: Table,
        more: Table,
    ) -> tuple[Table, Table, NDArray[np.int64]]:
        """Return what is taken in a bank, an entry for each way to treat it (trade.md 11).

        Parameters
        ----------
        bank : BankDecisions
            The bank.
        gasket : array of int
            Its place among those listed, below nought for the one there; no unit.
        price : array
            Of the gasket, in the shop's money.
        deck, wedge, head : array
            Mean deck cut, by how much its ends differ, head cut; in mm.
        opened, more : array
            What single chambers are opened, a column each, and all of them alike besides; in cc.

        Returns
        -------
        tuple of array
            Money, metal in cc, and what is done as bits.
        """
        cost, metal, kinds = price.copy(), np.zeros(len(deck)), np.where(gasket >= 0, GASKET, 0)
        if bank.deck is not None:
            level, means = wedge != 0, bank.deck.means
            cut = (deck > 0) | level
            cost = cost + cut_cost(means, deck, cut, level)
            metal, kinds = metal + means.metal * deck, kinds | np.where(cut, DECK, 0)
        if bank.head is not None:
            means = bank.head.means
            cost = cost + cut_cost(means, head, head > 0)
            metal, kinds = metal + means.metal * head, kinds | np.where(head > 0, HEAD, 0)
        if bank.opening is not None:
            means, count = bank.opening.means, opened.shape[1]
            holes = np.where(more > 0, count, np.count_nonzero(opened, axis=1))
            amount = opened.sum(axis=1) + more * count
            cost, metal = cost + cut_cost(means, amount, holes), metal + means.metal * amount
            kinds = kinds | np.where(holes > 0, OPEN, 0)
        return cost, metal, kinds
