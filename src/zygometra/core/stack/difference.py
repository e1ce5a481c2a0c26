"""Two holes side by side: how far they are apart, and how sure that is.

A source that both holes share moves both, so its slopes subtract before they are squared; one
that differs part to part counts twice.
"""

from __future__ import annotations

from typing import NamedTuple

from ..uncertainty import Uncertainty, in_hole, joined, of_terms
from .results import Hole, State


def difference(first: Hole, second: Hole, result: str) -> Uncertainty:
    """Return the doubt of a result's difference between two holes.

    Parameters
    ----------
    first, second : Hole
        Two holes of one state.
    result : str
        One of :data:`.results.RESULTS`.

    Returns
    -------
    Uncertainty
        Of first minus second, in the result's unit.

    Notes
    -----
    u² = Σ over sources ((∂y₁/∂x − ∂y₂/∂x)·u)²; degrees of freedom and the rectangular share follow
    the same rule as for one hole, on the difference's own terms.
    See trade.md 1.

    Examples
    --------
    >>> from zygometra.core.build.examples import small_single
    >>> from zygometra.core.stack.evaluate import evaluate
    >>> hole = evaluate(small_single()).now.holes[0]
    >>> difference(hole, hole, "quench").u
    0.0
    """
    owed = [
        in_hole(term, hole.number)._replace(u=sign * part)
        for sign, hole in ((1, first), (-1, second))
        for term, part in hole.outcome.doubts.parts(result)
    ]
    return of_terms(joined(owed))


class Apart(NamedTuple):
    """The largest difference of ratio between two holes, its doubt, and which they are."""

    difference: float
    spread: Uncertainty
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
    See trade.md 1.
    """
    known = [(h.outcome.compression_ratio, h) for h in state.holes if h.outcome.compression_ratio is not None]
    if len(known) < max(2, len(state.holes)):
        return None
    high = max(known, key=lambda k: k[0])
    low = min((k for k in known if k[1].number != high[1].number), key=lambda k: k[0])
    doubt = difference(high[1], low[1], "compression_ratio")
    return Apart(high[0] - low[0], doubt, high[1].number, low[1].number)
