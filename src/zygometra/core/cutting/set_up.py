"""What a sweep before the first chip says: the slope it leaves, and whether the jacks can take it out."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..build.cut_log import SetUpRecord, Swept
from ..faces.planes import least_squares
from ..house_rules import HouseRules
from ..sentence import Sentence, sentence
from ..written import Length

LEAST_READINGS = 4


class SweepSays(NamedTuple):
    """What a set-up's sweep comes to.

    Slopes in mm per mm, None where too little was swept; ``over`` is what they come to over the supports, in mm,
    ``u`` the standard uncertainty that it brings into the depth at the ends. ``says`` is what is wrong with it.
    """

    along: float | None
    across: float | None
    over: tuple[float, float]
    u: float
    says: tuple[Sentence, ...]
    is_beyond: bool


def sweep_says(record: SetUpRecord, rules: HouseRules) -> SweepSays:
    """Return what a set-up record says of how true the part stands (trade.md 14).

    Parameters
    ----------
    record : SetUpRecord
        With its sweep.
    rules : HouseRules
        For the travel of the jacks and the slope that may be left.

    Notes
    -----
    Least-squares plane through the sweep; what it rises over the support span is what the jacks would have to move.
    A slope left is rectangular over the face: u = rise/√12.
    """
    says: list[Sentence] = []
    if len(record.sweep) < LEAST_READINGS:
        says.append(
            sentence(
                "The sweep has {n} readings; wanted at least {least}, at the corners.",
                n=str(len(record.sweep)),
                least=str(LEAST_READINGS),
            )
        )
    if record.rigid is not True:
        says.append(sentence("Nobody ticked that the part stands rigid: tap it, and look at the clamps."))
    along, across = _slopes(record.sweep)
    spans = record.span or _extent(record.sweep)
    over = ((along or 0.0) * spans[0], (across or 0.0) * spans[1])
    worst = max(abs(one) for one in over)
    beyond = worst > rules["jack_travel"]
    if beyond:
        says.append(
            sentence(
                "The sweep rises {rise} over the supports, and the jacks move {travel}: "
                "check the datum under the part, a slipped point, or shim it first.",
                rise=Length(worst),
                travel=Length(rules["jack_travel"]),
            )
        )
    elif worst > rules["set_up_slope"]:
        text = "The sweep leaves {rise} over the supports; up to {most} is let stand: move the jacks and sweep again."
        says.append(sentence(text, rise=Length(worst), most=Length(rules["set_up_slope"])))
    if record.spring is not None and abs(record.spring) > rules["set_up_slope"]:
        text = "Clamping springs it by {spring}: it will spring back when it is let go."
        says.append(sentence(text, spring=Length(record.spring)))
    return SweepSays(
        along=along, across=across, over=over, u=worst / 12**0.5, says=tuple(says), is_beyond=beyond
    )


def _slopes(sweep: tuple[Swept, ...]) -> tuple[float | None, float | None]:
    if len(sweep) < 3:
        return None, None
    x, y, z = np.array([(one.x, one.y, one.z) for one in sweep], dtype=float).T
    on_axis = bool(np.ptp(y) < 1e-9)
    spread = np.column_stack([np.ones_like(x), x] + ([] if on_axis else [y]))
    if np.linalg.matrix_rank(spread, tol=1e-6) < spread.shape[1]:
        return None, None
    plane = least_squares(x, y, z, on_axis=on_axis).plane
    return plane.along, plane.across


def _extent(sweep: tuple[Swept, ...]) -> tuple[float, float]:
    if not sweep:
        return 0.0, 0.0
    xs, ys = [one.x for one in sweep], [one.y for one in sweep]
    return max(xs) - min(xs), max(ys) - min(ys)
