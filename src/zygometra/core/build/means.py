"""What a shop may do to reach a target: levers with their limits, prices, times and tolerances, parts, set-ups.

Lengths in mm, volumes in cc, money in the shop's own, times in minutes and days. A lever that a
build does not name is not there; one that names no limit takes the house's.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from ..fields import FIELDS
from ..quantity import Quantity, Unstated, read_field, read_quantity
from ..units import Kind
from .lever_table import LEVER, SWAP, OpName

# What may be fitted in place of what is there.
PART_KINDS = ("piston", "rod", "crank", "head")
PartKind = Literal["piston", "rod", "crank", "head"]

Priority = Literal["cheapest", "least metal", "reversible first", "surest", "soonest"]
PRIORITIES: tuple[Priority, ...] = ("cheapest", "least metal", "reversible first", "surest", "soonest")

# How far plans may lie apart in cost, metal (cc) and yield before both are worth showing.
APART_COST, APART_METAL, APART_YIELD = 10.0, 4.0, 0.02


@dataclass(frozen=True, slots=True)
class FittedPart:
    """A part to fit: its kind and name, its figures by field name, and how it stands in a file."""

    kind: PartKind
    name: str
    figures: Mapping[str, Quantity]
    as_typed: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class PartChoice:
    """A part that may be had: for how much, in how many days, and what must be opened to fit it."""

    part: FittedPart
    price: float = 0.0
    days: float = 0.0
    needs: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class SetUpCost:
    """What it takes to open an engine so far that something can be done; once a plan."""

    cost: float = 0.0
    minutes: float = 0.0
    days: float = 0.0


@dataclass(frozen=True, slots=True)
class Means:
    """One operation that a shop may use: between which amounts, in which steps, at what cost.

    ``low`` and ``high`` bound an amount that is not nought (``high`` None: the house's limit);
    ``banks`` narrows them for single banks. ``metal`` is what one unit takes off, in cc.
    """

    op: OpName
    low: float = 0.0
    high: float | None = None
    step: Quantity | None = None
    tolerance: Quantity | None = None
    fixed: float = 0.0
    per_unit: float = 0.0
    minutes: float = 0.0
    minutes_per_unit: float = 0.0
    days: float = 0.0
    metal: float = 0.0
    needs: tuple[str, ...] = ()
    level: bool = False
    level_fixed: float = 0.0
    banks: Mapping[str, tuple[float | None, float | None]] = field(default_factory=dict)
    # The machine or outside shop that does it: what it did before stands for its tolerance.
    machine: str = ""


@dataclass(frozen=True, slots=True)
class Planning:
    """How plans are to be weighed: what comes first, the least yield, the seed, how far apart they must lie."""

    priority: Priority = "cheapest"
    least_yield: float = 0.5
    seed: int = 1
    apart_cost: float = APART_COST
    apart_metal: float = APART_METAL
    apart_yield: float = APART_YIELD
    # How well a deck clearance is read between two cuts, a standard uncertainty in mm; None: the house's.
    reading_u: float | None = None


USUAL_PLANNING = Planning()


def read_part(kind: PartKind, raw: Mapping[str, Any], unstated: Unstated) -> FittedPart:
    """Return a part to fit.

    Parameters
    ----------
    kind : str
        What it is.
    raw : Mapping
        Its figures, as ``parts`` of a document has them.
    unstated : {"house", "zero"}
        What unstated doubt becomes.
    """
    figures = {
        f.name: read_field(raw[f.name], f, unstated)
        for f in FIELDS
        if f.part == kind and raw.get(f.name) is not None
    }
    return FittedPart(kind, raw.get("name") or "", figures, dict(raw))


def read_means(op: OpName, raw: Mapping[str, Any], unstated: Unstated) -> Means:
    """Return what a document says of one operation.

    Parameters
    ----------
    op : str
        The operation.
    raw : Mapping
        Its entry among ``levers``.
    unstated : {"house", "zero"}
        What unstated doubt becomes.
    """
    kind = Kind.LENGTH if op == SWAP else LEVER[op].kind

    def amount(value: Any) -> float | None:
        return None if value is None else read_quantity(value, kind, dimension="limit").value

    step, tolerance = raw.get("step"), raw.get("tolerance")
    costs = {name: float(raw.get(name) or 0) for name in _COSTS}
    banks = {
        name: (amount(own.get("min")), amount(own.get("max")))
        for name, own in (raw.get("banks") or {}).items()
        if not name.startswith("x-")
    }
    return Means(
        op=op,
        low=amount(raw.get("min")) or 0.0,
        high=amount(raw.get("max")),
        step=None if step is None else read_quantity(step, kind, dimension="limit"),
        tolerance=None
        if tolerance is None
        else read_quantity(tolerance, kind, dimension=op, unstated=unstated),
        needs=tuple(raw.get("needs") or ()),
        level=bool(raw.get("level", False)),
        banks=banks,
        machine=raw.get("machine") or "",
        **costs,
    )


_COSTS = ("fixed", "per_unit", "minutes", "minutes_per_unit", "days", "metal", "level_fixed")


def read_planning(raw: Mapping[str, Any]) -> Planning:
    """Return how plans are to be weighed.

    Parameters
    ----------
    raw : Mapping
        ``planning`` of a document.
    """
    apart, reading = raw.get("apart") or {}, (raw.get("reading") or {}).get("deck_clearance") or {}
    usual = USUAL_PLANNING
    given = reading.get("u")

    def or_usual(of: Mapping[str, Any], key: str, default: float) -> float:
        return default if of.get(key) is None else float(of[key])

    return Planning(
        priority=raw.get("priority") or usual.priority,
        least_yield=or_usual(raw, "least_yield", usual.least_yield),
        seed=int(or_usual(raw, "seed", usual.seed)),
        apart_cost=or_usual(apart, "cost", usual.apart_cost),
        apart_metal=or_usual(apart, "metal_cc", usual.apart_metal),
        apart_yield=or_usual(apart, "yield", usual.apart_yield),
        reading_u=None if given is None else read_quantity(given, Kind.LENGTH, dimension="exact").value,
    )
