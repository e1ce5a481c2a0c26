"""Fuel against ratio: advice by the shop's own table, never a gate.

RON and AKI are different scales: AKI = (RON + MON)/2, some four to five under RON for pump fuel. A bare octane number
says nothing until its scale is told.
"""

from __future__ import annotations

import itertools
import math
from typing import Literal, NamedTuple

from msgspec import Struct

from .house_rules import FUEL_TABLE, HouseRules

Scale = Literal["RON", "AKI", "MON"]
SCALES: tuple[Scale, ...] = ("RON", "AKI", "MON")
HEADS = ("iron", "aluminium")
# How far pump fuel's other scales lie under its RON, from and to: twice as far for MON, since AKI is their mean.
_UNDER_RON: dict[Scale, tuple[float, float]] = {"RON": (0.0, 0.0), "AKI": (4.0, 5.0), "MON": (8.0, 10.0)}


class Fuel(Struct, frozen=True):
    """What it is to run on: an octane number and its scale, empty where nobody told it."""

    octane: float
    scale: Scale | Literal[""] = ""

    @property
    def words(self) -> str:
        """Such as ``RON 95``; a number alone says that its scale is not told."""
        return f"{self.scale} {self.octane:g}" if self.scale else f"octane {self.octane:g}, scale not told"


class TopRatio(NamedTuple):
    """Between which static ratios the table ends for a fuel, and how it was read."""

    low: float
    high: float
    says: str


def ron_of(fuel: Fuel) -> tuple[float, float] | None:
    """Return between which RON a pump fuel lies; None where its scale is not told, no unit.

    Parameters
    ----------
    fuel : Fuel
        What it is to run on.

    Examples
    --------
    >>> ron_of(Fuel(91, "AKI")), ron_of(Fuel(95, "RON")), ron_of(Fuel(95))
    ((95.0, 96.0), (95.0, 95.0), None)
    """
    if not fuel.scale:
        return None
    low, high = _UNDER_RON[fuel.scale]
    return fuel.octane + low, fuel.octane + high


def table_of(rules: HouseRules) -> list[tuple[float, float]]:
    """Return the shop's table: RON and the top static ratio with an iron head and good quench, rising, no unit.

    Parameters
    ----------
    rules : HouseRules
        In force.
    """
    return [(float(ron), rules[f"fuel.{ron}"]) for ron in FUEL_TABLE]


def top_ratio(fuel: Fuel, head: str, quench: float | None, rules: HouseRules) -> TopRatio | None:
    """Return where the shop's table ends for a fuel; None where the scale is not told or the table does not reach.

    Parameters
    ----------
    fuel : Fuel
        What it is to run on.
    head : str
        What the head is made of: ``iron``, ``aluminium``, or empty where nobody said (taken as iron).
    quench : float or None
        The widest of the engine, in mm; None where it is not known.
    rules : HouseRules
        For the table and what shifts it.

    Returns
    -------
    TopRatio
        Rough, naturally aspirated, road use, two-valve heads of medium bore; no unit.

    Notes
    -----
    A straight line between the rows of the shop's table (trade.md 16).

    Examples
    --------
    >>> from .house_rules import rules_for
    >>> top_ratio(Fuel(95, "RON"), "iron", 1.1, rules_for("")).high
    10.0
    >>> top_ratio(Fuel(95, "RON"), "aluminium", 1.8, rules_for("")).high
    10.0
    """
    asked = ron_of(fuel)
    if asked is None:
        return None
    ends = [_at(table_of(rules), ron) for ron in asked]
    if any(math.isnan(end) for end in ends):
        return None
    shift = rules["fuel_aluminium"] if head == "aluminium" else 0.0
    wide = quench is not None and quench > rules["fuel_quench"]
    shift -= rules["fuel_wide_quench"] if wide else 0.0
    made = f"{head} head" if head else "as for an iron head, nobody said which it is"
    return TopRatio(min(ends) + shift, max(ends) + shift, f"{made}{', wide gap' if wide else ''}")


def _at(table: list[tuple[float, float]], ron: float) -> float:
    """The table between its rows; not a number beyond its ends."""
    for (low, first), (high, last) in itertools.pairwise(table):
        if low <= ron <= high:
            return first + (last - first) * (ron - low) / (high - low)
    return math.nan
