"""The chambers of a build as a question of matching: its heads, and what is wanted of each hole."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import NamedTuple

from ..build.model import Build, Operation
from ..digits import count_of
from ..errors import NoAnswer
from ..stack.evaluate import evaluate
from ..stack.inverse import clearance_volume_for_ratio
from ..stack.results import State
from ..stack.sources import chamber_model
from .chambers import Asked, ChamberRange, Head, Matched, best_match, level_of

# Operations that matching sets anew; the rest of a plan stays.
SET_ANEW = ("head_cut", "open_chamber", "swap_heads")


class Heads(NamedTuple):
    """The heads of a build as they are filled, and what stands beside each chamber in the clearance volume, in cc."""

    heads: tuple[Head, ...]
    beside: Mapping[int, float]
    swept: Mapping[int, float]


def without_matching(build: Build) -> tuple[Operation, ...]:
    """Return the plan of a build without what matching sets anew.

    Parameters
    ----------
    build : Build
        With its plan.
    """
    return tuple(op for op in build.planned if op.op not in SET_ANEW)


def heads_of(build: Build, state: State) -> Heads:
    """Return the heads of a build.

    Parameters
    ----------
    build : Build
        For what milling takes.
    state : State
        Without head cuts and chamber openings.

    Returns
    -------
    Heads
        Holes whose clearance volume is not known stand beside nothing.

    Raises
    ------
    NoAnswer
        If a chamber is not known; names the holes.
    """
    missing = [hole.number for hole in state.holes if hole.outcome.terms.chamber is None]
    if missing:
        raise NoAnswer(f"{count_of(missing, of=len(state.holes))}: the chamber is not known. Fill it first.")
    heads = []
    for bank in build.banks:
        holes = [state.hole(number) for number in bank.cylinders]
        volumes = tuple(hole.outcome.terms.chamber or 0.0 for hole in holes)
        heads.append(Head(bank.name, bank.cylinders, volumes, chamber_model(build, dict(holes[0].sources))))
    beside, swept = {}, {}
    for hole in state.holes:
        o = hole.outcome
        if o.clearance is not None and o.swept is not None and o.terms.chamber is not None:
            beside[hole.number] = o.clearance - o.terms.chamber
            swept[hole.number] = o.swept
    return Heads(tuple(heads), beside, swept)


def state_to_match(build: Build) -> State:
    """Return a build with its plan, but for head cuts and chamber openings.

    Parameters
    ----------
    build : Build
        With its plan.
    """
    return evaluate(replace(build, planned=without_matching(build))).planned


def to_volumes(found: Heads, low: float, high: float) -> Asked:
    """Return what is wanted where every chamber is to lie in one window, in cc.

    Parameters
    ----------
    found : Heads
        Of the build.
    low, high : float
        In cc.
    """
    wanted = {number: ChamberRange(low, high) for head in found.heads for number in head.holes}
    return lambda _heads: wanted


def to_ratios(found: Heads, low: float, high: float) -> Asked:
    """Return what is wanted of each chamber where every hole is to come to a compression ratio.

    Parameters
    ----------
    found : Heads
        Of the build.
    low, high : float
        Least and most of the ratio; no unit.

    Raises
    ------
    NoAnswer
        If a hole's clearance volume is not known.
    """
    _all_known(found)
    wanted = {}
    for number, beside in found.beside.items():
        least, most = (clearance_volume_for_ratio(found.swept[number], ratio) for ratio in (high, low))
        wanted[number] = ChamberRange(least - beside, most - beside)
    return lambda _heads: wanted


def _all_known(found: Heads) -> None:
    missing = [n for head in found.heads for n in head.holes if n not in found.beside]
    if missing:
        raise NoAnswer(f"{count_of(missing)}: what stands beside the chamber is not known.")


def to_one_another(found: Heads, within: float, *, totals: bool) -> Asked:
    """Return what is wanted where holes are to come to one another, at the level that opens least.

    Parameters
    ----------
    found : Heads
        Of the build.
    within : float
        How far apart they may end, in cc.
    totals : bool
        True for whole clearance volumes, so that decks and crowns count; False for chambers alone.

    Raises
    ------
    NoAnswer
        If totals are asked and a hole's clearance volume is not known.
    """
    if totals:
        _all_known(found)
    beside = {n: found.beside[n] if totals else 0.0 for head in found.heads for n in head.holes}

    def asked(heads: Sequence[Head]) -> dict[int, ChamberRange]:
        low, high = level_of(heads, beside, within)
        return {number: ChamberRange(low - by, high - by) for number, by in beside.items()}

    return asked


def matched(build: Build, heads: Sequence[Head], asked: Asked, *, may_swap: bool) -> Matched:
    """Return the match that opens least; heads change sides only on an engine of two banks.

    Parameters
    ----------
    build : Build
        For its layout.
    heads : sequence of Head
        Of the build.
    asked : callable
        What is wanted of each hole, where heads lie so.
    may_swap : bool
        Whether the shop allows it.
    """
    return best_match(heads, asked, may_swap=may_swap and len(build.banks) == 2)
