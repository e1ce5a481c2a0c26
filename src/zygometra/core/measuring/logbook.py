"""The logbook: what was read, where, with what, and under which conditions.

Facts only. What they come to is worked out in :mod:`.selection` and :mod:`.figures`.
Values stand in base units; what was typed stands beside them.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, NamedTuple

from ..fields import BANK_NAMES, CYLINDER_NAMES, FIELDS, Field
from ..memory import FinishedJob, Memory, remembered
from ..place import NOWHERE, Place, Position
from ..units import Kind, Unit


def _names() -> dict[str, Field]:
    """Every dimension that can be read, by the name it has in a logbook."""
    known: dict[str, Field] = {}
    for one in FIELDS:
        if one.part in ("stated", "engine"):
            continue
        name = one.name
        if one.part == "gasket" and name != "thickness":
            name = f"gasket_{name}"
        elif one.part == "bore edge":
            name = f"edge_{name}"
        known[name] = one
    return known


# ``length`` is the rod's, ``bore`` the hole's, ``gasket_bore`` the gasket's.
READABLE: dict[str, Field] = _names()
NAME_OF: dict[str, str] = {one.path: name for name, one in READABLE.items()}
_IN_HOLE = {one.path: name for name, one in CYLINDER_NAMES.items()}
_ON_BANK = {one.path: name for name, one in BANK_NAMES.items()}

# The step of a gauge of which nobody said it, in mm.
HOUSE_STEP = 0.01
SURFACES = ("rim", "pad", "dome")
AXES = ("pin", "thrust")


def place_of(figure: str, bank: str | None = None, cylinder: int | None = None) -> Place:
    """Return the place of the build that a reading of a figure replaces.

    Parameters
    ----------
    figure : str
        One of :data:`READABLE`.
    bank : str, optional
        The bank that was read.
    cylinder : int, optional
        The hole that was read; no unit.

    Returns
    -------
    Place
        Hole over bank over engine.

    Raises
    ------
    KeyError
        If that figure is not one of a hole, or of a bank.

    Examples
    --------
    >>> str(place_of("length", cylinder=3)), str(place_of("thickness", bank="A"))
    ('cylinders.3.rod_length', 'banks.A.gasket.thickness')
    """
    path = READABLE[figure].path
    if cylinder is not None:
        return Place.hole(cylinder, _IN_HOLE[path])
    if bank is not None:
        return Place.on_bank(bank, _ON_BANK[path])
    return Place.engine(path)


class Check(NamedTuple):
    """A gauge against its master: on which day, whether it was good, and by how much it showed more (None: not said).

    ``off`` in the base unit of the gauge.
    """

    on: str
    good: bool
    off: float | None = None


class Mishap(NamedTuple):
    """What happened to a gauge on a day: dropped, crashed."""

    on: str
    what: str


@dataclass(frozen=True, slots=True)
class Gauge:
    """One gauge.

    Lengths in mm, volumes in cc: figures of a gauge have the base unit of what it reads.
    None: nobody said. ``u`` is a standard uncertainty, normal; ``u_travel`` what stays of it in a
    difference from a zero; ``feel`` that of a transfer gauge, read with the gauge ``read_with``.
    """

    id: str
    kind: str = ""
    resolution: float | None = None
    u: float | None = None
    u_travel: float | None = None
    repeatability: float | None = None
    feel: float | None = None
    read_with: str = ""
    material: str = "steel"
    compensated: bool = False
    checks: tuple[Check, ...] = ()
    mishaps: tuple[Mishap, ...] = ()
    measures: Kind | None = None

    @property
    def tends(self) -> Memory | None:
        """What it tends to show more than there is, from its checks; None where no check says by how much."""
        off = [FinishedJob(one.off) for one in self.checks if one.off is not None]
        return remembered(off, self.repeatability or _USUAL_OFF) if off else None


# How far a gauge is expected to be off where nothing is known of its repeats, in its base unit.
_USUAL_OFF = 0.005


@dataclass(frozen=True, slots=True)
class Zero:
    """A gauge set on its datum, before some readings and after them."""

    id: str
    gauge: str = ""
    before: float | None = None
    after: float | None = None


@dataclass(frozen=True, slots=True)
class Shots:
    """A volume counted out: so many shots of one size and a part of one, in cc.

    ``size_u`` is the doubt of the size, common to all shots of it; ``random`` one shot's own
    scatter; ``part_u`` the doubt of the part shot. None: nobody said.
    """

    count: int
    size: float
    size_u: float | None
    random: float | None
    part: float
    part_u: float | None

    @property
    def volume(self) -> float:
        """V = N·v + part, in cc (trade.md 5)."""
        return self.count * self.size + self.part


class Filled(NamedTuple):
    """How a crown was filled: its rim so far below the deck, in a bore of that diameter.

    Lengths in mm; ``ring`` is what ran down to the ring, in cc. ``below_u`` None: nobody said.
    """

    below: float
    below_u: float | None
    bore: float
    ring: float

    @property
    def over_the_rim(self) -> float:
        """A·x + ring, in cc: what was poured and is not the crown's (trade.md 6)."""
        return math.pi / 4 * self.bore**2 * self.below / 1000 + self.ring


