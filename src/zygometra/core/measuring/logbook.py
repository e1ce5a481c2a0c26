"""The logbook: what was read, where, with what, and under which conditions.

Facts only. What they come to is worked out in :mod:`.selection` and :mod:`.figures`.
Values stand in base units; what was typed stands beside them.
"""

# long: each record of a logbook with what it means

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Annotated, Any, NamedTuple

import msgspec

from ..build.model import MockUp
from ..errors import QuantityError
from ..fields import BANK_NAMES, CYLINDER_NAMES, FIELDS, Field
from ..memory import FinishedJob, Memory, remembered
from ..place import NOWHERE, Place, Position
from ..quantity import Quantity, Unstated, read_field, read_quantity
from ..records import ListOf, Nested, Record, together
from ..slots import (
    HOLE,
    ID,
    NOTE,
    QUANTITY,
    SAID,
    WORD,
    WORDS,
    Anything,
    Checked,
    Day,
    Figure,
    Flag,
    FlagOrText,
    Moment,
    NumberSlot,
    OneOf,
    TextSlot,
    Whole,
    length,
    volume,
)
from ..units import BASE, Kind, Unit


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


def gauge_figure(raw: Any, kind: Kind | None = None) -> tuple[float, Kind | None]:
    """Return a figure of a gauge in base units: a number says nothing of what the gauge measures.

    Parameters
    ----------
    raw : object
        A quantity; with a unit it must be one of length, volume, angle or area.
    kind : Kind, optional
        What it must be, where that is known.

    Returns
    -------
    value : float
        In mm, cc, degrees or mm²; nought or more.
    kind : Kind or None
        What its unit says; None for a bare number.

    Raises
    ------
    QuantityError
        If it is no such quantity.

    Examples
    --------
    >>> gauge_figure("0.0005 in")[0], gauge_figure(0.01)
    (0.0127, (0.01, None))
    """
    kinds = (kind,) if kind else (Kind.LENGTH, Kind.VOLUME, Kind.ANGLE, Kind.AREA)
    refused: QuantityError | None = None
    for one in kinds:
        try:
            quantity = read_quantity(raw, one, dimension="exact", low=0, high=1e6)
        except QuantityError as error:
            refused = refused or error
            continue
        return quantity.value, one if _says_unit(raw) else None
    assert refused is not None
    raise refused


def _says_unit(raw: Any) -> bool:
    if isinstance(raw, Mapping):
        return raw.get("unit") is not None or isinstance(raw.get("value"), str)
    return isinstance(raw, str) and not raw.replace(".", "", 1).replace(",", "", 1).strip().isdigit()


def gauge_off(raw: Any, kind: Kind | None = None) -> float:
    """Return by how much a gauge showed more than its master, in its base unit.

    Parameters
    ----------
    raw : object
        A quantity, either way of nought.
    kind : Kind, optional
        What the gauge measures; a length where nobody said.

    Examples
    --------
    >>> gauge_off("-4 um")
    -0.004
    """
    return read_quantity(raw, kind or Kind.LENGTH, dimension="exact", low=-50, high=50).value


def _off(raw: Any) -> Any:
    """What a gauge showed more than its master, as it was written: a length or a volume."""
    try:
        gauge_off(raw)
    except QuantityError:
        gauge_off(raw, Kind.VOLUME)
    return raw


_OF_GAUGE = Checked(gauge_figure, QUANTITY)


class Check(Record, frozen=True, kw_only=True, eq=False):
    """A gauge against its master on a day: whether it was good, and by how much it showed more (None: not said).

    ``off`` in the base unit of the gauge.
    """

    on: Annotated[str, Day()]
    good: Annotated[bool, Flag()]
    off: Annotated[float | None, Checked(_off, QUANTITY)] = None


class Mishap(Record, frozen=True, kw_only=True, eq=False):
    """What happened to a gauge on a day: dropped, crashed."""

    on: Annotated[str, Day()]
    what: Annotated[str, TextSlot(80, 1)]


GAUGE_FIGURES = ("resolution", "u", "u_travel", "repeatability", "feel")


