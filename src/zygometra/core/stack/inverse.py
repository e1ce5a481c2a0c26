"""Inverse questions: what must be cut or fitted to reach a figure.

Each is the forward arithmetic solved in closed form (the chamber filled in steps by a
bracketed root): every lever moves every result by its slope. Where there is no answer
the error says why, and what else would do it.
"""

# long: one question for each lever, and why it has no answer
from __future__ import annotations

import itertools
import math
from typing import Any

from ..build.lever_table import LEVER, Lever, OpName
from ..build.levers import setting
from ..build.model import Build
from ..errors import NoAnswer
from ..linear import Linear, as_linear
from ..sentence import Sentence, sentence
from ..written import Length, judged
from .arithmetic import clearance_volume_for
from .chamber import NOT_KNOWN, ChamberModel
from .evaluate import evaluate
from .in_hole import along, worked
from .kernel import Crown, crown_gain, flat_cut
from .results import Hole, HoleResult
from .sources import chamber_model

RESULTS = ("quench", "compression_ratio", "deck_clearance", "above_rim")
# A hair below nought is rounding: nothing is taken off.
_HAIR = 1e-9
# Newton's steps toward a volume: each squares what is left.
_STEPS = 8
# A doubt that lets lengths be written to the micrometre.
_FINE = 0.005


def clearance_volume_for_ratio(swept: float, ratio: float) -> float:
    """Return the clearance volume that gives a ratio, if such a ratio can be.

    Parameters
    ----------
    swept : float
        Swept volume of the hole, in cc.
    ratio : float
        Wanted compression ratio; no unit.

    Returns
    -------
    float
        In cc.

    Raises
    ------
    NoAnswer
        If the ratio is not above 1.

    Examples
    --------
    >>> clearance_volume_for_ratio(500, 11)
    50.0
    """
    if ratio <= 1:
        raise NoAnswer(f"A compression ratio of {ratio:g} cannot be: it is always above 1.")
    return clearance_volume_for(swept, ratio)


def chamber_for_ratio(outcome: HoleResult, ratio: float) -> float:
    """Return the chamber volume that gives a ratio, all else as it is.

    Parameters
    ----------
    outcome : HoleResult
        The hole as it stands.
    ratio : float
        Wanted compression ratio; no unit.

    Returns
    -------
    float
        In cc.

    Raises
    ------
    NoAnswer
        If the other terms alone are already too large.
    """
    swept, volume = _volumes(outcome)
    if outcome.terms.chamber is None:
        raise NoAnswer(_WAITS_FOR_VOLUMES)
    wanted = clearance_volume_for_ratio(swept, ratio)
    rest = volume - outcome.terms.chamber
    chamber = wanted - rest
    if chamber < 0:
        raise NoAnswer(
            f"A ratio of {ratio:g} leaves {wanted:.2f} cc above the piston, and gasket, deck, crown "
            f"and crevice already hold {rest:.2f} cc: no chamber is small enough."
        )
    return chamber


_WAITS_FOR_VOLUMES = (
    "The ratio of that hole is not known yet: a figure is missing, or a cut goes past the end of its metal."
)
_WAITS_FOR_GAP = (
    "Where that piston stops is not known yet: give block deck height, stroke, rod length and compression "
    "height, or a deck clearance read on a mock-up."
)
_WAITS_FOR_GASKET = "Quench is not known yet: give the compressed gasket thickness."


def _volumes(outcome: HoleResult) -> tuple[float, float]:
    """Swept and clearance volume in cc, where both are known."""
    if outcome.swept is None or outcome.clearance is None:
        raise NoAnswer(_WAITS_FOR_VOLUMES)
    return outcome.swept, outcome.clearance


def _gap(outcome: HoleResult, result: str) -> float:
    """Quench or deck clearance in mm, where it is known."""
    if outcome.deck_clearance is None:
        raise NoAnswer(_WAITS_FOR_GAP)
    if result == "deck_clearance":
        return outcome.deck_clearance
    if outcome.quench is None:
        raise NoAnswer(_WAITS_FOR_GASKET)
    return outcome.quench


