"""What would bring the ratio of a recipe back to its aim: each lever on its own, side by side."""

from __future__ import annotations

from dataclasses import dataclass, replace

from ..build.lever_table import LEVERS, Lever, OpName
from ..build.levers import limit_of, set_lever
from ..build.model import Build
from ..errors import ZygometraError
from ..house_rules import HouseRules
from ..quantity import read_quantity
from ..sentence import NOTHING, Sentence, sentence
from ..stack.evaluate import evaluate
from ..stack.inverse import solve
from ..units import Kind
from ..windows import Window
from ..written import Volume, judged


@dataclass(frozen=True, slots=True)
class WayBack:
    """One lever's answer: how much (mm, or cc), what quench it leaves, or why not."""

    lever: OpName
    label: str
    amount: float | None
    quench: float | None
    why_not: Sentence


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
            amount = solve(build, hole, op=lever.key, result="compression_ratio", wanted=ratio)
        except ZygometraError as error:
            out.append(WayBack(lever=lever.key, label=label, amount=None, quench=None, why_not=error.says))
            continue
        why_not = NOTHING
        if lever.has_amount:
            limit = limit_of(build, lever.key, rules)[0]
            if Window(high=limit).miss(amount):
                why_not = _beyond(lever, amount, limit)
            quantity = read_quantity(round(max(amount, 0.0), 9), lever.kind, dimension=lever.key)
            cut = replace(build, planned=set_lever(build, build.planned, lever.key, quantity))
            quench = evaluate(cut).planned.hole(hole).outcome.quench
        else:
            clearance = evaluate(build).planned.hole(hole).outcome.deck_clearance
            quench = None if clearance is None else clearance + amount
        if quench is not None and Window(low=floor).miss(quench):
            left, least = judged(quench, floor, 0.005)
            why_not = sentence("leaves {left} {quench}, the floor is {least}", left=left, least=least)
        out.append(WayBack(lever=lever.key, label=label, amount=amount, quench=quench, why_not=why_not))
    return tuple(out)


def _beyond(lever: Lever, amount: float, limit: float) -> Sentence:
    """That a lever would have to do more than it may."""
    if lever.kind is Kind.VOLUME:
        return sentence("wants {amount}, the limit is {limit}", amount=Volume(amount), limit=Volume(limit))
    wants, most = judged(amount, limit, 0.005)
    return sentence("wants {amount}, the limit is {limit}", amount=wants, limit=most)
