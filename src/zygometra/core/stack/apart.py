"""Two holes side by side: how far they are apart, and how sure that is.

A source that both holes share moves both, so its slopes subtract before they are squared; one
that differs part to part counts twice.
"""

from __future__ import annotations

import math
from typing import NamedTuple

from .results import Contribution, Hole, Outcome, Spread, State, ratio_slope

RESULTS = ("deck_clearance", "quench", "clearance", "compression_ratio", "swept", "effective")
_SLOPE_AT = {"deck_clearance": 4, "quench": 5, "swept": 6, "clearance": 7}


def slope_on(outcome: Outcome, item: Contribution, result: str) -> float:
    """Return the slope of a result on one source, per base unit of the source.

    Parameters
    ----------
    outcome : Outcome
        One hole.
    item : Contribution
        One of its contributions.
    result : str
        One of :data:`RESULTS`.

    Returns
    -------
    float
        In the result's unit.

    Raises
    ------
    KeyError
        If there is no such result.
    """
    if result == "compression_ratio":
        return ratio_slope(outcome, item)
    if result == "effective":
        if outcome.effective is None or outcome.clearance is None:
            return 0.0
        volume, trapped = item[7], item[8]
        return (trapped - (outcome.effective - 1) * volume) / outcome.clearance
    at = _SLOPE_AT[result]
    slope: float = item[at]  # type: ignore[assignment]
    return slope


def difference(first: Hole, second: Hole, result: str) -> Spread:
    """Return the doubt of a result's difference between two holes.

    Parameters
    ----------
    first, second : Hole
        Two holes of one state.
    result : str
        One of :data:`RESULTS`.

    Returns
    -------
    Spread
        Of first minus second, in the result's unit.

    Notes
    -----
    u² = Σ over sources ((∂y₁/∂x − ∂y₂/∂x)·u)²; degrees of freedom and the rectangular share follow
    the same rule as for one hole, on the difference's own terms.

    Examples
    --------
    >>> from zygometra.core.build.examples import small_single
    >>> from zygometra.core.stack.evaluate import evaluate
    >>> hole = evaluate(small_single()).now.holes[0]
    >>> difference(hole, hole, "quench").u
    0.0
    """
    terms: dict[tuple[str, int], tuple[float, float, str, bool]] = {}
    for sign, hole in ((1, first), (-1, second)):
        for item in hole.outcome.contributions:
            key, u, dof, each = item[:4]
            at = (key, hole.number if each else 0)
            so_far = terms.get(at, (0.0,))[0]
            moved = so_far + sign * u * slope_on(hole.outcome, item, result)
            terms[at] = (moved, dof, item[9] or f"{key} {at[1]}", item[10])
    squared = widest = 0.0
    few: dict[str, tuple[float, float]] = {}
    for part, dof, pool, flat in terms.values():
        square = part * part
        squared += square
        if flat:
            widest = max(widest, square)
        elif dof != math.inf:
            few[pool] = (few.get(pool, (0.0, dof))[0] + square, dof)
    fourth = math.fsum(v * v / dof for v, dof in few.values())
    dof = squared * squared / fourth if fourth else math.inf
    return Spread(math.sqrt(squared), dof, widest / squared if squared else 0.0)


class Apart(NamedTuple):
    """The largest difference of ratio between two holes, its doubt, and which they are."""

    difference: float
    spread: Spread
    high: int
    low: int


def spread_of_ratio(state: State) -> Apart | None:
    """Return the largest difference of ratio between holes, with its doubt.

    Parameters
    ----------
    state : State
        The engine in one state.

    Returns
    -------
    Apart or None
        None with fewer than two holes or where a hole has no ratio. Of holes that are
        alike two are named, never one twice.

    Notes
    -----
    The largest of several differences is biased upward: with doubts as large as itself it
    is mostly doubt.
    """
    known = [(h.outcome.compression_ratio, h) for h in state.holes if h.outcome.compression_ratio is not None]
    if len(known) < max(2, len(state.holes)):
        return None
    high = max(known, key=lambda k: k[0])
    low = min((k for k in known if k[1].number != high[1].number), key=lambda k: k[0])
    doubt = difference(high[1], low[1], "compression_ratio")
    return Apart(high[0] - low[0], doubt, high[1].number, low[1].number)
