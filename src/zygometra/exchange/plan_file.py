"""Plans as an open document (format zygometra.plans), and what is wrong with what a plan is asked from."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from zygometra.core.budget import Bounded, Budget
from zygometra.core.build.document import operation_document
from zygometra.core.build.lever_table import AMOUNTS
from zygometra.core.build.model import Build
from zygometra.core.errors import BuildFaults, Fault
from zygometra.core.measuring.rooms import rooms
from zygometra.core.planning.bounded import plans_within
from zygometra.core.planning.decisions import Move, move_of
from zygometra.core.planning.infeasibility import Relaxation
from zygometra.core.planning.plans import Plan, PlanAnswer, plans_of
from zygometra.core.planning.side_effects import SideEffect, side_effects
from zygometra.core.planning.why_first import why

from .evaluation_file import state_document


def plans_document(build: Build, budget: Budget | None = None) -> dict[str, Any]:
    """Return what ``zygometra plan`` prints. Numbers are unrounded.

    Parameters
    ----------
    build : Build
        With levers and windows.
    budget : Budget, optional
        What the search may take; to its end where left out.

    Returns
    -------
    dict
        The document; with ``bounded`` where the search was ended by its budget: the plans are the best it found,
        and no plan is no proof that there is none.

    Raises
    ------
    BuildFaults
        If nothing could be planned with what it says.
    """
    faults = list(planning_faults(build))
    if faults:
        raise BuildFaults(faults)
    if budget is None:
        return answer_document(build, plans_of(build))
    from zygometra.processes.line import alone

    job = alone(plans_within, build, budget=budget)
    answer: PlanAnswer | None = job.result
    bounded = job.bounded or (answer and answer.bounded)
    if answer is None:
        # Ended from outside before anything was told.
        return {**_EMPTY, "bounded": _bounded(bounded)}
    return answer_document(build, answer._replace(bounded=bounded))


_EMPTY = {"format": "zygometra.plans", "version": 1, "plans": [], "none_because": []}


def _bounded(bounded: Bounded | None) -> dict[str, Any] | None:
    """What ran out, and how much of it was given: seconds, or MB (10⁶ bytes)."""
    if bounded is None:
        return None
    return {"by": bounded.by, {"time": "seconds", "memory": "megabytes"}[bounded.by]: bounded.limit}


def answer_document(build: Build, answer: PlanAnswer) -> dict[str, Any]:
    """Return the document of an answer.

    Parameters
    ----------
    build : Build
        What was asked for.
    answer : PlanAnswer
        Its plans, or why there are none.
    """
    document = {
        **_EMPTY,
        "plans": [_plan(build, plan, i, answer.plans) for i, plan in enumerate(answer.plans)],
        "none_because": [_reason(reason) for reason in answer.none_because],
    }
    return document if answer.bounded is None else {**document, "bounded": _bounded(answer.bounded)}


def _plan(build: Build, plan: Plan, i: int, plans: tuple[Plan, ...]) -> dict[str, Any]:
    policy = plan.policy
    return {
        "planned": [operation_document(op) for op in plan.planner.whole(plan.planned)],
        "result": state_document(plan.result, rooms(plan.planner.begun, plan.result)),
        "yield": plan.chance,
        "cost": plan.bill.cost,
        "minutes": plan.bill.minutes,
        "days": plan.bill.days,
        "metal_cc": plan.bill.metal,
        "irreversible": list(plan.irreversible),
        "buys": list(plan.buys),
        "opens": list(plan.opens),
        "floor_risk": plan.floor_risk,
        "elsewhere": [
            _effect(effect) for effect in side_effects(plan.planner.begun, plan.planner.whole(plan.planned))
        ],
        "policy": None
        if policy is None
        else {
            "leave": policy.leave,
            "read": list(policy.read),
            "yield": policy.chance,
            "clairvoyant": policy.clairvoyant,
        },
        "why": str(why(build.planning.priority, i, plans)),
    }


def _effect(effect: SideEffect) -> dict[str, Any]:
    return {"what": effect.what, "amount_mm": effect.amount, "says": str(effect.says)}


def _reason(reason: Relaxation) -> dict[str, Any]:
    return {
        "windows": list(reason.windows),
        "says": str(reason.says),
        "by": reason.by,
        "share": reason.share,
        "relaxation": reason.typed,
    }


def planning_faults(build: Build) -> Iterator[Fault]:
    """Yield what keeps a build from being planned: a gasket of no thickness, a window that its only lever misses.

    Parameters
    ----------
    build : Build
        With levers and windows.

    Yields
    ------
    Fault
        Each with its place.
    """
    for i, gasket in enumerate(build.levers.gaskets):
        if gasket.thickness is None or gasket.thickness.value <= 0:
            found = "nothing" if gasket.thickness is None else f"{gasket.thickness.number:g}"
            yield Fault(
                f"levers.gaskets[{i}].thickness",
                found,
                "its compressed thickness, above nought, such as 1.02 mm",
            )
    yield from _too_narrow(build)


def _too_narrow(build: Build) -> Iterator[Fault]:
    """A window of the gap narrower than what its only lever may miss either way."""
    from zygometra.core.house_rules import rules_for

    if build.levers.gaskets or build.levers.parts:
        return
    rules = rules_for(build.school)
    moving = [
        move
        for lever in AMOUNTS
        if lever.quench and (move := move_of(build, rules, lever.key, build.banks[0])) is not None
    ]
    if len(moving) != 1:
        return
    tolerance = _half_width(moving[0])
    for name, window in (("quench", build.targets.quench), ("deck_clearance", build.targets.deck_clearance)):
        span = window.span
        if span is not None and span < tolerance:
            lever = moving[0].means.op.replace("_", " ")
            yield Fault(
                f"targets.{name}",
                f"a window of {span:.4g} mm",
                f"one wider than the ±{tolerance:.4g} mm that its only lever, the {lever}, may be missed by",
            )


def _half_width(move: Move) -> float:
    """What an amount may be missed by either way, in mm."""
    amount = move.quantity(max(move.high, 0.01))
    return amount.u * 3**0.5 if amount.rectangular else 2 * amount.u