@dataclass(frozen=True, slots=True)
class Reading:
    """One reading as a fact.

    ``value`` in the base unit of its figure, before any correction: the mean of a tipped pair, the
    volume of counted shots; of a crown that was filled what is left of it (V_fill − A·x − ring).
    ``order`` is its place in the logbook.
    """

    id: str
    figure: str
    place: Place
    value: float
    unit: Unit
    order: int
    tipped: tuple[float, float] | None = None
    shots: Shots | None = None
    gauge: str = ""
    zero: str = ""
    on: str = ""
    pad_height: float | None = None
    spot: Position = NOWHERE
    temperature: float | None = None
    gauge_temperature: float | None = None
    conditions: frozenset[tuple[str, str]] = frozenset()
    by: str = ""
    at: str = ""
    typed: Mapping[str, Any] = field(default_factory=dict, compare=False)
    filled: Filled | None = None
    # Made by a stand-in for a gauge: computed with, and nothing is released on it.
    simulated: bool = False
    # Said once, for a logbook of thousands: the scatter it rests on, and what it is a repeat of.
    pool: str = field(init=False, compare=False)
    spot_words: str = field(init=False, compare=False)
    series: tuple[str, ...] = field(init=False, compare=False)

    def __post_init__(self) -> None:
        tool = f"{self.shots.size!r} cc" if self.shots else self.gauge
        put = object.__setattr__
        put(self, "pool", f"{self.figure}, {tool}, {self.way}")
        put(self, "spot_words", str(self.spot) if self.spot is not NOWHERE else "")
        conditions = " ".join(sorted(map("=".join, self.conditions))) if self.conditions else ""
        # Of a depth on the mock-up the axis only says that there was no rock; the rim is what is read.
        depth = self.figure == "deck_clearance"
        where = ("", self.on or "rim") if depth else (self.spot_words, self.on)
        put(self, "series", (str(self.place), *where, conditions))

    @property
    def way(self) -> str:
        """How it was taken: ``tipped``, ``shots`` or ``plain``."""
        return "tipped" if self.tipped else "shots" if self.shots else "plain"

    @property
    def rock(self) -> float | None:
        """Half the difference of the two sides, in mm; None where it was not tipped (trade.md 2)."""
        return abs(self.tipped[0] - self.tipped[1]) / 2 if self.tipped else None


@dataclass(frozen=True, slots=True)
class Voided:
    """A reading taken back, with the reason."""

    reading: str
    why: str
    by: str = ""
    at: str = ""


@dataclass(frozen=True, slots=True)
class MockUp:
    """How a mock-up was made: one set of parts or every hole its own; holes between by the line or the stack."""

    sets: str = "own"
    between: str = "stack"


@dataclass(frozen=True)
class Logbook:
    """Everything that was noted beside a build."""

    gauges: Mapping[str, Gauge] = field(default_factory=dict)
    zeros: Mapping[str, Zero] = field(default_factory=dict)
    readings: tuple[Reading, ...] = ()
    voided: tuple[Voided, ...] = ()
    mock_up: MockUp = MockUp()

    @cached_property
    def by_id(self) -> dict[str, Reading]:
        """The readings by their id."""
        return {reading.id: reading for reading in self.readings}

    @cached_property
    def void(self) -> dict[str, Voided]:
        """What was voided, by the reading's id."""
        return {one.reading: one for one in self.voided}

    @cached_property
    def _read_with(self) -> dict[str, str]:
        """The gauge that was read against each zero."""
        return {one.zero: one.gauge for one in self.readings if one.zero and one.gauge}

    def gauge_of(self, reading: Reading) -> Gauge | None:
        """Return the gauge a reading names; None where it names none that is known.

        Parameters
        ----------
        reading : Reading
            Of this logbook.
        """
        return self.gauges.get(reading.gauge) if reading.gauge else None

    def has_moved(self, zero: str) -> bool:
        """Tell whether a zero came back by more than one resolution of its gauge (trade.md 1).

        Parameters
        ----------
        zero : str
            Its id.
        """
        entry = self.zeros.get(zero)
        if entry is None or entry.before is None or entry.after is None:
            return False
        gauge = self.gauges.get(entry.gauge or self._read_with.get(zero, ""))
        step = gauge.resolution if gauge and gauge.resolution is not None else HOUSE_STEP
        # What is typed in decimals differs by a resolution only to within the rounding of floats.
        return abs(entry.after - entry.before) > step * (1 + 1e-9) + 1e-12


EMPTY = Logbook()


def latest(readings: Iterable[Reading]) -> Reading:
    """Return the latest reading: by its time where all have one, else by the order in the logbook.

    Parameters
    ----------
    readings : iterable of Reading
        One or more.

    Examples
    --------
    >>> from zygometra.core.measuring.examples import reading
    >>> latest([reading("a", at="2026-05-05T10:00:00Z"), reading("b", at="2026-05-05T09:00:00Z")]).id
    'a'
    """
    listed = list(readings)
    if all(one.at for one in listed):
        return max(listed, key=lambda one: (one.at, one.order))
    return max(listed, key=lambda one: one.order)
