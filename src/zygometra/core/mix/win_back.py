"""What would bring the ratio of a recipe back to its aim: each lever on its own, side by side."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..build.lever_table import LEVERS, OpName
from ..build.levers import limit_of, set_lever
from ..build.model import Build
from ..digits import figure
from ..errors import ZygometraError
from ..house_rules import HouseRules
from ..quantity import read_quantity
from ..stack.evaluate import evaluate
from ..stack.inverse import solve
from ..windows import Window


@dataclass(frozen=True, slots=True)
class WayBack:
    """One lever's answer: how much (mm, or cc), what quench it leaves, or why not."""

    lever: OpName
    label: str
    amount: float | None
    quench: float | None
    why_not: str


def ways_back(build: Build, ratio: float, rules: HouseRules) -> tuple[WayBack, ...]:
    """Return what each lever alone must do so that the first hole has a ratio.

    Parameters
    ----------
    build : Build
        The recipe as a build.
    ratio : float
        Wanted; no unit.
    rules : HouseRules
        Limits and the quench floor: nothing is offered that breaks them.

    Returns
    -------
    tuple of WayBack
        Deck, head, crown, gasket, chamber.
    """
    hole = build.cylinders[0]
    floor = rules.quench_floor(build.rod_material)
    out = []
    for lever in LEVERS:
        label = lever.label if lever.has_amount else f"another {lever.label}"
        try:
            amount = solve(build, hole, lever.key, "compression_ratio", ratio)
        except ZygometraError as error:
            out.append(WayBack(lever.key, label, None, None, str(error)))
            continue
        why_not = ""
        if lever.has_amount:
            limit = limit_of(build, lever.key, rules)[0]
            if Window(high=limit).miss(amount):
                unit = lever.unit.symbol
                why_not = f"wants {amount:.3f} {unit}, the limit is {limit:.3f} {unit}"
            quantity = read_quantity(round(max(amount, 0.0), 9), lever.kind, dimension=lever.key)
            cut = replace(build, planned=set_lever(build, build.planned, lever.key, quantity))
            quench = evaluate(cut).planned.hole(hole).outcome.quench
        else:
            clearance = evaluate(build).planned.hole(hole).outcome.deck_clearance
            quench = None if clearance is None else clearance + amount
        if quench is not None and Window(low=floor).miss(quench):
            why_not = f"leaves {figure(quench, 3)} mm quench, the floor is {floor:.2f} mm"
        out.append(WayBack(lever.key, label, amount, quench, why_not))
    return tuple(out)