class Gauge(Record, frozen=True, kw_only=True, eq=False):
    """One gauge; numbers without a unit are in the base unit of what it reads.

    Lengths in mm, volumes in cc: figures of a gauge have the base unit of what it reads.
    None: nobody said. ``u`` is a standard uncertainty, normal; ``u_travel`` what stays of it in a
    difference from a zero; ``feel`` that of a transfer gauge, read with the gauge ``read_with``.
    """

    id: str
    kind: Annotated[str, WORD] = ""
    resolution: Annotated[float | None, _OF_GAUGE] = None
    u: Annotated[float | None, _OF_GAUGE] = None
    u_travel: Annotated[float | None, _OF_GAUGE] = None
    repeatability: Annotated[float | None, _OF_GAUGE] = None
    feel: Annotated[float | None, _OF_GAUGE] = None
    read_with: Annotated[str, ID] = ""
    material: Annotated[str, WORD] = "steel"
    compensated: Annotated[bool, Flag()] = False
    checks: Annotated[tuple[Check, ...], ListOf(Nested(Check), 500)] = ()
    mishaps: Annotated[tuple[Mishap, ...], ListOf(Nested(Mishap), 500)] = ()
    measures: Kind | None = None

    @classmethod
    def understood(
        cls, raw: Mapping[str, Any], values: dict[str, Any], _unstated: Unstated
    ) -> dict[str, Any]:
        """Return its figures in one base unit: what the first with a unit says the gauge measures, all measure."""
        measures: Kind | None = None
        for key in GAUGE_FIGURES:
            if key in values:
                value, kind = values[key]
                if measures is not None and kind is not measures:
                    try:
                        value, kind = gauge_figure(raw[key], measures)
                    except QuantityError as error:
                        raise QuantityError(f"{key} {error.found}", error.wanted) from None
                values[key], measures = value, measures or kind
        checks = tuple(
            one if one.off is None else one.with_(off=gauge_off(one.off, measures))
            for one in values.get("checks", ())
        )
        known = cls(**{**values, "checks": checks, "measures": measures})
        if known.u is None and (tends := known.tends) is not None:
            # Nobody stated its doubt: what its checks showed stands in, as doubt and never as a correction.
            values["u"] = math.hypot(tends.bias, tends.u)
        # What stands empty in the register or a file is not said.
        material = values.get("material") or "steel"
        return {**values, "checks": checks, "measures": measures, "material": material}

    @property
    def tends(self) -> Memory | None:
        """What it tends to show more than there is, from its checks; None where no check says by how much."""
        off = [FinishedJob(one.off) for one in self.checks if one.off is not None]
        return remembered(off, self.repeatability or _USUAL_OFF) if off else None


# How far a gauge is expected to be off where nothing is known of its repeats, in its base unit.
_USUAL_OFF = 0.005


class Zero(Record, frozen=True, kw_only=True, eq=False):
    """A gauge set on its datum: what it showed before some readings and after them, in mm."""

    id: str
    gauge: Annotated[str, ID] = ""
    before: Annotated[float | None, length(-1000, 1000)] = None
    after: Annotated[float | None, length(-1000, 1000)] = None
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Moment()] = ""


# Shots of one filling at most; a shot: from a drop to a litre.
MOST_SHOTS = 10_000
_SHOT = Figure(Kind.VOLUME, "exact", 1e-4, 1000)


class Shots(Record, frozen=True, kw_only=True, eq=False):
    """A volume counted out: so many shots of one size and a part of one, in cc.

    ``size_u`` is the doubt of the size, common to all shots of it; ``random`` one shot's own
    scatter; ``part_u`` the doubt of the part shot. None: nobody said.
    """

    count: Annotated[int, Whole(0, MOST_SHOTS)]
    size: Annotated[float, _SHOT]
    part: Annotated[float, Figure(Kind.VOLUME, "exact", 0, 1000)] = 0.0
    random: Annotated[float | None, volume(0, 1000)] = None
    size_u: float | None = None
    part_u: float | None = 0.0
    unit: Unit = BASE[Kind.VOLUME]

    @classmethod
    def understood(
        cls, _raw: Mapping[str, Any], values: dict[str, Any], _unstated: Unstated
    ) -> dict[str, Any]:
        """Return size and part apart from their doubts."""
        size: Quantity = values["size"]
        values |= {"size": size.value, "size_u": stated_u(size), "unit": size.unit}
        part: Quantity | None = values.get("part")
        return values if part is None else {**values, "part": part.value, "part_u": stated_u(part)}

    @property
    def volume(self) -> float:
        """V = N·v + part, in cc (trade.md 5)."""
        return self.count * self.size + self.part


def stated_u(quantity: Quantity) -> float | None:
    """Return the doubt that was stated of a quantity, in its base unit; None where the house's would stand in.

    Parameters
    ----------
    quantity : Quantity
        As it was read.
    """
    return None if quantity.doubt in ("none", "house") else quantity.u


class Conditions(Record, frozen=True, kw_only=True, eq=False):
    """Under what a reading was taken."""

    caps: Annotated[str | None, WORD] = None
    plate: Annotated[bool | str | None, FlagOrText(80)] = None
    oiled: Annotated[bool | str | None, FlagOrText(80)] = None
    shells: Annotated[bool | str | None, FlagOrText(80)] = None
    block: Annotated[str | None, OneOf("upright", "inverted")] = None
    rod: Annotated[str | None, WORD] = None
    piston: Annotated[str | None, WORD] = None
    fastener: Annotated[str | None, WORD] = None
    level_stood: Annotated[bool | str | None, FlagOrText(80)] = None
    hours_since_machining: Annotated[float | None, NumberSlot(0, 1e6)] = None


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


