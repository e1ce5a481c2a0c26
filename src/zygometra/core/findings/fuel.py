"""Fuel against ratio, as advice: where the shop's table ends, and what the octane's scale is."""

from __future__ import annotations

from collections.abc import Iterable

from ..build.model import Build
from ..digits import figure
from ..fuel import TopRatio, top_ratio
from ..house_rules import HouseRules
from ..place import Place
from ..stack.results import State
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

SCALE = Code(
    "fuel-scale-not-told",
    "note",
    "An octane of {octane} is told without its scale.",
    "RON and AKI are different scales, four to five apart for pump fuel: half a ratio, and more.",
    do="Say which it is: RON, AKI or MON.",
)
OVER_TABLE = Code(
    "ratio-over-fuel-table",
    "note",
    "Hole {hole}: a ratio of {ratio} is over what the shop's table gives for {fuel}, about {top} ({made}).",
    "Advice, no limit: naturally aspirated, road use, two-valve heads of medium bore. Ethanol, boost, altitude and "
    "cooling shift it; the effective ratio says more where the intake closes late.",
    do="Other fuel, another head or a thicker gasket is the way back; whoever sets it up decides.",
)


def top_ratio_of(build: Build, state: State, rules: HouseRules) -> TopRatio | None:
    """Return where the shop's table ends for the fuel that somebody told; None where nobody did, or it does not reach.

    Parameters
    ----------
    build : Build
        With its fuel.
    state : State
        Now, or planned: its widest gap counts.
    rules : HouseRules
        With the table.
    """
    if build.fuel is None:
        return None
    gaps = [hole.outcome.quench for hole in state.holes if hole.outcome.quench is not None]
    return top_ratio(build.fuel, build.head_material, max(gaps, default=None), rules)


@JUDGES.of_engine(SCALE, OVER_TABLE)
def fuel_and_ratio(case: Case) -> Iterable[Said]:
    """The highest ratio against the shop's table for the fuel that somebody told."""
    fuel = case.build.fuel
    if fuel is None:
        return
    if not fuel.scale:
        yield said(SCALE, Place.engine("fuel"), octane=f"{fuel.octane:g}")
        return
    known = [hole for hole in case.planned.holes if hole.outcome.compression_ratio is not None]
    if not known:
        return
    highest = max(known, key=lambda hole: hole.outcome.compression_ratio or 0.0)
    top = top_ratio_of(case.build, case.planned, case.rules)
    ratio = highest.outcome.compression_ratio or 0.0
    # The table is rough: to a tenth.
    if top is not None and round(ratio, 1) > round(top.high, 1):
        ends = (
            figure(top.high, 1) if top.low == top.high else f"{figure(top.low, 1)} to {figure(top.high, 1)}"
        )
        yield said(
            OVER_TABLE,
            Place.hole(highest.number),
            hole=str(highest.number),
            ratio=figure(ratio, 1),
            fuel=fuel.words,
            top=ends,
            made=top.says,
        )
