"""Where the doubt of a result comes from: each source's share of its variance."""

from __future__ import annotations

from typing import NamedTuple

from ..uncertainty import Term
from .results import HoleResult


class Share(NamedTuple):
    """One source: its term, its share of the variance (0 to 1), and its own part of u."""

    term: Term
    share: float
    part_of_u: float


def shares(outcome: HoleResult, result: str) -> tuple[Share, ...]:
    """Return each source's share of the variance of a result, largest first (trade.md 1).

    Parameters
    ----------
    outcome : HoleResult
        One hole.
    result : str
        ``compression_ratio``, ``quench`` or ``deck_clearance``.

    Returns
    -------
    tuple of Share
        Summing to 1; empty where there is no doubt.

    Examples
    --------
    >>> from zygometra.core.stack.evaluate import evaluate
    >>> from zygometra.core.build.examples import small_single
    >>> shares(evaluate(small_single()).now.holes[0].outcome, "quench")[0].share
    1.0
    """
    parts = outcome.doubts.parts(result)
    total = sum(part * part for _, part in parts)
    if total == 0:
        return ()
    rows = [Share(term, part * part / total, abs(part)) for term, part in parts if part]
    return tuple(sorted(rows, key=lambda row: -row.share))
