"""How far a cut may still go before no other lever can bring the target back: the last moment of the other way."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import NamedTuple

from ..build.cut_log import CutPlace, pass_at
from ..build.model import Build
from ..house_rules import HouseRules
from ..planning.as_machined import as_machined, banks_at_a_height
from ..planning.decisions import DecisionSpace
from ..planning.figure_samples import FigureSamples
from ..planning.infeasibility import spans_of
from ..planning.plan_milp import PlanMilp, subproblems_of, valued
from ..planning.results import wanted_of
from ..planning.single_lever_plans import with_usual_levers
from ..stack.as_cut import planned_at
from ..stack.in_hole import PLACES
from ..stack.sources import hole_sources

# An end that lies so near is met, and how finely one is looked for, in mm.
_HAIR, _FINE = 1e-6, 1e-4


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
    See trade.md 14.
    """
    if place.op == "deck_cut" and place.bank in banks_at_a_height(build):
        # Its height was named: that is where it ends.
        return None
    now = as_machined(with_usual_levers(build), rules)
    air = _air(build, place)
    if not air:
        return _solved(now, place, rules)
    # While a levelled cut still cuts air somewhere: as it stands, or cut at least until it is level.
    still = _solved(now, place, rules, most=0.0)
    level = _solved(_filled_up(now, air), place, rules, least=max(air.values()))
    if level is not None:
        return Reach(0.0 if still is not None else level.least, level.most)
    return None if still is None else Reach(0.0, _last_before_level(build, place, rules, max(air.values())))


def _solved(
    now: Build, place: CutPlace, rules: HouseRules, *, least: float = 0.0, most: float = math.inf
) -> Reach | None:
    """The least and the largest cut from least to most for which the programme is feasible; None where none is."""
    stated, wanted, space = FigureSamples(now), wanted_of(now, rules), DecisionSpace(now, rules)
    ends: list[float] = []
    for subproblem in subproblems_of(space):
        for span in spans_of(stated, space, wanted, subproblem):
            programme = PlanMilp(stated, space, wanted=wanted, subproblem=subproblem, span=span)
            if place.op == "deck_cut":
                # What is left of a running cut comes off parallel.
                programme.keep_parallel(place.bank, least, most)
            off = programme.off(place.op, place.bank)
            for sign in (1.0, -1.0):
                found = programme.milp.solve(off * sign)
                if found is None:
                    break
                ends.append(programme.depth_of(place.op, place.bank, valued(off, found)))
    return Reach(max(min(ends), 0.0), max(ends)) if ends else None


def _air(build: Build, place: CutPlace) -> dict[int, float]:
    """How much of what comes next is air at each hole, in mm, while a levelled cut is not level; else nothing."""
    bank = next((one for one in build.banks if one.name == place.bank), None)
    if place.op != "deck_cut" or bank is None:
        return {}
    deepest = max(planned_at(build, "deck_cut", bank, n) for n in bank.cylinders)
    off = build.cuts.total(place)
    air = {n: max(deepest - planned_at(build, "deck_cut", bank, n) - off, 0.0) for n in bank.cylinders}
    return air if max(air.values()) > _HAIR else {}


def _filled_up(now: Build, air: dict[int, float]) -> Build:
    """A settled build as if the air under the tool were metal: what is cut from there on comes off parallel."""
    figures = dict(now.figures)
    pocket, of_holes = figures.get("parts.block.pocket_area"), dict(now.of_holes)
    for number, depth in air.items():
        sources = hole_sources(now, now.bank_of(number).name, number)
        volume = pocket.value * depth / 1000 if pocket is not None else 0.0
        for path, more in (
            ("mock-up.deck_clearance", depth),
            ("parts.block.deck_height", depth),
            ("parts.head.chamber_volume", volume),
        ):
            if (source := sources.get(path)) is not None:
                quantity = source.quantity
                name = path.rpartition(".")[2]
                figures[f"cylinders.{number}.{name}"] = replace(quantity, value=quantity.value + more)
        width, angle = (sources.get(PLACES[name]) for name in ("edge_width", "edge_angle"))
        if width is not None and angle is not None and width.quantity.value:
            # Its chamfer would be wider by as much.
            wider = width.quantity.value + depth / math.tan(math.radians(angle.quantity.value))
            more_of = {width.path: replace(width.quantity, value=wider)}
            of_holes[number] = {**of_holes.get(number, {}), **more_of}
    return replace(now, figures=figures, of_holes=of_holes)


def _last_before_level(build: Build, place: CutPlace, rules: HouseRules, level: float) -> float:
    """The deepest cut short of level from which some other lever still reaches the target, in mm."""
    low, high = 0.0, level
    while high - low > _FINE:
        middle = (low + high) / 2
        made = pass_at(place, middle, "~tried", order=len(build.cuts.passes))
        then = replace(build, cuts=replace(build.cuts, passes=(*build.cuts.passes, made)))
        if _solved(as_machined(with_usual_levers(then), rules), place, rules, most=0.0) is not None:
            low = middle
        else:
            high = middle
    return low
