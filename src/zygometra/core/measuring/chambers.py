"""Chambers brought to match: the least cut of each head, and what must be opened after it.

One head has one face, and grinding only enlarges: the cut is set by the chamber that needs the deepest,
and the rest are opened to the near edge of what is wanted, never further.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from typing import NamedTuple

from msgspec import Struct

from ..errors import NoAnswer
from ..stack.chamber import ChamberModel

# The last bits of a sum, in cc.
_SAME = 1e-9


class ChamberRange(NamedTuple):
    """From where to where the chamber of a hole may lie, in cc."""

    low: float
    high: float


# From how the heads lie to what is wanted of each hole.
Asked = Callable[[Sequence["Head"]], Mapping[int, ChamberRange]]


class Head(NamedTuple):
    """A head as it was filled.

    Parameters
    ----------
    bank : str
        Whose it is now.
    holes : tuple of int
        From the front; no unit.
    volumes : tuple of float
        Of their chambers, in cc, in the same order.
    model : ChamberModel or None
        What milling takes; None where nobody knows.
    """

    bank: str
    holes: tuple[int, ...]
    volumes: tuple[float, ...]
    model: ChamberModel | None


class Matched(Struct, frozen=True):
    """How chambers are brought to match.

    ``cuts`` in mm by the bank that a head ends on, ``set_by`` the hole that sets each cut, ``opened`` in cc
    by hole (only where something is), ``after`` every chamber in cc, ``swapped`` True where the heads of
    the two banks change sides, each turned end for end.
    """

    cuts: Mapping[str, float]
    set_by: Mapping[str, int]
    opened: Mapping[int, float]
    after: Mapping[int, float]
    swapped: bool = False

    @property
    def opened_in_all(self) -> float:
        """In cc."""
        return math.fsum(self.opened.values())


def match(heads: Sequence[Head], wanted: Mapping[int, ChamberRange]) -> Matched:
    """Return the least work that brings every chamber inside what is wanted of its hole.

    Parameters
    ----------
    heads : sequence of Head
        Each with the bank it is on.
    wanted : Mapping
        By hole.

    Returns
    -------
    Matched
        Of every head the least cut after which no chamber is too large; opened are those that are too
        small after it, to the lower edge.

    Raises
    ------
    NoAnswer
        If a head would have to be cut and nobody knows what that takes, or deeper than is known.

    Notes
    -----
    Any deeper cut makes every chamber smaller, so it opens more: the least cut opens least.

    Examples
    --------
    >>> from ..stack.chamber import RateChamber
    >>> head = Head("A", (1, 2), (61.0, 59.0), RateChamber(4.0))
    >>> done = match([head], {1: ChamberRange(59.8, 60.2), 2: ChamberRange(59.8, 60.2)})
    >>> round(done.cuts["A"], 3), {n: round(cc, 3) for n, cc in done.opened.items()}
    (0.2, {2: 1.6})
    """
    cuts: dict[str, float] = {}
    set_by: dict[str, int] = {}
    opened: dict[int, float] = {}
    after: dict[int, float] = {}
    for head in heads:
        deepest = 0.0
        for hole, volume in zip(head.holes, head.volumes, strict=True):
            over = volume - wanted[hole].high
            if over <= _SAME:
                continue
            if head.model is None:
                raise NoAnswer(
                    f"The chamber of hole {hole} is {over:.2f} cc too large, and nobody knows what milling"
                    " its head takes."
                )
            cut = head.model.cut_for(over)
            if cut > deepest:
                deepest, set_by[head.bank] = cut, hole
        cuts[head.bank] = deepest
        lost = head.model.removed(deepest) if head.model is not None and deepest else 0.0
        for hole, volume in zip(head.holes, head.volumes, strict=True):
            left = volume - lost
            short = wanted[hole].low - left
            if short > _SAME:
                opened[hole] = short
                left = wanted[hole].low
            after[hole] = left
    return Matched(cuts, set_by, opened, after)


def swapped(heads: Sequence[Head]) -> list[Head] | None:
    """Return two heads changed side for side, each turned end for end; None where that cannot be.

    Parameters
    ----------
    heads : sequence of Head
        Of a build.
    """
    if len(heads) != 2 or len(heads[0].holes) != len(heads[1].holes):
        return None
    one, other = heads
    return [
        Head(one.bank, one.holes, other.volumes[::-1], other.model),
        Head(other.bank, other.holes, one.volumes[::-1], one.model),
    ]


def best_match(heads: Sequence[Head], asked: Asked, *, may_swap: bool) -> Matched:
    """Return the match that opens least, with the heads where they are or side for side.

    Parameters
    ----------
    heads : sequence of Head
        Each with the bank it is on.
    asked : callable
        What is wanted of each hole, where heads lie so: to come to one another hangs on which lies where.
    may_swap : bool
        True for a vee or a flat engine whose heads fit either side.

    Returns
    -------
    Matched
        By what is opened in all, then by what is cut; the heads stay where nothing is saved.

    Raises
    ------
    NoAnswer
        If neither way is known to be possible.
    """
    options: list[Matched] = []
    refused: NoAnswer | None = None
    other = swapped(heads) if may_swap else None
    for arrangement, is_swapped in ((list(heads), False), (other, True)):
        if arrangement is None:
            continue
        try:
            done = match(arrangement, asked(arrangement))
        except NoAnswer as error:
            refused = refused or error
            continue
        options.append(
            Matched(
                cuts=done.cuts, set_by=done.set_by, opened=done.opened, after=done.after, swapped=is_swapped
            )
        )
    if not options:
        assert refused is not None
        raise refused
    first, *rest = options
    for option in rest:
        less = first.opened_in_all - option.opened_in_all
        cut = math.fsum(first.cuts.values()) - math.fsum(option.cuts.values())
        if less > _SAME or (abs(less) <= _SAME and cut > _SAME):
            first = option
    return first


def level_of(heads: Sequence[Head], beside: Mapping[int, float], within: float) -> tuple[float, float]:
    """Return the window that brings holes to one another with least opened, in cc of what is compared.

    Parameters
    ----------
    heads : sequence of Head
        Each with the bank it is on.
    beside : Mapping
        What stands beside the chamber in each hole, in cc: nought for chambers alone, the rest of the
        clearance volume for totals.
    within : float
        How far apart they may end, in cc.

    Returns
    -------
    low, high : float
        The largest of each head is milled down to the smaller of the two largest, so that no head is
        opened for the other's sake.
    """
    largest = [
        max(volume + beside[hole] for hole, volume in zip(head.holes, head.volumes, strict=True))
        for head in heads
    ]
    high = min(largest)
    return high - within, high


def milled_before(model: ChamberModel, smaller: float) -> float:
    """Return how deep a head was milled before if its chamber is so much smaller than its drawing, in mm (trade.md 5).

    Parameters
    ----------
    model : ChamberModel
        What milling takes from it now.
    smaller : float
        In cc.

    Raises
    ------
    NoAnswer
        If the shape is not known.

    Notes
    -----
    Taken at the rate of today's face: a drafted wall was wider there before, so a little less was milled.
    """
    rate = model.rate(0.0)
    if rate <= 0:
        raise NoAnswer("What milling takes from this chamber is not known.")
    return smaller / rate
