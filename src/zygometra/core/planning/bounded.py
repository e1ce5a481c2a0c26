"""Plans within a budget: all there are, or the best that were found before time or memory ran out."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol, TypeVar

from ..budget import Bounded, OutOfTime
from ..build.model import Build
from ..house_rules import HouseRules
from .decisions import NOTHING_FIXED, FixedDecisions
from .plans import Plan, PlanAnswer, Planner
from .search import Search
from .single_lever_plans import SingleLeverPlan, single_lever_plans

T = TypeVar("T")


class Telling(Protocol):
    """How a search speaks while it goes on, and what it does when its budget runs out."""

    def so_far(self, make: Callable[[], object]) -> None:
        """Tell what was found so far, if it is time to: only then is it made.

        Parameters
        ----------
        make : callable
            Makes it.
        """

    def ran_out(self, error: BaseException) -> Bounded:
        """Take note that time or memory ran out; from now on there is a little of both to tell what was found.

        Parameters
        ----------
        error : BaseException
            :class:`OutOfTime` or a `MemoryError`.
        """


def plans_within(
    telling: Telling, build: Build, rules: HouseRules | None = None, fixed: FixedDecisions = NOTHING_FIXED
) -> PlanAnswer:
    """Return the plans of a build, or the best that were found before the budget ran out.

    Parameters
    ----------
    telling : Telling
        How it speaks; :class:`OutOfTime` or a `MemoryError` may come at any moment.
    build : Build
        With levers and windows.
    rules : HouseRules, optional
        In force; those of the build's school where left out.
    fixed : FixedDecisions
        What was fixed by hand.

    Returns
    -------
    PlanAnswer
        With results and policies worked out, and without what was drawn for them; ``bounded`` where it ran out:
        then no plan is no proof that there is none.
    """
    planner = Planner(build, rules, fixed)
    search = Search(planner.build, planner.rules, fixed)

    def so_far() -> PlanAnswer:
        return PlanAnswer(worked_out(planner.shown(search)), (), planner.wanted)

    try:
        for _ in search.run():
            telling.so_far(so_far)
        answer = planner.answer(search)
        worked_out(answer.plans)
    except (OutOfTime, MemoryError) as error:
        bounded = telling.ran_out(error)
        search.let_go()
        answer = so_far()._replace(bounded=bounded)
    planner.let_go()
    return answer


def worked_out(plans: tuple[Plan, ...]) -> tuple[Plan, ...]:
    """Return plans whose results and policies need not be worked out any more.

    Parameters
    ----------
    plans : tuple of Plan
        Of one planner.
    """
    for plan in plans:
        _ = plan.result, plan.policy
    return plans


def ways_within(telling: Telling, build: Build, rules: HouseRules) -> tuple[SingleLeverPlan, ...]:
    """Return what each lever does by itself, as many as the budget allowed; see :func:`single_lever_plans`.

    Parameters
    ----------
    telling : Telling
        How it speaks.
    build : Build
        With levers and windows.
    rules : HouseRules
        In force.
    """
    found: list[SingleLeverPlan] = []
    try:
        for way in single_lever_plans(build, rules):
            if way.plan is not None:
                worked_out((way.plan,))
                way.plan.planner.let_go()
            found.append(way)
            telling.so_far(lambda: tuple(found))
    except (OutOfTime, MemoryError) as error:
        telling.ran_out(error)
    return tuple(found)
