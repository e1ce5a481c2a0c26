"""Inverse questions: what must be cut or fitted to reach a figure.

Each is the forward arithmetic solved in closed form (the chamber filled in steps by a
bracketed root): every lever moves every result by its slope. Where there is no answer
the error says why, and what else would do it.
"""

from __future__ import annotations

from ..build.lever_table import LEVER, Lever, OpName
from ..build.levers import setting
from ..build.model import Build
from ..errors import NoAnswer
from .arithmetic import clearance_volume_for
from .chamber import ChamberModel
from .evaluate import evaluate
from .results import Hole, Outcome
from .slopes import volume_slope
from .sources import chamber_model

RESULTS = ("quench", "compression_ratio", "deck_clearance")
# A hair below nought is rounding: nothing is taken off.
_HAIR = 1e-9


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


def chamber_for_ratio(outcome: Outcome, ratio: float) -> float:
    """Return the chamber volume that gives a ratio, all else as it is.

    Parameters
    ----------
    outcome : Outcome
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
    wanted = clearance_volume_for_ratio(outcome.swept, ratio)
    chamber = outcome.terms.chamber + wanted - outcome.clearance
    if chamber < 0:
        rest = outcome.clearance - outcome.terms.chamber
        raise NoAnswer(
            f"A ratio of {ratio:g} leaves {wanted:.2f} cc above the piston, and gasket, deck, crown "
            f"and crevice already hold {rest:.2f} cc: no chamber is small enough."
        )
    return chamber


def for_gap(outcome: Outcome, op: OpName, result: str, wanted: float) -> float:
    """Return the total of a lever that gives a quench or a deck clearance.

    Parameters
    ----------
    outcome : Outcome
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
    value = outcome.quench if result == "quench" else outcome.deck_clearance
    total = _totals(outcome)[op] + (wanted - value) / slope
    if op == "gasket":
        if total <= 0:
            raise NoAnswer(
                f"No gasket gives {wanted:.3f} mm: the piston stops {outcome.deck_clearance:.3f} mm "
                "down, more than that without any gasket; a deck cut closes it."
            )
        return total
    if op == "crown_cut":
        why = "the piston already stops lower than that with its crown uncut"
        return _metal_off(total, why, "a deck cut raises it against the deck")
    if result == "quench":
        why = (
            f"quench is {outcome.quench + outcome.deck_cut:.3f} mm with the deck uncut, already under "
            f"the {wanted:.3f} mm wanted"
        )
        return _metal_off(total, why, "a thicker gasket or a crown cut opens it")
    why = f"the piston already stops higher than the {wanted:.3f} mm wanted with the deck uncut"
    return _metal_off(total, why, "a crown cut lowers it")


def for_ratio(outcome: Outcome, op: OpName, ratio: float, opened: float = 0.0) -> float:
    """Return the total of a lever that gives a ratio; for a head cut see :func:`head_cut_for_ratio`.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    op : str
        Deck cut, crown cut, gasket or chamber opening.
    ratio : float
        Wanted compression ratio; no unit.
    opened : float
        Chamber opening planned so far, in cc.

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
    slope = volume_slope(op, outcome.areas)
    if slope <= 0 and op == "crown_cut":
        raise NoAnswer("Cutting this crown adds no volume: its dish takes the whole crown.")
    more = clearance_volume_for_ratio(outcome.swept, ratio) - outcome.clearance
    total = _totals(outcome, opened)[op] + more / slope
    if op == "gasket":
        if total <= 0:
            raise NoAnswer(
                f"No gasket gives a ratio of {ratio:g}: without any, the volume above the piston is "
                "still too large; a deck or head cut raises it."
            )
        return total
    if op == "deck_cut":
        why = f"the ratio is already above {ratio:g} with the deck uncut"
        return _metal_off(total, why, "a thicker gasket, an opened chamber or a crown cut lowers it")
    if op == "crown_cut":
        why = f"the ratio is already below {ratio:g} with the crown uncut, and a crown cut only lowers it"
        return _metal_off(total, why, "a deck cut, a head cut or a thinner gasket raises it")
    why = f"the ratio is already below {ratio:g}, and grinding only enlarges a chamber"
    return _metal_off(total, why, "a head cut makes it smaller")


def head_cut_for_ratio(outcome: Outcome, ratio: float, chamber: ChamberModel) -> float:
    """Return the total head cut that gives a ratio, in mm, for any chamber model.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    ratio : float
        Wanted compression ratio; no unit.
    chamber : ChamberModel
        What milling takes from the chamber.

    Returns
    -------
    float
        Total head cut in mm.

    Raises
    ------
    NoAnswer
        If metal would have to be put on, or the chamber's shape is not known that far.
    """
    so_far = chamber.removed(outcome.head_cut) if outcome.head_cut else 0.0
    less = outcome.clearance - clearance_volume_for_ratio(outcome.swept, ratio) + so_far
    if less < -_HAIR:
        raise NoAnswer(
            f"No head cut gives a ratio of {ratio:g}: it is already higher with the head uncut, and "
            "milling only raises it; a thicker gasket, an opened chamber or a crown cut lowers it."
        )
    return chamber.cut_for(max(0.0, less))


def _totals(outcome: Outcome, opened: float = 0.0) -> dict[OpName, float]:
    return {
        "deck_cut": outcome.deck_cut,
        "crown_cut": outcome.crown_cut,
        "gasket": outcome.gasket_thickness,
        "open_chamber": opened,
    }


def _metal_off(amount: float, why: str, instead: str) -> float:
    if amount < -_HAIR:
        raise NoAnswer(f"No such cut: {why}. Metal cannot be put back; {instead}.")
    return max(0.0, amount)


def _unmoved(lever: Lever, result: str) -> NoAnswer:
    instead = "use a deck cut, a crown cut" + (" or another gasket." if result == "quench" else ".")
    does = lever.doing.capitalize()
    return NoAnswer(f"{does} does not move the {result.replace('_', ' ')}: {instead}")


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
    if result in ("quench", "deck_clearance"):
        return for_gap(hole.outcome, op, result, wanted)
    if result != "compression_ratio":
        raise _unmoved(LEVER[op], result)
    return _solved_for_ratio(build, hole, op, wanted)


def _solved_for_ratio(build: Build, hole: Hole, op: OpName, wanted: float) -> float:
    if op == "head_cut":
        return head_cut_for_ratio(hole.outcome, wanted, chamber_model(build, hole.sources))
    opened = setting(build.planned, "open_chamber", hole.bank, hole.number).total
    return for_ratio(hole.outcome, op, wanted, opened)
