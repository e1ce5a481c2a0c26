"""How far a cut may still go before no other lever can bring the target back: the last moment of the other way."""

from __future__ import annotations

from dataclasses import replace
from typing import NamedTuple

from ..build.cut_log import CutPlace
from ..build.model import Build
from ..house_rules import HouseRules
from ..planning.programme import Layout, frames_of
from ..planning.results import wanted_of
from ..planning.settled import settled
from ..planning.truth import Truth
from ..planning.ways import with_usual_levers
from ..planning.why_none import milled_depth, spans_of

# An end that lies so near is met, in mm.
_HAIR = 1e-6


class Reach(NamedTuple):
    """Between which further cuts of a place a plan to the target exists, in mm; nothing where none does.

    ``least`` is what must still come off, with every other lever at its best; ``most`` where the target is lost.
    """

    least: float
    most: float

    def loses(self, depth: float) -> bool:
        """Tell whether the target is out of reach after a pass.

        Parameters
        ----------
        depth : float
            Of the pass, in mm.
        """
        return depth > self.most + _HAIR


def reach_of(build: Build, place: CutPlace, rules: HouseRules) -> Reach | None:
    """Return how far a cut may and must still go, with every other lever free; None where no way leads there.

    Parameters
    ----------
    build : Build
        With its windows, levers and log.
    place : CutPlace
        A deck or a head; the crowns are cut as a set.
    rules : HouseRules
        For limits and floors.

    Notes
    -----
    On stated values: the largest and the least amount for which the planner's mixed-integer programme is feasible,
    over everything that may be fitted. Reach only shrinks as metal comes off, so the largest is the last moment.
    Where a spread of ratios is bounded its rows are secants, and the end found is on the safe side by their error.
    """
    now = settled(with_usual_levers(build), rules)
    stated, wanted = Truth(now), wanted_of(now, rules)
    ends: list[float] = []
    for frame in frames_of(now):
        spans = [None] if wanted.ratio_spread is None else spans_of(stated, rules, wanted, frame)
        for span in spans:
            layout = Layout(stated, rules, wanted, frame, span=span)
            terms = _terms(layout, place)
            for sign in (1.0, -1.0):
                found = layout.programme.solve(dict.fromkeys(terms, sign))
                if found is None:
                    break
                ends.append(_amount(layout, place, sum(found[name] for name in terms)))
    return Reach(max(min(ends), 0.0), max(ends)) if ends else None


def _terms(layout: Layout, place: CutPlace) -> tuple[str, ...]:
    """The variables that sum to what comes off a place."""
    if place.op == "deck_cut":
        # What is left of a running cut comes off parallel.
        layout.programme.row({f"first {place.bank}": 1.0, f"last {place.bank}": -1.0}, 0.0, 0.0)
        return (f"first {place.bank}",)
    if place.op == "head_cut":
        return (f"milled {place.bank}",)
    names = layout.programme.bounds
    return tuple(n for n in names if n.split()[0] in ("above", "rim", "past") and n.split()[-1].isdigit())


def _amount(layout: Layout, place: CutPlace, value: float) -> float:
    """What variables come to, in mm."""
    if place.op == "head_cut" and place.bank in layout.taken and value > 1e-9:
        return milled_depth(layout, place.bank, value)
    return 0.0 if place.op == "head_cut" else value


def as_replanned(build: Build, rules: HouseRules) -> Build:
    """Return a build from where it stands now, its other levers free: what the planner is asked after a pass.

    Parameters
    ----------
    build : Build
        With its log.
    rules : HouseRules
        For limits.
    """
    return replace(settled(with_usual_levers(build), rules), planned=())
