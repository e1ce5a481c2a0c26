"""What grinding a journal offset and facing a crown go for, and how far they get."""

from __future__ import annotations

import math

from ..windows import EDGE
from .question import Question
from .rules import FACE_CROWN


def throw_shift(pin: float, wanted: float, clean_up: float) -> float:
    """Return how far offset grinding can move a journal's centre.

    Parameters
    ----------
    pin, wanted : float
        Journal diameter as it is and as the rod wants it, in mm.
    clean_up : float
        What comes off the radius before the whole journal is touched, in mm.

    Returns
    -------
    float
        In mm; the stroke changes by up to twice this. Nought where nothing is left.

    Notes
    -----
    e = r_old − r_new − k.

    Examples
    --------
    >>> round(throw_shift(54.0, 50.0, 0.1), 3)
    1.9
    """
    return max((pin - wanted) / 2 - clean_up, 0.0)


def wanted_clearance(question: Question, thickness: float, floor: float) -> float | None:
    """Return the clearance that grinding or facing goes for with a gasket.

    Parameters
    ----------
    question : Question
        Its aims and windows.
    thickness : float
        Of the gasket, compressed, in mm.
    floor : float
        The quench floor of the rods, in mm.

    Returns
    -------
    float or None
        In mm: the aim of clearance, else what gives the aim of quench, else the middle
        of either window, brought inside both windows where they leave room; None where
        nothing is aimed at.
    """
    clearance, quench = question.window("deck_clearance"), question.window("quench")
    if clearance.aim is not None:
        want = clearance.aim
    elif (aim := question.aim("quench")) is not None:
        want = aim - thickness
    elif (middle := question.aim("deck_clearance")) is not None:
        want = middle
    else:
        return None
    least = least_clearance(question, thickness, floor)
    most = min(
        math.inf if clearance.high is None else clearance.high,
        math.inf if quench.high is None else quench.high - thickness,
    )
    return max(min(want, most), least) if least <= most else want


def least_clearance(question: Question, thickness: float, floor: float) -> float:
    """Return the least clearance that the windows and the quench floor leave with a gasket, in mm.

    Parameters
    ----------
    question : Question
        What is asked.
    thickness : float
        Compressed, in mm.
    floor : float
        Quench floor in mm.
    """
    quench = question.window("quench").low
    least = max(floor, quench if quench is not None else floor) - thickness
    low = question.window("deck_clearance").low
    return least if low is None else max(least, low)


def crown_cut(clearance: float, least: float, want: float | None, question: Question) -> float:
    """Return what to face off the crowns so that a piston that stops too high does not.

    Parameters
    ----------
    clearance, least : float
        Deck clearance as it would be, and the least that is allowed, in mm.
    want : float or None
        The clearance aimed at, in mm.
    question : Question
        For the largest cut.

    Returns
    -------
    float
        In mm; nought where none is needed, or where no allowed cut is enough.
    """
    if clearance >= least - EDGE or not question.allows(FACE_CROWN):
        return 0.0
    if clearance + question.crown_limit < least - EDGE:
        return 0.0
    goal = least if want is None else max(want, least)
    return min(goal - clearance, question.crown_limit)
