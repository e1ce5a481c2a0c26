"""Why a plan stands where it stands among the others, in one sentence."""

from __future__ import annotations

from ..build.means import Priority
from ..digits import figure
from ..sentence import Sentence
from .plans import Plan

_BEST: dict[Priority, str] = {
    "cheapest": "the cheapest",
    "least metal": "the one that takes the least metal",
    "reversible first": "the one that is easiest to take back",
    "surest": "the surest",
    "soonest": "the soonest done",
}


def why(priority: Priority, place: int, plans: tuple[Plan, ...]) -> Sentence:
    """Return why a plan stands in its place.

    Parameters
    ----------
    priority : str
        What the shop puts first.
    place : int
        Of the plan, from 0; no unit.
    plans : tuple of Plan
        All of them, best first.

    Returns
    -------
    Sentence
        The first: by what it is first, and what it gives up. Any other: what it costs and brings against the first.
    """
    plan, first = plans[place], plans[0]
    if place == 0:
        others = [one for one in plans[1:] if one.chance > plan.chance]
        if not others:
            return Sentence(f"First because it is {_BEST[priority]}; none of the others is surer.")
        surer = max(others, key=lambda one: one.chance)
        return Sentence(
            f"First because it is {_BEST[priority]} of {len(plans)}; the surest yields"
            f" {_percent(surer.chance)} against {_percent(plan.chance)}."
        )
    said = [
        words
        for words in (
            _more(plan.bill.cost - first.bill.cost, "dearer", "cheaper", 0),
            _more(plan.bill.metal - first.bill.metal, "cc more metal", "cc less metal", 1),
            _more(plan.bill.days - first.bill.days, "days later", "days sooner", 0),
            _more(100 * (plan.chance - first.chance), "points surer", "points less sure", 0),
        )
        if words
    ]
    words = ", ".join(said) or "as good as the first"
    return Sentence(f"Against the first: {words}.")


def _more(by: float, more: str, less: str, decimals: int) -> str:
    text = figure(abs(by), decimals)
    if not float(text.replace(",", ".")):
        return ""
    return f"{text} {more if by > 0 else less}"


def _percent(share: float) -> str:
    return f"{figure(100 * share, 0)} %"
