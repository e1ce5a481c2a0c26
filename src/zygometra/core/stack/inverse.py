"""Inverse questions: what must be cut or fitted to reach a figure.

Each is the forward arithmetic solved in closed form (the chamber filled in steps
by a bracketed root). Where there is no answer the error says why, and what else
would do it.
"""

from __future__ import annotations

from ..build.levers import setting
from ..build.model import Build, OpName
from ..errors import NoAnswer
from .chamber import ChamberModel
from .evaluate import evaluate
from .results import Outcome
from .sources import chamber_model

RESULTS = ("quench", "compression_ratio", "deck_clearance")


def clearance_volume_for_ratio(swept: float, ratio: float) -> float:
    """Return the clearance volume that gives a ratio: Vs/(CR − 1).

    Parameters
    ----------
    swept : float
        Swept volume of the hole, in cc.
    ratio : float
        Wanted compression ratio.

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
    return swept / (ratio - 1)


def chamber_for_ratio(outcome: Outcome, ratio: float) -> float:
    """Return the chamber volume that gives a ratio, all else as it is.

    Parameters
    ----------
    outcome : Outcome
        The hole as it stands.
    ratio : float
        Wanted compression ratio.

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


def deck_cut_for_quench(outcome: Outcome, quench: float) -> float:
    """Return the total deck cut that gives a quench, in mm.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    quench : float
        Wanted quench in mm.

    Returns
    -------
    float
        Total deck cut in mm.

    Raises
    ------
    NoAnswer
        If metal would have to be put on.
    """
    return _metal_off(
        outcome.deck_cut + outcome.quench - quench,
        f"quench is {outcome.quench + outcome.deck_cut:.3f} mm with the deck uncut, already under "
        f"the {quench:.3f} mm wanted",
        "a thicker gasket or a crown cut opens it",
    )


def deck_cut_for_clearance(outcome: Outcome, clearance: float) -> float:
    """Return the total deck cut that gives a deck clearance (down +), in mm.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    clearance : float
        Wanted deck clearance in mm.

    Returns
    -------
    float
        Total deck cut in mm.

    Raises
    ------
    NoAnswer
        If metal would have to be put on.
    """
    return _metal_off(
        outcome.deck_cut + outcome.deck_clearance - clearance,
        f"the piston already stops higher than the {clearance:.3f} mm wanted with the deck uncut",
        "a crown cut lowers it",
    )


def deck_cut_for_ratio(outcome: Outcome, ratio: float) -> float:
    """Return the total deck cut that gives a ratio, in mm.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    ratio : float
        Wanted compression ratio.

    Returns
    -------
    float
        Total deck cut in mm.

    Raises
    ------
    NoAnswer
        If metal would have to be put on.
    """
    less = outcome.clearance - clearance_volume_for_ratio(outcome.swept, ratio)
    return _metal_off(
        outcome.deck_cut + less * 1000 / outcome.bore_area,
        f"the ratio is already above {ratio:g} with the deck uncut",
        "a thicker gasket, an opened chamber or a crown cut lowers it",
    )