def for_gap(outcome: HoleResult, op: OpName, result: str, wanted: float) -> float:
    """Return the total of a lever that gives a quench or a deck clearance (trade.md 2).

    Parameters
    ----------
    outcome : HoleResult
        The hole, with what is planned so far.
    op : str
        The lever.
    result : {"quench", "deck_clearance"}
        What is wanted.
    wanted : float
        In mm; a deck clearance is positive down the bore.

    Returns
    -------
    float
        Total cut, or compressed gasket thickness, in mm.

    Raises
    ------
    NoAnswer
        If the lever does not move that result, or metal would have to be put on.
    """
    lever = LEVER[op]
    slope = lever.quench if result == "quench" else lever.clearance
    if not slope:
        raise _unmoved(lever, result)
    if op == "gasket":
        clearance = _gap(outcome, "deck_clearance")
        if wanted <= clearance:
            gap, down = judged(wanted, clearance, _FINE)
            raise NoAnswer(
                "No gasket gives {gap}: the piston stops {down} down, more than that without any gasket;"
                " a deck cut closes it.",
                gap=gap,
                down=down,
            )
        return wanted - clearance
    value = _gap(outcome, result)
    if op == "crown_cut":
        crown = outcome.areas.crown
        total = crown.rim_cut(outcome.crown_cut) + wanted - value
        # What stands above the rim comes off before the rim does.
        if total > 0:
            total += crown.above_rim
        why = Sentence("the piston already stops lower than that with its crown uncut")
        return _metal_off(total, why, "a deck cut raises it against the deck")
    total = outcome.deck_cut + (wanted - value) / slope
    if result == "quench":
        gap, edge = judged(value + outcome.deck_cut, wanted, _FINE)
        why = sentence(
            "{quench} is {gap} with the deck uncut, already under the {edge} wanted", gap=gap, edge=edge
        )
        return _metal_off(total, why, "a thicker gasket or a crown cut opens it")
    why = sentence(
        "the piston already stops higher than the {wanted} wanted with the deck uncut",
        wanted=Length(wanted, _FINE),
    )
    return _metal_off(total, why, "a crown cut lowers it")


def for_height_above_rim(hole: Hole, op: OpName, wanted: float) -> float:
    """Return the total crown cut that leaves so much above the rim.

    Parameters
    ----------
    hole : Hole
        With what is planned so far.
    op : str
        The lever.
    wanted : float
        In mm, nought or more.

    Returns
    -------
    float
        Total crown cut in mm.

    Raises
    ------
    NoAnswer
        If the lever does not move it, nobody said what stands there, or less than that does.
    """
    if op != "crown_cut":
        raise NoAnswer("What stands above the rim goes with a crown cut alone.")
    if hole.above_rim is None:
        raise NoAnswer("Nobody said what stands above the rim: give its height first, 0 where nothing does.")
    if wanted < 0:
        raise NoAnswer("Nothing below the rim stands above it: ask for nought or more.")
    stands: float = hole.outcome.areas.crown.above_rim
    if wanted > stands + _HAIR:
        gap, high = judged(wanted, stands, _FINE)
        raise NoAnswer(
            "No such cut: {high} stands above the rim, less than the {gap} wanted. Metal cannot be put back.",
            high=high,
            gap=gap,
        )
    return max(stands - wanted, 0.0)


def for_ratio(outcome: HoleResult, op: OpName, ratio: float, opened: float = 0.0) -> float:
    """Return the total of a lever that gives a ratio; for a head cut see :func:`head_cut_for_ratio`.

    Parameters
    ----------
    outcome : HoleResult
        The hole, with what is planned so far.
    op : str
        Deck cut, crown cut, gasket, chamber opening or bowl.
    ratio : float
        Wanted compression ratio; no unit.
    opened : float
        Chamber opening, or bowl, planned so far, in cc.

    Returns
    -------
    float
        Total cut or compressed gasket thickness in mm; total opening in cc.

    Raises
    ------
    NoAnswer
        If metal would have to be put on, no gasket is thin enough, or a crown cut adds
        no volume.
    """
    swept, volume = _volumes(outcome)
    more = clearance_volume_for_ratio(swept, ratio) - volume
    if op == "crown_cut":
        return _crown_for(outcome, more, ratio)
    total = _totals(outcome, opened)[op] + _for_volume(outcome, op, more)
    if op == "gasket":
        if total <= 0:
            raise NoAnswer(
                f"No gasket gives a ratio of {ratio:g}: without any, the volume above the piston is "
                "still too large; a deck or head cut raises it."
            )
        return total
    if op == "deck_cut":
        why = Sentence(f"the ratio is already above {ratio:g} with the deck uncut")
        return _metal_off(total, why, "a thicker gasket, an opened chamber or a crown cut lowers it")
    only = "a bowl only adds room" if op == "bowl" else "grinding only enlarges a chamber"
    why = Sentence(f"the ratio is already below {ratio:g}, and {only}")
    return _metal_off(total, why, "a head cut makes it smaller")


