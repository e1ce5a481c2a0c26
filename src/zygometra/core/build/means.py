"""What a shop may do to reach a target: levers with their limits, prices, times and tolerances, parts, set-ups.

Lengths in mm, volumes in cc, money in the shop's own, times in minutes and days. A lever that a
build does not name is not there; one that names no limit takes the house's.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import Annotated, Any, Literal

import msgspec
from msgspec import Struct

from ..quantity import Quantity, Unstated
from ..records import DimensionTable, ListOf, MapOf, Nested, Record
from ..slots import BANK, WORD, Figure, Flag, OneOf, Plain, Real, Slot, Whole, length
from ..units import Kind
from .lever_table import AMOUNTS, SWAP, Lever, OpName

# What may be fitted in place of what is there.
PART_KINDS = ("piston", "rod", "crank", "head")
PartKind = Literal["piston", "rod", "crank", "head"]

Priority = Literal["cheapest", "least metal", "reversible first", "surest", "soonest"]
PRIORITIES: tuple[Priority, ...] = ("cheapest", "least metal", "reversible first", "surest", "soonest")

# How far plans may lie apart in cost, metal (cc) and yield before both are worth showing.
APART_COST, APART_METAL, APART_YIELD = 10.0, 4.0, 0.02


class FittedPart(Struct, frozen=True):
    """A part to fit: its kind and name, its figures by field name, and how it stands in a file."""

    kind: PartKind
    name: str
    figures: Mapping[str, Quantity]
    as_typed: Mapping[str, Any]


class PartChoice(Struct, frozen=True):
    """A part that may be had: for how much, in how many days, and what must be opened to fit it."""

    part: FittedPart
    price: float = 0.0
    days: float = 0.0
    needs: tuple[str, ...] = ()


MOST_MONEY, MOST_MINUTES, MOST_DAYS = 1e9, 1e6, 1e5
_MONEY, _MINUTES, _DAYS, _METAL = Real(0, MOST_MONEY), Real(0, MOST_MINUTES), Real(0, MOST_DAYS), Real(0, 1e6)
NEEDS = ListOf(WORD, 20)


class SetUpCost(Record, frozen=True, kw_only=True, eq=False):
    """What it takes to open an engine so far that something can be done; once a plan."""

    cost: Annotated[float, _MONEY] = 0.0
    minutes: Annotated[float, _MINUTES] = 0.0
    days: Annotated[float, _DAYS] = 0.0


class Means(Record, frozen=True, kw_only=True, eq=False):
    """One operation that a shop may use: between which amounts, in which steps, at what cost.

    ``low`` and ``high`` bound an amount that is not nought (``high`` None: the house's limit);
    ``banks`` narrows them for single banks. ``metal`` is what one unit takes off, in cc.
    """

    KEYS = {"low": "min", "high": "max"}

    fixed: Annotated[float, _MONEY] = 0.0
    minutes: Annotated[float, _MINUTES] = 0.0
    days: Annotated[float, _DAYS] = 0.0
    needs: Annotated[tuple[str, ...], NEEDS] = ()
    op: OpName
    low: float = 0.0
    high: float | None = None
    step: Quantity | None = None
    tolerance: Quantity | None = None
    # The machine or outside shop that does it: what it did before stands for its tolerance.
    machine: str = ""
    per_unit: float = 0.0
    minutes_per_unit: float = 0.0
    metal: float = 0.0
    level: bool = False
    level_fixed: float = 0.0
    banks: Mapping[str, tuple[float | None, float | None]] = {}
    # The same high limit as it was typed.
    limit: Quantity | None = None

    @classmethod
    def understood(
        cls, _raw: Mapping[str, Any], values: dict[str, Any], _unstated: Unstated
    ) -> dict[str, Any]:
        """Return the limits of single banks as pairs, and the limit as it was typed beside its value."""
        if "banks" in values:
            values["banks"] = {
                name: (own.get("min"), own.get("max")) for name, own in values["banks"].items()
            }
        limit: Quantity | None = values.get("high")
        return values if limit is None else {**values, "high": limit.value, "limit": limit}


class _OfLever(Slot):
    """What a shop may do with one lever: read with its own limits, kept as :class:`Means`."""

    def __init__(self, op: OpName, lever: Lever | None) -> None:
        self.op, self.lever = op, lever

    @cached_property
    def record(self) -> type[Means]:
        """What a file may say of it; made when first asked for."""
        return Means if self.lever is None else _record_of(self.lever)

    def read(self, raw: Any, unstated: Unstated) -> Means:
        """Return the lever's limits and what it takes."""
        read = self.record.read(raw, unstated, op=self.op)
        return Means(**{name: getattr(read, name) for name in Means.__struct_fields__})

    def schema(self, shared: dict[str, Any]) -> dict[str, Any]:
        """Return the reference to its schema."""
        return Nested(self.record).schema(shared)


def _record_of(lever: Lever) -> type[Means]:
    """The record of one lever: its amounts have its unit and its limits."""
    figure = Figure(lever.kind, "limit", 0, lever.most)
    amount = Plain(lever.kind, "limit", 0, lever.most)
    cut = lever.kind is Kind.LENGTH
    of_bank = DimensionTable("CutLimits" if cut else "OpeningLimits", {"min": amount, "max": amount})
    own: dict[str, Any] = {
        "low": Annotated[float, amount],
        "high": Annotated[float | None, figure],
        "step": Annotated[Quantity | None, Figure(lever.kind, "limit", 1e-4, lever.most)],
        "tolerance": Annotated[Quantity | None, Figure(lever.kind, lever.key, 0, lever.most)],
        "per_unit": Annotated[float, _MONEY],
        "minutes_per_unit": Annotated[float, _MINUTES],
        "metal": Annotated[float, _METAL],
        "banks": Annotated[Mapping[str, Any], MapOf(BANK, of_bank)],
    }
    if cut:
        own |= {
            "machine": Annotated[str, WORD],
            "level": Annotated[bool, Flag()],
            "level_fixed": Annotated[float, _MONEY],
        }
    usual = {"low": 0.0, "per_unit": 0.0, "minutes_per_unit": 0.0, "metal": 0.0, "banks": {}}
    usual |= {"machine": "", "level": False, "level_fixed": 0.0}
    made: type[Means] = msgspec.defstruct(  # type: ignore[assignment]
        "CutLever" if cut else "OpeningLever",
        [(name, kind, usual.get(name)) for name, kind in own.items()],
        bases=(Means,),
        namespace={"__doc__": Means.__doc__},
        frozen=True,
        kw_only=True,
        eq=False,
    )
    return made


MEANS_OF: dict[OpName, Slot] = {lever.key: _OfLever(lever.key, lever) for lever in AMOUNTS}
MEANS_OF[SWAP] = _OfLever(SWAP, None)


class PlansApart(Record, frozen=True, kw_only=True, eq=False):
    """How far plans must lie apart for both to be shown: money, cc of metal, yield as a share of 1."""

    KEYS = {"yield_": "yield"}

    cost: Annotated[float, _MONEY] = APART_COST
    metal_cc: Annotated[float, _METAL] = APART_METAL
    yield_: Annotated[float, Real(0, 1)] = APART_YIELD


class BetweenCuts(Record, frozen=True, kw_only=True, eq=False):
    """How well a figure is read between two cuts: a standard uncertainty in mm; None: the house's."""

    u: Annotated[float | None, length(0, 10)] = None


class Planning(Record, frozen=True, kw_only=True, eq=False):
    """How plans are to be weighed: what comes first, the least yield, the seed, how far apart they must lie."""

    priority: Annotated[Priority, OneOf(*PRIORITIES)] = "cheapest"
    least_yield: Annotated[float, Real(0, 1)] = 0.5
    seed: Annotated[int, Whole(0, 2**31 - 1)] = 1
    apart: Annotated[PlansApart, Nested(PlansApart)] = PlansApart()
    reading: Annotated[
        Mapping[str, BetweenCuts], DimensionTable("ReadingBetween", {"deck_clearance": Nested(BetweenCuts)})
    ] = {}

    @property
    def reading_u(self) -> float | None:
        """How well a deck clearance is read between two cuts, in mm; None: the house's."""
        between = self.reading.get("deck_clearance")
        return None if between is None else between.u


USUAL_PLANNING = Planning()
