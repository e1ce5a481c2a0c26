"""Cuts to a named height: what comes off at each hole, from its own deck height down to one plane."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from ..digits import MOST_DECIMALS
from ..place import Place
from ..quantity import Quantity
from ..units import from_base
from .cut_log import CutPlace

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
        number: _depth(to, _height(build, bank, number) - to.value)
        for bank in build.banks
        for number in bank.cylinders
        if op.acts_on(bank.name, number)
    }
    known = [depth.value for depth in depths.values() if not math.isnan(depth.value)]
    return replace(op, depths=depths, amount=_depth(to, max(known, default=math.nan)))


def _depth(to: Quantity, mm: float) -> Quantity:
    """A depth that is missed by what the height is missed by, in its unit."""
    number = from_base(mm, to.unit)
    text = f"{number:.{MOST_DECIMALS.get(to.unit.symbol, 3)}f} {to.unit.symbol}"
    return replace(to, value=mm, number=number, as_typed=text)


def _height(build: Build, bank: Bank, number: int) -> float:
    """The deck height at a hole before anything was cut, in mm; not a number where it is not known."""
    figures: Mapping[str, Quantity] = build.figures
    paths = (f"cylinders.{number}.deck_height", f"banks.{bank.name}.deck_height", "parts.block.deck_height")
    path = next((one for one in paths if one in figures), None)
    if path is None:
        return math.nan
    place = CutPlace("deck_cut", bank.name)
    # What was cut before it was read is not in it any more.
    before = build.cuts.total(place) - build.cuts.total(place, _read_at(build, path))
    return figures[path].value + before


def _read_at(build: Build, path: str) -> str:
    series = build.in_use.series.get(Place.parse(path)) if build.in_use is not None else None
    if series is not None:
        return max((one.at for one in series.readings), default="")
    return build.surveyed_at.get(path, "")