_DEGREES = NumberSlot(-60, 200)
_VALUES = ("value", "tipped", "shots")


class Reading(Record, frozen=True, kw_only=True, eq=False):
    """One reading as a fact: a value, a tipped pair, or counted shots.

    ``value`` in the base unit of its figure, before any correction: the mean of a tipped pair, the
    volume of counted shots; of a crown that was filled what is left of it (V_fill − A·x − ring).
    ``order`` is its place in the logbook.
    """

    id: Annotated[str, ID]
    figure: Annotated[str, OneOf(*READABLE)]
    bank: Annotated[str | None, TextSlot()] = None
    cylinder: Annotated[int | None, HOLE] = None
    value: Annotated[float, Anything()] = math.nan
    tipped: Annotated[tuple[float, float] | None, ListOf(Anything(), 2, 2)] = None
    shots: Annotated[Shots | None, Nested(Shots)] = None
    gauge: Annotated[str, ID] = ""
    zero: Annotated[str, ID] = ""
    on: Annotated[str, OneOf(*SURFACES)] = ""
    pad_height: Annotated[float | None, length(-500, 500)] = None
    rim_below: Annotated[Quantity | None, Figure(Kind.LENGTH, "exact", 0, 500)] = None
    bore: Annotated[float | None, length(5, 1500)] = None
    ring_volume: Annotated[float | None, volume(0, 1000)] = None
    axis: Annotated[str | None, OneOf(*AXES)] = None
    depth: Annotated[float | None, length(0, 3000)] = None
    clock: Annotated[float | None, NumberSlot(0, 360)] = None
    temperature: Annotated[float | None, _DEGREES] = None
    gauge_temperature: Annotated[float | None, _DEGREES] = None
    conditions: Annotated[frozenset[tuple[str, str]], Nested(Conditions)] = frozenset()
    # Made by a stand-in for a gauge: computed with, and nothing is released on it.
    simulated: Annotated[bool, Flag()] = False
    says: Annotated[str, NOTE] = ""
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Moment()] = ""
    place: Place
    unit: Unit
    order: int = 0
    spot: Position = NOWHERE
    filled: Filled | None = None
    # Said once, for a logbook of thousands: the scatter it rests on, and what it is a repeat of.
    pool: str = ""
    spot_words: str = ""
    series: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        """Say once what it is a repeat of."""
        tool = f"{self.shots.size!r} cc" if self.shots else self.gauge
        put = msgspec.structs.force_setattr
        put(self, "pool", f"{self.figure}, {tool}, {self.way}")
        put(self, "spot_words", str(self.spot) if self.spot is not NOWHERE else "")
        conditions = " ".join(sorted(map("=".join, self.conditions))) if self.conditions else ""
        # Of a depth on the mock-up the axis only says that there was no rock; the rim is what is read.
        depth = self.figure == "deck_clearance"
        where = ("", self.on or "rim") if depth else (self.spot_words, self.on)
        put(self, "series", (str(self.place), *where, conditions))

    @classmethod
    def understood(cls, raw: Mapping[str, Any], values: dict[str, Any], unstated: Unstated) -> dict[str, Any]:
        """Return what was read in the base unit of its figure, and where.

        Raises
        ------
        QuantityError, Wrong
            If its figure cannot be read there, or its value is none that could be.
        """
        figure, bank, cylinder = values["figure"], values.get("bank"), values.get("cylinder")
        if bank is not None and cylinder is not None:
            raise together(".bank", "a bank beside a cylinder", "one place")
        given = [key for key in _VALUES if raw.get(key) is not None]
        if len(given) != 1:
            found = "nothing" if not given else " and ".join(given)
            raise together(f".{given[0] if given else 'value'}", found, "one of value, tipped, shots")
        if given[0] == "tipped" and figure != "deck_clearance":
            raise together(".tipped", f"a tipped pair of {figure}", "value; pairs are of deck_clearance")
        for key in ("bore", "ring_volume"):
            if key in values and "rim_below" not in values:
                raise together(f".{key}", f"{key} without rim_below", "how far below the deck the rim stood")
        try:
            read = _value_of(raw, values, READABLE[figure], unstated)
            filled = _filled(values, figure)
            if filled is not None:
                read["value"] = _left_of(read["value"], filled, READABLE[figure])
        except QuantityError as error:
            raise together(f".{given[0]}", error.found, error.wanted) from None
        return {
            **values,
            **read,
            "filled": filled,
            "spot": _spot(values),
            "conditions": _conditions(raw.get("conditions")),
        }

    @property
    def way(self) -> str:
        """How it was taken: ``tipped``, ``shots`` or ``plain``."""
        return "tipped" if self.tipped else "shots" if self.shots else "plain"

    @property
    def rock(self) -> float | None:
        """Half the difference of the two sides, in mm; None where it was not tipped (trade.md 2)."""
        return abs(self.tipped[0] - self.tipped[1]) / 2 if self.tipped else None


