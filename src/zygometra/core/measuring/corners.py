"""A mock-up hole by hole and bank by bank: what was read, what it comes to at either end, and what to cut there."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import NamedTuple

from ..build.model import Bank, Build
from ..place import Place
from ..quantity import Quantity
from ..uncertainty import Term, joined, of_terms
from .agreement import Agreement, agreement
from .figures import line_at
from .logbook import EMPTY, Reading

FIGURE = "deck_clearance"


class Clear(NamedTuple):
    """A deck clearance, or a depth of cut, and the half-width of its 95 % band, in mm."""

    mm: float
    half: float


class HoleRead(NamedTuple):
    """One hole of a mock-up.

    ``clearance`` is None where neither read nor filled; ``is_filled`` where it is the line of its bank.
    ``tipped`` are the two sides of the newest pair, ``rock`` half the difference of all pairs' mean sides,
    ``least`` the clearance with the piston tipped towards the deck, all in mm. ``readings`` are in use.
    """

    number: int
    place: int
    clearance: Clear | None
    is_filled: bool
    readings: tuple[Reading, ...]
    agrees: Agreement | None
    tipped: tuple[float, float] | None
    rock: float | None
    least: float | None
    cut: Clear | None

    @property
    def is_read(self) -> bool:
        """True where readings stand for it, or somebody typed what a mock-up showed."""
        return self.clearance is not None and not self.is_filled


class BankRead(NamedTuple):
    """One bank of a mock-up.

    ``slope`` is the rise of the deck along the bank as the mock-up shows it, mm per mm, with the half-width
    of its band; None where fewer than two holes were read or the pitch is not known. ``first`` and ``last``
    are the cuts at the first and the last hole that bring the whole line to what is aimed at.
    """

    bank: str
    holes: tuple[HoleRead, ...]
    slope: Clear | None
    first: Clear | None
    last: Clear | None
    shim: float | None


class MockedUp(NamedTuple):
    """A mock-up: its banks, and the hole to read next."""

    banks: tuple[BankRead, ...]
    following: int | None


def mocked_up(build: Build, leave: Mapping[str, float]) -> MockedUp:
    """Return what the mock-up of a build comes to.

    Parameters
    ----------
    build : Build
        With its logbook.
    leave : Mapping
        The deck clearance that the cuts are to leave of today's, in mm, by bank; none is worked out for others.

    Returns
    -------
    MockedUp
        By bank.

    Notes
    -----
    Two holes of each of two banks are two ends of two decks: one line a bank, never one plane. A cut lowers
    the clearance by itself, so at a place it is the line there less the aim. Readings with each hole's own
    parts hold the scatter of rods, pistons and throws: the line through them is still the best single cut.
    See trade.md 7.
    """
    banks = tuple(_bank(build, bank, leave.get(bank.name)) for bank in build.banks)
    return MockedUp(banks, _following(build, banks))


def _bank(build: Build, bank: Bank, aim: float | None) -> BankRead:
    holes = [_hole(build, number, place, aim) for place, number in enumerate(bank.cylinders)]
    read = {hole.place: (hole.number, build.figures[_place(hole.number)]) for hole in holes if hole.is_read}
    slope = first = last = shim = None
    end = len(holes) - 1
    pitch = build.figures.get("engine.bore_pitch")
    if end == 0 and aim is not None:
        # A bank of one hole has one cut.
        first = last = holes[0].cut
    elif len(read) > 1:
        ends = [line_at(read, at) for at in (0, end)]
        values = [value for value, _ in ends]
        if pitch is not None and pitch.value:
            slope = _slope(read, end, pitch.value)
        if aim is not None:
            first, last = (Clear(value - aim, _half(terms)) for value, terms in ends)
        span = build.facing.support_span.along
        if slope is not None and span is not None:
            shim = (values[1] - values[0]) / (end * (pitch.value if pitch else 1.0)) * span
    return BankRead(bank=bank.name, holes=tuple(holes), slope=slope, first=first, last=last, shim=shim)


def _slope(read: dict[int, tuple[int, Quantity]], end: int, pitch: float) -> Clear:
    """The line's rise per mm; what both ends share drops out of it."""
    (first, at_first), (last, at_last) = line_at(read, 0), line_at(read, end)
    less = [term.times(-1.0) for term in at_first]
    length = end * pitch
    return Clear((last - first) / length, _half([*at_last, *less]) / length)


def _half(terms: Iterable[Term]) -> float:
    """The half-width of a 95 % band: what comes of one source first added up."""
    return of_terms(joined(terms)).half


def _place(number: int) -> str:
    return str(Place.hole(number, FIGURE))


def _hole(build: Build, number: int, place: int, aim: float | None) -> HoleRead:
    used = build.in_use
    series = used.series.get(Place.hole(number, FIGURE)) if used is not None else None
    readings = series.readings if series is not None else ()
    quantity = build.figures.get(_place(number))
    # A clearance that somebody typed among the figures has no terms: it is not filled either.
    is_filled = quantity is not None and not readings and bool(quantity.terms)
    clearance = None
    if quantity is not None:
        own = list(quantity.terms) or [Term(_place(number), quantity.u, rectangular=quantity.rectangular)]
        clearance = Clear(quantity.value, _half(own))
    pairs = [one.tipped for one in readings if one.tipped is not None]
    rock = abs(math.fsum(a - b for a, b in pairs)) / len(pairs) / 2 if pairs else None
    least = None if clearance is None or rock is None else clearance.mm - rock
    cut = None if clearance is None or aim is None else Clear(clearance.mm - aim, clearance.half)
    how = agreement(readings, build.logbook or EMPTY) if readings else None
    return HoleRead(
        number=number,
        place=place,
        clearance=clearance,
        is_filled=is_filled,
        readings=readings,
        agrees=how,
        tipped=pairs[-1] if pairs else None,
        rock=rock,
        least=least,
        cut=cut,
    )


def _following(build: Build, banks: tuple[BankRead, ...]) -> int | None:
    """The hole to read next: what has no reading first, the ends before the rest; then what does not agree."""
    asked: list[tuple[int, int, int]] = []
    order = 0
    for bank in banks:
        ends = {bank.holes[0].number, bank.holes[-1].number}
        for hole in bank.holes:
            order += 1
            is_end = hole.number in ends
            if build.mocked_with_one_set and not is_end and not hole.is_read:
                continue
            if not hole.is_read:
                asked.append((0 if is_end else 1, order, hole.number))
            elif hole.agrees is not None and hole.agrees.state != "agree":
                asked.append((2 + len(hole.readings), order, hole.number))
    return min(asked)[2] if asked else None