def _for_volume(outcome: HoleResult, op: OpName, more: float) -> float:
    """How much more of a lever adds so many cc: along its slope, and again where that bends."""
    by = more / (along(outcome.figures, outcome.taken, op).volume or math.nan)
    if op != "deck_cut" or outcome.figures.edge_width is None:
        return by
    # The chamfer of the bore gets narrower as the deck comes down.
    for _ in range(_STEPS):
        taken = outcome.taken._replace(deck=outcome.deck_cut + by)
        found = worked(outcome.figures, taken)
        slope = found.along(op).volume
        left = more - (found.results.volume - (outcome.clearance or 0.0))
        by += left / slope
        if abs(left) < _HAIR * abs(slope):
            break
    return by


def _crown_for(outcome: HoleResult, more: float, ratio: float) -> float:
    """The total crown cut that opens so many cc more than today's plan does."""
    crown = outcome.areas.crown
    wanted = _opened_by(outcome, outcome.crown_cut) + more
    total = _least_cut(outcome, wanted)
    if total is None and crown.untold is not None:
        raise NoAnswer(
            "Nobody told the opening of the dish, so nobody knows what a cut below the rim adds: give the dish area."
        )
    if total is None:
        raise NoAnswer("Cutting this crown adds no volume: its dish takes the whole crown.")
    why = Sentence(
        f"the ratio is already below {ratio:g} with the crown uncut, and a crown cut only lowers it"
    )
    return _metal_off(total, why, "a deck cut, a head cut or a thinner gasket raises it")


def _opened_by(outcome: HoleResult, cut: Any) -> Any:
    """What a crown cut opens above the piston in cc, from the uncut crown."""
    areas, off = outcome.areas, flat_cut(outcome.areas.crown, cut)
    return crown_gain(areas.crown, off) + (areas.bore - areas.ring) * off.rim / 1000


def _least_cut(outcome: HoleResult, volume: float) -> float | None:
    """The least crown cut that opens a volume in mm, negative where metal would be put on; None where none does.

    Between the depths at which it meets something else what it opens is a straight line.
    """
    crown = outcome.areas.crown
    for start, end in itertools.pairwise((0.0, *_edges(crown), math.inf)):
        if crown.untold is not None and start >= crown.above_rim:
            return None  # From there nobody knows what a cut opens.
        opened: float = _opened_by(outcome, start)
        inside = start + min((end - start) / 2, 1.0)
        slope: float = as_linear(_opened_by(outcome, Linear.of("cut", inside))).slopes.get("cut", 0.0)
        if slope > 0 and start + (volume - opened) / slope <= end:
            return start + (volume - opened) / slope
    return None


def _edges(crown: Crown) -> tuple[float, ...]:
    """The depths in mm at which a flat cut meets something else, from the top down."""
    return tuple(at for at in (crown.above_rim, crown.above_rim + crown.dish_depth) if 0 < at < math.inf)


def head_cut_for_ratio(outcome: HoleResult, ratio: float, chamber: ChamberModel | None) -> float:
    """Return the total head cut that gives a ratio, in mm, for any chamber model.

    Parameters
    ----------
    outcome : HoleResult
        The hole, with what is planned so far.
    ratio : float
        Wanted compression ratio; no unit.
    chamber : ChamberModel or None
        What milling takes from the chamber; None where that is not known.

    Returns
    -------
    float
        Total head cut in mm.

    Raises
    ------
    NoAnswer
        If metal would have to be put on, or the chamber's shape is not known that far.
    """
    if chamber is None:
        raise NoAnswer(NOT_KNOWN)
    swept, volume = _volumes(outcome)
    so_far = chamber.removed(outcome.head_cut) if outcome.head_cut else 0.0
    less = volume - clearance_volume_for_ratio(swept, ratio) + so_far
    if less < -_HAIR:
        raise NoAnswer(
            f"No head cut gives a ratio of {ratio:g}: it is already higher with the head uncut, and "
            "milling only raises it; a thicker gasket, an opened chamber or a crown cut lowers it."
        )
    left = (outcome.terms.chamber or 0.0) + so_far
    if less > left:
        raise NoAnswer(
            f"No head cut gives a ratio of {ratio:g}: the chamber holds {left:.2f} cc, and {less:.2f} cc "
            "would have to go; a deck cut or a thinner gasket raises it too."
        )
    return chamber.cut_for(max(0.0, less))