def _value_of(
    raw: Mapping[str, Any], values: Mapping[str, Any], field: Field, unstated: Unstated
) -> dict[str, Any]:
    """Place, value in the base unit, the unit it was typed in, and the two sides or the shots it is made of."""
    figure, cylinder = values["figure"], values.get("cylinder")
    try:
        place = place_of(figure, values.get("bank"), cylinder)
    except KeyError:
        where = "a hole" if cylinder is not None else "a bank"
        raise QuantityError(f"{field.label} of {where}", _may_be_read_at(figure)) from None
    if figure == "deck_clearance" and cylinder is None:
        raise QuantityError("a deck clearance without a hole", "the cylinder it was read in")
    if (pair := values.get("tipped")) is not None:
        one, other = (read_field(side, field, unstated) for side in pair)
        sides = one.value, other.value
        return {"place": place, "value": (sides[0] + sides[1]) / 2, "unit": other.unit, "tipped": sides}
    shots: Shots | None = values.get("shots")
    if shots is not None:
        if not field.low <= shots.volume <= field.high:
            raise QuantityError(f"{shots.volume:.6g} cc", f"{field.low:g} to {field.high:g} cc")
        return {"place": place, "value": shots.volume, "unit": shots.unit}
    quantity = read_field(raw["value"], field, unstated)
    return {"place": place, "value": quantity.value, "unit": quantity.unit}


def _spot(values: Mapping[str, Any]) -> Position:
    """Where on the part."""
    depth, axis, clock = values.get("depth"), values.get("axis"), values.get("clock")
    return NOWHERE if depth is axis is clock is None else Position(depth=depth, axis=axis, clock=clock)


def _conditions(raw: Mapping[str, Any] | None) -> frozenset[tuple[str, str]]:
    return frozenset((key, _said(value)) for key, value in (raw or {}).items() if not key.startswith("x-"))


def _said(value: Any) -> str:
    return str(value).lower() if isinstance(value, bool) else str(value)


def _left_of(poured: float, filled: Filled, field: Field) -> float:
    """What is left of a filling once the bore over the rim is taken off, in cc."""
    value = poured - filled.over_the_rim
    if not field.low <= value <= field.high:
        raise QuantityError(
            f"{value:.6g} cc once the bore is taken off", f"{field.low:g} to {field.high:g} cc"
        )
    return value


def _filled(values: Mapping[str, Any], figure: str) -> Filled | None:
    """How a crown was filled; None where what was read is the crown itself."""
    below: Quantity | None = values.get("rim_below")
    if below is None:
        return None
    if figure != "crown_volume":
        raise QuantityError(f"a rim below the deck with {figure}", "it with crown_volume only")
    if values.get("bore") is None:
        raise QuantityError("a crown that was filled without its bore", "bore, such as 92.0 mm")
    return Filled(below.value, stated_u(below), values["bore"], values.get("ring_volume") or 0.0)


def _may_be_read_at(figure: str) -> str:
    """Where a figure may be read, in words."""
    field = READABLE[figure]
    places = [
        *(("a cylinder",) if field.per_cylinder else ()),
        *(("a bank",) if field.per_bank else ()),
        *(("no place, for the whole engine",) if field.part != "mock-up" else ()),
    ]
    return " or ".join(places)


class Voided(Record, frozen=True, kw_only=True, eq=False):
    """A reading taken back, with the reason."""

    reading: Annotated[str, ID]
    why: Annotated[str, SAID]
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Moment()] = ""


class Found(Record, frozen=True, kw_only=True, eq=False):
    """Something found on a part: a mark, a blocked passage, a broken stud."""

    id: Annotated[str, ID]
    what: Annotated[str, SAID]
    where: Annotated[str, TextSlot(200)] = ""
    bank: Annotated[str | None, TextSlot()] = None
    cylinder: Annotated[int | None, HOLE] = None
    consequence: Annotated[str, WORDS] = ""
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Moment()] = ""


_OWN_PARTS = MockUp()


@dataclass(frozen=True)
class Logbook:
    """Everything that was noted beside a build."""

    gauges: Mapping[str, Gauge] = field(default_factory=dict)
    zeros: Mapping[str, Zero] = field(default_factory=dict)
    readings: tuple[Reading, ...] = ()
    voided: tuple[Voided, ...] = ()
    mock_up: MockUp = _OWN_PARTS

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
