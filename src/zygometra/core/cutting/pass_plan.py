"""How a cut is taken: roughing passes, a stop to measure, finishing passes; feed, finish and time."""

from __future__ import annotations

import math
from typing import NamedTuple

from ..errors import QuantityError
from ..faces.facing import GASKET_KINDS
from ..house_rules import HouseRules
from ..written import Length

# What adding passes up may leave of a cut, in mm.
_ROUNDED = 1e-6
# What a gasket's face should come to, Ra in µm: from, to (rules of thumb; the gasket maker's figure wins).
FINISH: dict[str, tuple[float, float]] = {
    "multi-layer steel": (0.0, 0.8),
    "composite": (1.5, 3.0),
    "soft metal": (0.8, 1.6),
}
assert set(FINISH) == set(GASKET_KINDS)


class Planned(NamedTuple):
    """One pass to come: what it is, how deep in mm, the total after it, and its feed in mm a minute."""

    kind: str
    depth: float
    total: float
    feed: float


class PassPlan(NamedTuple):
    """The passes of a cut, in order; between them one stop to measure after ``stop_after`` of them.

    ``minutes`` is the cutting alone; ``ra`` the theoretical finish of the last pass in µm, worse in truth.
    """

    passes: tuple[Planned, ...]
    stop_after: int
    minutes: float
    ra: float
    feed_per_rev: float
    speed: float


def pass_plan(
    total: float, length: float, gasket_kind: str, rules: HouseRules, done: float = 0.0
) -> PassPlan:
    """Return how a cut of a face is best taken (trade.md 14).

    Parameters
    ----------
    total : float
        The whole cut in mm.
    length : float
        Of the face, in mm.
    gasket_kind : str
        Which decides the finish; empty where nobody said, and then as composite.
    rules : HouseRules
        Passes, cutter, speed and nose radius of the shop.
    done : float
        What came off already, in mm.

    Raises
    ------
    QuantityError
        If nothing is left to cut.

    Notes
    -----
    Ra = f²/(32·r)·1000 µm (f in mm a turn, r the nose radius in mm), n = 1000·v/(π·D), minutes of a pass
    (length + D)/v_f (a cutter's way over a face). Roughing stops with ``stop_left`` to go: measure there.

    Examples
    --------
    >>> plan = pass_plan(0.25, 400, "composite", HouseRules())
    >>> [(one.kind, round(one.depth, 3)) for one in plan.passes], plan.stop_after
    ([('rough', 0.095), ('rough', 0.095), ('finish', 0.03), ('finish', 0.03)], 2)
    """
    left = total - done
    if left <= 0:
        raise QuantityError(Length(max(done, 0.0)), "a cut of which something is left")
    cutter, radius = rules["cutter_diameter"], rules["nose_radius"]
    least = rules["least_chip"]
    rough = left - rules["stop_left"]
    # What would rub by itself is finished with the rest.
    rough = rough if rough > max(_ROUNDED, least) else 0.0
    finish = left - rough
    low, high = FINISH.get(gasket_kind, FINISH["composite"])
    fine = feed_for(high if low == 0 else (low + high) / 2, radius)
    turns = turns_of(rules["cutting_speed"], cutter)
    depths = [
        *_split("rough", rough, rules["rough_pass"], least),
        *_split("finish", finish, rules["finish_pass"], least),
    ]
    passes, at, minutes = [], done, 0.0
    for kind, depth in depths:
        at += depth
        feed = turns * (rules["rough_feed"] if kind == "rough" else fine)
        minutes += pass_minutes(length, cutter, feed)
        passes.append(Planned(kind, depth, at, feed))
    stop = sum(one.kind == "rough" for one in passes)
    return PassPlan(
        passes=tuple(passes),
        stop_after=stop,
        minutes=minutes,
        ra=finish_of(fine, radius),
        feed_per_rev=fine,
        speed=turns,
    )


def _split(kind: str, amount: float, most: float, least: float) -> list[tuple[str, float]]:
    """Equal passes, none deeper than the most and none that rubs, as far as both can be had."""
    if not amount:
        return []
    count = max(math.ceil(amount / most - 1e-9), 1)
    if amount / count < least:
        count = max(math.floor(amount / least + 1e-9), 1)
    return [(kind, amount / count)] * count


def finish_of(feed_per_rev: float, nose_radius: float) -> float:
    """Return the theoretical roughness Ra in µm (trade.md 14).

    Parameters
    ----------
    feed_per_rev, nose_radius : float
        In mm.

    Examples
    --------
    >>> round(finish_of(0.1, 0.8), 2)
    0.39
    """
    return feed_per_rev**2 / (32 * nose_radius) * 1000


def feed_for(ra: float, nose_radius: float) -> float:
    """Return the feed in mm a turn that gives a theoretical roughness (trade.md 14).

    Parameters
    ----------
    ra : float
        In µm, thousandths of a mm.
    nose_radius : float
        In mm.

    Returns
    -------
    float
        In mm a turn: f² = 32·r·Ra/1000.

    Examples
    --------
    >>> round(finish_of(feed_for(0.8, 0.8), 0.8), 6)
    0.8
    """
    return math.sqrt(32 * nose_radius * ra / 1000)


def turns_of(cutting_speed: float, diameter: float) -> float:
    """Return the turns a minute of a cutter (trade.md 14).

    Parameters
    ----------
    cutting_speed : float
        In m, 1000 mm, a minute.
    diameter : float
        In mm.

    Returns
    -------
    float
        Turns a minute, no unit: 1000·v/(π·D), v in m a minute.
    """
    return 1000 * cutting_speed / (math.pi * diameter)


def pass_minutes(length: float, diameter: float, feed: float) -> float:
    """Return how long a pass takes in minutes (trade.md 14).

    Parameters
    ----------
    length, diameter : float
        Of the face and of the cutter, in mm.
    feed : float
        In mm a minute.
    """
    return (length + diameter) / feed
