"""Whether the readings of a place agree yet, and what a new one says of itself."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Literal, NamedTuple

from ..likely import is_usual
from ..usual_figures import agree_within
from .logbook import READABLE, Logbook, Reading

# So many successive readings within two steps of the gauge; of volumes two within the house's figure.
SUCCESSIVE, SUCCESSIVE_VOLUMES, STEPS = 3, 2, 2
# A figure off by such a factor from its like was probably slipped: a point, or inches.
_SLIPS = (10.0, 100.0, 1000.0, 25.4)
_NEAR = 0.35
# So near the others, in mm, a piston stands on their side of the deck.
_NEAR_PROUD = 0.05
# So many times the usual rock of a piston nobody has.
_ROCKS = 4.0

State = Literal["agree", "more", "apart"]


class Agreement(NamedTuple):
    """How the last readings of a place stand: in mm or cc.

    ``more`` readings are wanted still where they are too few; ``range`` and ``within`` say how far the
    last ones are apart and how far they may be.
    """

    state: State
    more: int
    range: float
    within: float


def agreement(readings: Sequence[Reading], logbook: Logbook) -> Agreement:
    """Judge the last readings of a place against one another (trade.md 1).

    Parameters
    ----------
    readings : sequence of Reading
        Of one place, in their order, neither void nor set aside.
    logbook : Logbook
        For the gauge's resolution.

    Returns
    -------
    Agreement
        ``agree`` once three successive ones lie within two of the gauge's steps (two chamber volumes
        within the house's figure), ``apart`` where they do not, ``more`` where there are too few.

    Examples
    --------
    >>> from .examples import reading
    >>> agreement([reading(value=0.30), reading(value=0.31)], Logbook()).more
    1
    """
    last = readings[-1] if readings else None
    volume = last is not None and READABLE[last.figure].kind.value == "volume"
    wanted = SUCCESSIVE_VOLUMES if volume else SUCCESSIVE
    gauge = logbook.gauge_of(last) if last is not None else None
    step = gauge.resolution if gauge and gauge.resolution else None
    within = STEPS * step if step is not None and not volume else agree_within(volume=volume)
    some = [one.value for one in readings[-wanted:]]
    apart = max(some) - min(some) if some else 0.0
    if len(some) < wanted:
        return Agreement("more", wanted - len(some), apart, within)
    # Steps of a gauge typed in decimals differ by the last bits of a float.
    return Agreement("agree" if apart <= within * (1 + 1e-9) + 1e-12 else "apart", 0, apart, within)


def odd_rock(reading: Reading, usual: float) -> float | None:
    """Return the rock of a tipped pair where no piston rocks so much; None where one could (trade.md 2).

    Parameters
    ----------
    reading : Reading
        The new one.
    usual : float
        The house's rock of a piston that nobody has read, in mm.
    """
    rock = reading.rock
    return rock if rock is not None and rock > _ROCKS * usual else None


def axis_wanted(reading: Reading, others: Sequence[Reading]) -> bool:
    """Tell whether a plain depth may hold rock: read off the pin axis, or nobody said over which.

    Parameters
    ----------
    reading : Reading
        The new one.
    others : sequence of Reading
        What was read of the same figure before: who let one pass without an axis is not asked again.
    """
    if reading.figure != "deck_clearance" or reading.way != "plain" or reading.on == "dome":
        return False
    if reading.spot.axis == "thrust":
        return True
    silent = [one for one in others if one.way == "plain" and not one.spot.axis]
    return not reading.spot.axis and not silent


def slipped(reading: Reading, others: Sequence[float], paper: float | None) -> float | None:
    """Return the value that a new reading is a likely slip of; None where it is not odd (trade.md 9).

    Parameters
    ----------
    reading : Reading
        The new one.
    others : sequence of float
        What was read of the same figure, elsewhere or before, in the base unit.
    paper : float or None
        What its figure is on paper, in the base unit.

    Returns
    -------
    float or None
        What the others, or the paper, would have it be, where that differs by a power of ten or by
        25.4; also where the figure is not what such a figure usually is.
    """
    like = sorted(others)[len(others) // 2] if others else paper
    if like is None:
        return None if is_usual(READABLE[reading.figure], reading.value) else reading.value
    value = reading.value
    if value == 0 or like == 0:
        return None
    if value * like < 0:
        # Proud said nowhere among pistons that stand proud: the same figure on the other side would be like them.
        near = abs(abs(value) - abs(like)) <= max(_NEAR * abs(like), _NEAR_PROUD)
        return -value if reading.figure == "deck_clearance" and like < 0 and near else None
    factor = max(value / like, like / value)
    return like if any(abs(factor / slip - 1) < _NEAR for slip in _SLIPS) else None