def head_cut_for_ratio(outcome: Outcome, ratio: float, chamber: ChamberModel) -> float:
    """Return the total head cut that gives a ratio, in mm, for any chamber model.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    ratio : float
        Wanted compression ratio.
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
    if less < -1e-9:
        raise NoAnswer(
            f"No head cut gives a ratio of {ratio:g}: it is already higher with the head uncut, and "
            "milling only raises it; a thicker gasket, an opened chamber or a crown cut lowers it."
        )
    return chamber.cut_for(max(0.0, less))


def gasket_for_quench(outcome: Outcome, quench: float) -> float:
    """Return the compressed gasket thickness that gives a quench, in mm.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    quench : float
        Wanted quench in mm.

    Returns
    -------
    float
        Compressed thickness in mm.

    Raises
    ------
    NoAnswer
        If the piston is so far down that even no gasket leaves more.
    """
    thickness = quench - outcome.deck_clearance
    if thickness <= 0:
        raise NoAnswer(
            f"No gasket gives {quench:.3f} mm: the piston stops {outcome.deck_clearance:.3f} mm "
            "down, more than that without any gasket; a deck cut closes it."
        )
    return thickness


def gasket_for_ratio(outcome: Outcome, ratio: float) -> float:
    """Return the compressed gasket thickness that gives a ratio, in mm.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    ratio : float
        Wanted compression ratio.

    Returns
    -------
    float
        Compressed thickness in mm, at the opening of the gasket fitted.

    Raises
    ------
    NoAnswer
        If even no gasket leaves too much volume.
    """
    more = clearance_volume_for_ratio(outcome.swept, ratio) - outcome.clearance
    thickness = outcome.gasket_thickness + more * 1000 / outcome.gasket_area
    if thickness <= 0:
        raise NoAnswer(
            f"No gasket gives a ratio of {ratio:g}: without any, the volume above the piston is "
            "still too large; a deck or head cut raises it."
        )
    return thickness


def crown_cut_for_clearance(outcome: Outcome, clearance: float) -> float:
    """Return the total crown cut that gives a deck clearance (down +), in mm.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    clearance : float
        Wanted deck clearance in mm.

    Returns
    -------
    float
        Total crown cut in mm.

    Raises
    ------
    NoAnswer
        If metal would have to be put on.
    """
    return _metal_off(
        outcome.crown_cut + clearance - outcome.deck_clearance,
        "the piston already stops lower than that with its crown uncut",
        "a deck cut raises it against the deck",
    )


def crown_cut_for_quench(outcome: Outcome, quench: float) -> float:
    """Return the total crown cut that gives a quench, in mm.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    quench : float
        Wanted quench in mm.

    Returns
    -------
    float
        Total crown cut in mm.

    Raises
    ------
    NoAnswer
        If metal would have to be put on.
    """
    return crown_cut_for_clearance(outcome, quench - outcome.gasket_thickness)


def crown_cut_for_ratio(outcome: Outcome, ratio: float, dish_area: float) -> float:
    """Return the total crown cut that gives a ratio, in mm.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    ratio : float
        Wanted compression ratio.
    dish_area : float
        Opening of the dish at the rim, in mm².

    Returns
    -------
    float
        Total crown cut in mm.

    Raises
    ------
    NoAnswer
        If metal would have to be put on, or a cut adds no volume.

    Notes
    -----
    A cut t adds (A − A_dish − ring around the land)·t: the rim sinks, the dish
    gets shallower and the top land shorter.
    """
    per_mm = outcome.bore_area - dish_area - outcome.land_area
    if per_mm <= 0:
        raise NoAnswer("Cutting this crown adds no volume: its dish takes the whole crown.")
    more = clearance_volume_for_ratio(outcome.swept, ratio) - outcome.clearance
    return _metal_off(
        outcome.crown_cut + more * 1000 / per_mm,
        f"the ratio is already below {ratio:g} with the crown uncut, and a crown cut only lowers it",
        "a deck cut, a head cut or a thinner gasket raises it",
    )


def open_chamber_for_ratio(outcome: Outcome, ratio: float, opened: float) -> float:
    """Return the total chamber opening that gives a ratio, in cc.

    Parameters
    ----------
    outcome : Outcome
        The hole, with what is planned so far.
    ratio : float
        Wanted compression ratio.
    opened : float
        Opening planned so far, in cc.

    Returns
    -------
    float
        Total opening in cc.

    Raises
    ------
    NoAnswer
        If the chamber would have to be made smaller.
    """
    return _metal_off(
        opened + clearance_volume_for_ratio(outcome.swept, ratio) - outcome.clearance,
        f"the ratio is already below {ratio:g}, and grinding only enlarges a chamber",
        "a head cut makes it smaller",
    )


def _metal_off(amount: float, why: str, instead: str) -> float:
    if amount < -1e-9:
        raise NoAnswer(f"No such cut: {why}. Metal cannot be put back; {instead}.")
    return max(0.0, amount)


def solve(build: Build, cylinder: int, op: OpName, result: str, wanted: float) -> float:
    """Return the total of a lever that brings one hole to a wanted figure.

    Parameters
    ----------
    build : Build
        With the plan so far.
    cylinder : int
        The hole that decides.
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
    outcome, sources = hole.outcome, hole.sources
    dish = sources.get("parts.piston.dish_area")
    match op, result:
        case "deck_cut", "quench":
            return deck_cut_for_quench(outcome, wanted)
        case "deck_cut", "deck_clearance":
            return deck_cut_for_clearance(outcome, wanted)
        case "deck_cut", "compression_ratio":
            return deck_cut_for_ratio(outcome, wanted)
        case "head_cut", "compression_ratio":
            return head_cut_for_ratio(outcome, wanted, chamber_model(build, sources))
        case "gasket", "quench":
            return gasket_for_quench(outcome, wanted)
        case "gasket", "compression_ratio":
            return gasket_for_ratio(outcome, wanted)
        case "crown_cut", "quench":
            return crown_cut_for_quench(outcome, wanted)
        case "crown_cut", "deck_clearance":
            return crown_cut_for_clearance(outcome, wanted)
        case "crown_cut", "compression_ratio":
            return crown_cut_for_ratio(outcome, wanted, dish.quantity.value if dish else 0.0)
        case "open_chamber", "compression_ratio":
            opened = setting(build.planned, "open_chamber", hole.bank, cylinder).total
            return open_chamber_for_ratio(outcome, wanted, opened)
    words = {"head_cut": "milling the head", "gasket": "the gasket", "open_chamber": "opening the chamber"}
    raise NoAnswer(
        f"{words.get(op, op).capitalize()} does not move the {result.replace('_', ' ')}: "
        "use a deck cut, a crown cut" + (" or another gasket." if result == "quench" else ".")
    )
