"""What would bring the ratio of a recipe back to its aim: each lever on its own, side by side."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..build.levers import limit_of, set_lever
from ..build.model import Build, OpName
from ..errors import NoAnswer, ZygometraError
from ..house_rules import HouseRules
from ..quantity import read_quantity
from ..stack.evaluate import evaluate
from ..stack.inverse import solve
from ..units import Kind
from ..wording import figure

_LEVERS: tuple[tuple[OpName, str], ...] = (
    ("deck_cut", "deck cut"),
    ("head_cut", "head cut"),
    ("crown_cut", "crown cut"),
    ("gasket", "another gasket"),
    ("open_chamber", "chamber opening"),
)


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
        Wanted.
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
    for lever, label in _LEVERS:
        try:
            amount = solve(build, hole, lever, "compression_ratio", ratio)
        except (NoAnswer, ZygometraError) as error:
            out.append(WayBack(lever, label, None, None, str(error)))
            continue
        why_not = ""
        quench = None
        if lever != "gasket":
            limit = limit_of(build, lever, rules)[0]
            if amount > limit + 1e-9:
                unit = "cc" if lever == "open_chamber" else "mm"
                why_not = f"wants {amount:.3f} {unit}, the limit is {limit:.3f} {unit}"
            kind = Kind.VOLUME if lever == "open_chamber" else Kind.LENGTH
            quantity = read_quantity(round(max(amount, 0.0), 9), kind, dimension=lever)
            cut = replace(build, planned=set_lever(build, build.planned, lever, amount=quantity))
            quench = evaluate(cut).planned.hole(hole).outcome.quench
        else:
            outcome = evaluate(build).planned.hole(hole).outcome
            quench = outcome.deck_clearance + amount
        if quench < floor - 1e-9:
            why_not = f"leaves {figure(quench, 3)} mm quench, the floor is {floor:.2f} mm"
        out.append(WayBack(lever, label, amount, quench, why_not))
    return tuple(out)
