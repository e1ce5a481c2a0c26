"""Where the doubt of a result comes from: each source's share of its variance."""

from __future__ import annotations

from typing import NamedTuple

from .results import Outcome, ratio_slope


class Share(NamedTuple):
    """One source: its place, its share of the variance (0 to 1), and its own part of u."""

    path: str
    share: float
    part_of_u: float


def shares(outcome: Outcome, result: str) -> tuple[Share, ...]:
    """Return each source's share of the variance of a result, largest first.

    Parameters
    ----------
    outcome : Outcome
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
    parts: dict[str, float] = {}
    for item in outcome.contributions:
        slope = {"quench": item[5], "deck_clearance": item[4]}.get(result)
        if slope is None:
            slope = ratio_slope(outcome, item)
        parts[item[0]] = parts.get(item[0], 0.0) + (slope * item[1]) ** 2
    total = sum(parts.values())
    if total == 0:
        return ()
    rows = [Share(path, part / total, part**0.5) for path, part in parts.items() if part > 0]
    return tuple(sorted(rows, key=lambda row: -row.share))
