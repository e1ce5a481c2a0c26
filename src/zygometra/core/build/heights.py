"""Cuts to a named height: what comes off at each hole, from its own deck height down to one plane."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TYPE_CHECKING

from ..digits import MOST_DECIMALS
from ..place import Place
from ..quantity import Quantity
from ..units import from_base
from .cut_log import CutPlace

# Under a plane that was cut a hole lies untouched where it stands lower than this, in mm: more than readings scatter.
_AIR = 0.02

if TYPE_CHECKING:
    from .model import Bank, Build, Operation


def to_their_heights(build: Build) -> tuple[Operation, ...]:
    """Return the plan of a build with every cut to a named height told hole by hole.

    Parameters
    ----------
    build : Build
        With its figures and its log.

    Returns
    -------
    tuple of Operation
        Of a cut to a height H* its depth at each hole is H − H*, in mm, H the deck height there as it was before
        the first pass; not a number where it is not known. ``amount`` is the deepest of them.
    """
    return tuple(op if op.to_height is None else _told(build, op, op.to_height) for op in build.planned)


def _told(build: Build, op: Operation, to: Quantity) -> Operation:
    depths = {
        number: _depth(to, height - to.value)
        for bank in build.banks
        for number, height in _heights(build, bank).items()
        if op.acts_on(bank.name, number)
    }
    known = [depth.value for depth in depths.values() if not math.isnan(depth.value)]
    return replace(op, depths=depths, amount=_depth(to, max(known, default=math.nan)))


def _depth(to: Quantity, mm: float) -> Quantity:
    """A depth that is missed by what the height is missed by, in its unit."""
    number = from_base(mm, to.unit)
    text = f"{number:.{MOST_DECIMALS.get(to.unit.symbol, 3)}f} {to.unit.symbol}"
    return replace(to, value=mm, number=number, as_typed=text)


def _heights(build: Build, bank: Bank) -> dict[int, float]:
    """The deck height at each hole of a bank before anything was cut, in mm; not a number where it is not known."""
    place, figures = CutPlace("deck_cut", bank.name), build.figures
    now, before = dict[int, float](), dict[int, float]()
    for number in bank.cylinders:
        paths = (
            f"cylinders.{number}.deck_height",
            f"banks.{bank.name}.deck_height",
            "parts.block.deck_height",
        )
        path = next((one for one in paths if one in figures), None)
        now[number] = math.nan if path is None else figures[path].value
        # What was cut before it was read is not in it any more.
        read_at = "" if path is None else _read_at(build, path)
        before[number] = build.cuts.total(place) - build.cuts.total(place, read_at)
    cut = [now[n] for n in bank.cylinders if before[n] > 0]
    for n in bank.cylinders:
        if before[n] > 0 and max(cut) - now[n] > _AIR:
            # It lies lower than the plane that was cut so far: the tool went over it in the air.
            before[n] = 0.0
    return {n: now[n] + before[n] for n in bank.cylinders}


def _read_at(build: Build, path: str) -> str:
    series = build.in_use.series.get(Place.parse(path)) if build.in_use is not None else None
    if series is not None:
        return max((one.at for one in series.readings), default="")
    return build.surveyed_at.get(path, "")
