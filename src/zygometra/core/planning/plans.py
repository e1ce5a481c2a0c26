"""What a build can do to reach its targets: plans, best first, or why there is none."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import NamedTuple

import numpy as np

from ..budget import Bounded
from ..build.means import Priority
from ..build.model import Build, Operation
from ..house_rules import HouseRules, rules_for
from ..sentence import Sentence
from ..stack.evaluate import evaluate, state_now
from ..stack.missing import missing, missing_words
from ..stack.results import State
from ..windows import TOLERANCE
from .as_machined import as_machined, from_the_start
from .costs import Bill, bill_of, set_ups_of
from .crowns import closed_levers
from .decisions import NOTHING_FIXED, FixedDecisions, Move, move_of
from .figure_samples import FigureSamples
from .infeasibility import Infeasibility, Relaxation
from .pareto import Objectives, pareto_front
from .quasi_random import COARSE, QuasiRandomSample
from .results import PlanTargets, SampledResults, floor_risk, inside, results, wanted_of
from .search import Search
from .two_stage_cut import TwoStageCut, two_stage_cut

# What of the distance that plans must lie apart is used when plans that stand for one another are dropped.
_SHOWS = 0.25


@dataclass(frozen=True)
class Plan:
    """One plan: what is done, what it comes to, what it takes.

    ``chance`` is its yield, ``floor_risk`` the chance that a hole ends below the floor of the quench, both
    shares of 1.
    """

    planned: tuple[Operation, ...]
    chance: float
    floor_risk: float
    bill: Bill
    irreversible: tuple[str, ...]
    buys: tuple[str, ...]
    opens: tuple[str, ...]
    planner: Planner = field(repr=False, compare=False)

    @cached_property
    def result(self) -> State:
        """Every hole once it is carried out, as stated; worked out when first asked for."""
        return self.planner.result_of(self.planned)

    @cached_property
    def policy(self) -> TwoStageCut | None:
        """What it yields with a reading between two cuts; None where no deck is cut or the reading loses."""
        return self.planner.policy_of(self)

    @property
    def worth(self) -> Objectives:
        """What it is weighed by."""
        return Objectives(self.bill.cost, self.bill.metal, self.bill.days, self.chance)


class PlanAnswer(NamedTuple):
    """The plans of a build, best first; where there is none, why; ``bounded`` where the search could not end."""

    plans: tuple[Plan, ...]
    none_because: tuple[Relaxation, ...]
    wanted: PlanTargets
    bounded: Bounded | None = None


class Planner:
    """Plans of one build.

    Parameters
    ----------
    build : Build
        With its levers and windows; what it plans itself does not count.
    rules : HouseRules, optional
        In force; those of the build's school where left out.
    fixed : FixedDecisions
        What was fixed by hand.
    """

    def __init__(
        self, build: Build, rules: HouseRules | None = None, fixed: FixedDecisions = NOTHING_FIXED
    ) -> None:
        self.rules = rules or rules_for(build.school)
        # Half cut, a build is planned from where it stands.
        self.begun = build
        self.build = replace(as_machined(build, self.rules), planned=())
        self.fixed = fixed
        self.wanted = wanted_of(self.build, self.rules)
        self.stated = FigureSamples(self.build)

    @cached_property
    def coarse(self) -> FigureSamples:
        """What figures may truly be, in as many draws as policies are counted on."""
        return FigureSamples(self.build, QuasiRandomSample(self.build.planning.seed, COARSE))

    @cached_property
    def fine(self) -> FigureSamples:
        """The same in as many draws as yields are counted on."""
        return FigureSamples(self.build, QuasiRandomSample(self.build.planning.seed))

    @cached_property
    def now(self) -> State:
        """The build as it stands."""
        return state_now(self.build)

    def plans(self) -> tuple[Plan, ...]:
        """Return the plans, best first; empty where none is admissible."""
        return self.shown(self.searched()) or self._between()

    def searched(self) -> Search:
        """Return a search that has run to its end."""
        search = Search(self.build, self.rules, self.fixed)
        for _ in search.run():
            pass
        return search

    def _between(self) -> tuple[Plan, ...]:
        """The plan that may lie between the steps of all ladders, where a search found none."""
        planned = None if self.missing() else self.conflict.plan()
        only = None if planned is None else self.weighed(planned)
        return () if only is None else (only,)

    def answer(self, search: Search) -> PlanAnswer:
        """Return what a search that has run comes to: plans, or why there are none.

        Parameters
        ----------
        search : Search
            That has run to its end.
        """
        plans = self.shown(search) or self._between()
        if plans:
            return PlanAnswer(plans, (), self.wanted)
        if self.missing():
            return PlanAnswer((), (_waits(self),), self.wanted)
        return PlanAnswer((), (*self.conflict.reasons(), *closed_reasons(self.build)), self.wanted)

    @cached_property
    def conflict(self) -> Infeasibility:
        """What stands between the build and a plan."""
        return Infeasibility(self.build, self.rules, self.wanted, self.fixed)

    def let_go(self) -> None:
        """Give back what was drawn; it is drawn again, alike, if a plan asks for more."""
        for name in ("coarse", "fine", "conflict"):
            self.__dict__.pop(name, None)
        self.stated = FigureSamples(self.build)

    def missing(self) -> bool:
        """Tell whether figures are missing that every plan needs."""
        base = self.stated.base()
        if not self.wanted.ratio.is_open and bool(np.isnan(base.area + base.ring).any()):
            return True  # no part that may be had brings a bore
        known = base.clearance + base.closed + base.gasket + base.gasket_volume + base.swept
        return bool(np.isnan(known).any()) and not any(
            part.part.kind in ("piston", "head") for part in self.build.levers.parts
        )

    def shown(self, search: Search) -> tuple[Plan, ...]:
        """Return what of a search is shown, best first.

        Parameters
        ----------
        search : Search
            That has run, or is still running.
        """
        # What is beaten on few draws is not worth many.
        first = pareto_front([found.worth for found in search.found], self.build.planning, 0.0)
        weighed = [one for i in first if (one := self.weighed(search.found[i].planned)) is not None]
        least = self.build.planning.least_yield
        good = [one for one in weighed if one.chance >= least - TOLERANCE]
        if not good:
            surest = search.surest
            if surest is not None and (one := self.weighed(surest.planned)) is not None:
                weighed.append(one)
            if not weighed:
                return ()
            good = [max(weighed, key=lambda one: one.chance)]
        ranked = sorted(good, key=rank(self.build.planning.priority))
        kept = pareto_front([one.worth for one in ranked], self.build.planning, _SHOWS)
        return tuple(ranked[i] for i in kept)

    def admissible(self, planned: tuple[Operation, ...]) -> bool:
        """Tell whether every hole is inside every window as stated.

        Parameters
        ----------
        planned : tuple of Operation
            The plan.
        """
        return bool(inside(results(self.stated, planned), self.wanted)[0])

    def weighed(self, planned: tuple[Operation, ...]) -> Plan | None:
        """Return what a plan comes to; None where it is not admissible.

        Parameters
        ----------
        planned : tuple of Operation
            The plan.
        """
        if not self.admissible(planned):
            return None
        drawn = results(self.fine, planned)
        return self._plan(planned, drawn)

    def _plan(self, planned: tuple[Operation, ...], drawn: SampledResults) -> Plan:
        return Plan(
            planned=planned,
            chance=float(inside(drawn, self.wanted).mean()),
            floor_risk=floor_risk(drawn, self.wanted),
            bill=bill_of(self.build, planned),
            irreversible=tuple(irreversible(planned)),
            buys=tuple(buys(self.build, planned)),
            opens=set_ups_of(self.build, planned),
            planner=self,
        )

    def result_of(self, planned: tuple[Operation, ...]) -> State:
        """Return every hole once a plan is carried out, as stated.

        Parameters
        ----------
        planned : tuple of Operation
            The plan.
        """
        return evaluate(replace(self.build, planned=planned), self.now).planned

    def whole(self, planned: tuple[Operation, ...]) -> tuple[Operation, ...]:
        """Return a plan as the build keeps it: whole cuts, what the log says is off already among them.

        Parameters
        ----------
        planned : tuple of Operation
            Of one of these plans, amounts in mm and cc still to come.
        """
        return from_the_start(self.begun, planned)

    def policy_of(self, plan: Plan) -> TwoStageCut | None:
        """Return what a plan yields when it waits for a reading before its last cut; None where it gains nothing by it.

        Parameters
        ----------
        plan : Plan
            In one cut.
        """
        return two_stage_cut(
            self.coarse, plan.planned, wanted=self.wanted, decks=self._decks, yields=plan.chance
        )

    @property
    def _decks(self) -> dict[str, Move]:
        found = (
            (bank.name, move_of(self.build, self.rules, op="deck_cut", bank=bank))
            for bank in self.build.banks
        )
        return {name: move for name, move in found if move is not None}


def rank(priority: Priority) -> Callable[[Plan], tuple[float, ...]]:
    """Return what plans are put in order by, best first; no unit.

    Parameters
    ----------
    priority : str
        What the shop puts first.
    """

    def key(plan: Plan) -> tuple[float, ...]:
        cost, metal, days, chance = plan.worth
        sure = -round(chance, 3)
        return {
            "cheapest": (cost, sure, metal, days),
            "least metal": (metal, cost, sure, days),
            "reversible first": (float(bool(plan.irreversible)), metal, cost, sure, days),
            "surest": (sure, cost, metal, days),
            "soonest": (days, cost, sure, metal),
        }[priority]

    return key


_TAKES = {
    "deck_cut": "deck cut",
    "head_cut": "head cut",
    "crown_cut": "crown cut",
    "open_chamber": "chamber opening",
    "bowl": "bowl",
}


def irreversible(planned: tuple[Operation, ...]) -> Iterator[str]:
    """Yield what of a plan cannot be undone: every operation that takes metal off.

    Parameters
    ----------
    planned : tuple of Operation
        The plan.

    Yields
    ------
    str
        In words.
    """
    for op in planned:
        if op.op in _TAKES:
            where = f" {op.bank}" if op.bank else f" {op.cylinder}" if op.cylinder else ""
            yield f"{_TAKES[op.op]}{where}"


def buys(build: Build, planned: tuple[Operation, ...]) -> Iterator[str]:
    """Yield what must be bought for a plan.

    Parameters
    ----------
    build : Build
        For how many gaskets that are.
    planned : tuple of Operation
        The plan.

    Yields
    ------
    str
        In words.
    """
    for op in planned:
        if op.gasket is not None:
            count = 1 if op.bank is not None else len(build.banks)
            yield (
                f"{count} × gasket {op.gasket.name or 'to fit'}"
                if count > 1
                else f"gasket {op.gasket.name or 'to fit'}"
            )
        elif op.part is not None:
            yield f"{op.part.kind} {op.part.name}".strip()


def plans_of(
    build: Build, rules: HouseRules | None = None, fixed: FixedDecisions = NOTHING_FIXED
) -> PlanAnswer:
    """Return what a build can do to reach its targets.

    Parameters
    ----------
    build : Build
        With levers and windows.
    rules : HouseRules, optional
        In force; those of the build's school where left out.
    fixed : FixedDecisions
        What was fixed by hand.

    Returns
    -------
    PlanAnswer
        Plans best first by the priority of the build.
    """
    planner = Planner(build, rules, fixed)
    return planner.answer(planner.searched())


def closed_reasons(build: Build) -> tuple[Relaxation, ...]:
    """Return the levers that rest for want of a figure, as reasons why there is no plan.

    Parameters
    ----------
    build : Build
        With its levers.
    """
    return tuple(
        Relaxation(windows=(), says=says, by=None, share=None, typed=None) for says in closed_levers(build)
    )


def _waits(planner: Planner) -> Relaxation:
    """No plan as long as figures are missing."""
    places = missing_words(missing(planner.build, planner.now))
    return Relaxation(
        windows=(), says=Sentence(f"Figures are missing: {places}."), by=None, share=None, typed=None
    )
