"""What is to be said before a pass is cut: the limit, the last moment of the other way, and what makes a poor chip."""

from __future__ import annotations

from typing import Literal, NamedTuple

from ..house_rules import HouseRules
from ..sentence import Sentence, sentence
from ..written import Length
from .reach import Reach
from .running import Running

# A hair, in mm: a pass that ends on its limit does not pass it; and half of what a scale is set to, in mm.
_HAIR, _SET = 1e-9, 0.0013


class NextPassSaid(NamedTuple):
    """What is said of a pass to come: ``stop`` where it must not be cut, ``warn``, or ``good``."""

    state: Literal["stop", "warn", "good"]
    says: Sentence


def before_pass(now: Running, reach: Reach | None, depth: float, rules: HouseRules) -> NextPassSaid:
    """Return what is to be said before a pass of a depth is cut, the gravest first.

    Parameters
    ----------
    now : Running
        How the cut stands.
    reach : Reach or None
        How far it may still go before the target is lost; None where nothing is wanted, or nothing leads there.
    depth : float
        Of the pass to come, in mm.
    rules : HouseRules
        For the least chip.
    """
    after, cut = Length(now.done + depth), Length(depth)
    if depth > now.above_limit + _HAIR:
        text = "Do not cut it: {left} is left above the limit of {limit}."
        return NextPassSaid("stop", sentence(text, left=Length(now.above_limit), limit=Length(now.limit)))
    if reach is not None and reach.loses(depth):
        text = (
            "Last moment: after this pass {after} is off and no other lever brings the target back. "
            "Stop and measure; at most {most} more keeps the way open."
        )
        return NextPassSaid("stop", sentence(text, after=after, most=Length(reach.most)))
    if not depth:
        return NextPassSaid("good", sentence("A touch-off: it takes nothing and carries its marks."))
    if now.left is not None and depth > now.left + _SET:
        return NextPassSaid(
            "warn", sentence("Deeper than the {left} that is left of the plan.", left=Length(now.left))
        )
    if depth < rules["least_chip"] - _SET:
        text = "A chip of {cut} rubs; the tool wants {least}."
        return NextPassSaid("warn", sentence(text, cut=cut, least=Length(rules["least_chip"])))
    if reach is not None and reach.loses(2 * depth):
        text = "After it {after} is off; another like it would lose the target. Measure after this one."
        return NextPassSaid("warn", sentence(text, after=after))
    return NextPassSaid("good", sentence("After it {after} is off in all.", after=after))
