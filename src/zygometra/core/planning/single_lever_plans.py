"""Ways out side by side: each lever alone, what is usual where a build names no levers, windows that are tried."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from typing import NamedTuple

from ..build.lever_table import LEVER, OpName
from ..build.means import Means
from ..build.model import Build, Levers
from ..house_rules import HouseRules
from ..quantity import read_quantity
from ..units import Kind
from ..usual_figures import unstated_doubt
from .decisions import NOTHING_FIXED, FixedDecisions
from .infeasibility import Relaxation
from .plans import Plan, Planner, closed_reasons

# In the order in which a shop thinks of them: what can be taken back first.
_ALONE: tuple[tuple[str, str], ...] = (
    ("gasket", "another gasket"),
    ("swap_heads", "heads side for side"),
    ("deck_cut", "deck cut"),
    ("head_cut", "head cut"),
    ("open_chamber", "chambers opened"),
    ("crown_cut", "crowns cut"),
    ("bowl", "bowls sunk"),
    ("parts", "another part"),
)


class SingleLeverPlan(NamedTuple):
    """One lever alone: its name, the best that it does, or why it does not."""

    key: str
    label: str
    plan: Plan | None
    why_not: Relaxation | None


def single_lever_plans(
    build: Build, rules: HouseRules, fixed: FixedDecisions = NOTHING_FIXED
) -> Iterator[SingleLeverPlan]:
    """Yield what each lever does by itself.

    Parameters
    ----------
    build : Build
        With levers and windows.
    rules : HouseRules
        In force.
    fixed : FixedDecisions
        What was fixed by hand.

    Yields
    ------
    SingleLeverPlan
        Of every lever that the build has.
    """
    for key, label in _ALONE:
        levers = _alone(build.levers, key)
        if levers is None:
            continue
        planner = Planner(replace(build, levers=levers), rules, fixed)
        plans = [plan for plan in planner.plans() if plan.planned or key == "gasket"]
        reason = None
        if not plans and not planner.missing():
            reason = next(iter((*closed_reasons(planner.build), *planner.conflict.reasons())), None)
        yield SingleLeverPlan(key, label, plans[0] if plans else None, reason)


def _alone(levers: Levers, key: str) -> Levers | None:
    """The levers with all but one taken away; None where it is not among them."""
    bare = replace(levers, means={}, gaskets=(), parts=())
    if key == "gasket":
        return replace(bare, gaskets=levers.gaskets) if levers.gaskets else None
    if key == "parts":
        return replace(bare, parts=levers.parts) if levers.parts else None
    found = {op: means for op, means in levers.means.items() if op == key}
    return replace(bare, means=found) if found else None


def with_usual_levers(build: Build) -> Build:
    """Return a build with the levers that any shop has, where it names none itself.

    Parameters
    ----------
    build : Build
        Any.

    Returns
    -------
    Build
        With deck and head cut, chamber opening and, where somebody said what stands above the rim, crown
        cut: in usual steps, missed by what is usual, up to the build's own limits or the house's; without a price.
    """
    if build.levers.means:
        return build
    ops: list[OpName] = ["deck_cut", "head_cut", "open_chamber"]
    if "parts.piston.above_rim" in build.figures:
        ops.append("crown_cut")
    return replace(build, levers=replace(build.levers, means={op: _usual(build, op) for op in ops}))


def _usual(build: Build, op: OpName) -> Means:
    own = build.levers.limits.get(op)
    kind = LEVER[op].kind
    step = "0.1 cc" if kind is Kind.VOLUME else "0.01 mm"
    tolerance = {"value": 0, "plus_minus": unstated_doubt(op, "assumed")}
    return Means(
        op=op,
        high=None if own is None else own.value,
        step=read_quantity(step, kind, dimension="limit"),
        tolerance=read_quantity(tolerance, kind, dimension=op),
        level=op == "deck_cut",
    )