def _totals(outcome: HoleResult, opened: float = 0.0) -> dict[OpName, float]:
    return {
        "deck_cut": outcome.deck_cut,
        "gasket": outcome.gasket_thickness or 0.0,
        "open_chamber": opened,
        "bowl": opened,
    }


def _metal_off(amount: float, why: Sentence, instead: str) -> float:
    if amount < -_HAIR:
        raise NoAnswer("No such cut: {why}. Metal cannot be put back; {instead}.", why=why, instead=instead)
    return max(0.0, amount)


def _unmoved(lever: Lever, result: str) -> NoAnswer:
    instead = "use a deck cut, a crown cut" + (" or another gasket." if result == "quench" else ".")
    does = lever.doing.capitalize()
    moved = _RESULT_WORDS.get(result, result.replace("_", " "))
    return NoAnswer(f"{does} does not move the {moved}: {{instead}}", instead=instead)


# What adds volume and nothing else.
_OPENS: tuple[OpName, ...] = ("open_chamber", "bowl")
_RESULT_WORDS = {"quench": "{quench}", "deck_clearance": "{deck} clearance"}


def solve(build: Build, cylinder: int, op: OpName, result: str, wanted: float) -> float:
    """Return the total of a lever that brings one hole to a wanted figure.

    Parameters
    ----------
    build : Build
        With the plan so far.
    cylinder : int
        The number of the hole that decides; no unit.
    op : str
        The lever: a cut, ``gasket`` (thickness) or ``open_chamber``.
    result : str
        One of :data:`RESULTS`.
    wanted : float
        In mm, or as a ratio.

    Returns
    -------
    float
        The lever's total on that hole in mm (cc for a chamber opening); for a
        gasket its compressed thickness.

    Raises
    ------
    NoAnswer
        If the lever cannot do it; the message says which can.

    Examples
    --------
    >>> from zygometra.core.build.examples import small_single
    >>> round(solve(small_single(), 1, "gasket", "quench", 1.0), 6)
    1.36
    """
    hole = evaluate(build).planned.hole(cylinder)
    if result == "above_rim":
        total = for_height_above_rim(hole, op, wanted)
    elif result in ("quench", "deck_clearance"):
        total = for_gap(hole.outcome, op, result, wanted)
    elif result != "compression_ratio":
        raise _unmoved(LEVER[op], result)
    else:
        total = _solved_for_ratio(build, hole, op, wanted)
    _inside_metal(hole, op, total)
    if not build.cuts.passes:
        return total
    # A lever's total counts from where its log began.
    return total + build.cuts.on_hole(op, build.bank_of(cylinder), cylinder, build.planned)


def _inside_metal(hole: Hole, op: OpName, total: float) -> None:
    """Refuse an answer that goes past the end of what is cut."""
    outcome, sources = hole.outcome, hole.sources
    land = sources.get("parts.piston.top_land_height")
    if op == "crown_cut" and land is not None:
        rim = outcome.areas.crown.rim_cut(total)
        if rim > 0 and rim >= land.quantity.value:
            cut, high = judged(total, land.quantity.value, _FINE)
            raise NoAnswer(
                "It would take a crown cut of {cut}, and the top land is {high} high:"
                " the ring groove would be open.",
                cut=cut,
                high=high,
            )
    pocket = outcome.areas.pocket
    if op == "deck_cut" and pocket and outcome.terms.chamber is not None:
        left = outcome.terms.chamber + pocket * outcome.deck_cut / 1000
        if pocket * total / 1000 > left:
            cut, end = judged(total, left * 1000 / pocket, _FINE)
            raise NoAnswer(
                "It would take a deck cut of {cut}, and the chamber in the block ends {end} down.",
                cut=cut,
                end=end,
            )


def _solved_for_ratio(build: Build, hole: Hole, op: OpName, wanted: float) -> float:
    if op == "head_cut":
        return head_cut_for_ratio(hole.outcome, wanted, chamber_model(build, hole.sources))
    opened = setting(build.planned, op, hole.bank, hole.number).total if op in _OPENS else 0.0
    return for_ratio(hole.outcome, op, wanted, opened)
