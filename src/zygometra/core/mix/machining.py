"""What grinding a journal offset and facing a crown go for, and how far they get.

One rule for one recipe and for columns of them: the judge of a recipe puts arrays of one in.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..stack.arithmetic import deck_clearance, stroke_for
from ..windows import EDGE
from .question import Question
from .shelf import Floats


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


class Bottoms(NamedTuple):
    """What decides where pistons stop, row by row: lengths in mm, ``per_mm`` in cc of the engine per mm of stroke.

    ``shortest`` and ``longest`` are the strokes that grinding could give; the same where
    nothing is ground.
    """

    height: Floats
    shortest: Floats
    longest: Floats
    length: Floats
    compression: Floats
    thickness: Floats
    floor: Floats
    per_mm: Floats


class Stopped(NamedTuple):
    """Where pistons stop: the stroke, the cut off their crowns, and the clearance, in mm."""

    stroke: Floats
    cut: Floats
    clearance: Floats


def least_clearance(question: Question, thickness: Floats, floor: Floats) -> Floats:
    """Return the least clearance that the windows and the quench floor leave with a gasket, in mm.

    Parameters
    ----------
    question : Question
        What is asked.
    thickness : array of float
        Compressed, in mm.
    floor : array of float
        Quench floor in mm.
    """
    low = question.window("quench").low
    least: Floats = (floor if low is None else np.maximum(floor, low)) - thickness
    low = question.window("deck_clearance").low
    return least if low is None else np.maximum(least, low)


def most_clearance(question: Question, thickness: Floats) -> Floats:
    """Return the most clearance that the windows leave with a gasket, in mm; infinite where they set none.

    Parameters
    ----------
    question : Question
        What is asked.
    thickness : array of float
        Compressed, in mm.
    """
    clearance, quench = question.window("deck_clearance").high, question.window("quench").high
    most = np.full(len(thickness), np.inf) if quench is None else quench - thickness
    return most if clearance is None else np.minimum(most, clearance)


def wanted_clearance(question: Question, thickness: Floats, floor: Floats) -> Floats | None:
    """Return the clearance that grinding or facing goes for with a gasket.

    Parameters
    ----------
    question : Question
        Its aims and windows.
    thickness : array of float
        Of the gasket, compressed, in mm.
    floor : array of float
        The quench floor of the rods, in mm.

    Returns
    -------
    array of float or None
        In mm: the aim of clearance, else what gives the aim of quench, else the middle
        of either window, brought inside both windows where they leave room; None where
        nothing is aimed at.
    """
    if (aim := question.window("deck_clearance").aim) is not None:
        want = np.full(len(thickness), aim)
    elif (aim := question.aim("quench")) is not None:
        want = aim - thickness
    elif (aim := question.aim("deck_clearance")) is not None:
        want = np.full(len(thickness), aim)
    else:
        return None
    least, most = least_clearance(question, thickness, floor), most_clearance(question, thickness)
    return np.where(least <= most, np.maximum(np.minimum(want, most), least), want)


def stops(question: Question, rows: Bottoms, *, faces: bool) -> Stopped:
    """Return where pistons stop once journals are ground offset and crowns faced as the windows want.

    Parameters
    ----------
    question : Question
        Its windows and aims, the largest crown cut, and the speed.
    rows : Bottoms
        Row by row.
    faces : bool
        Whether crowns may be faced.

    Returns
    -------
    Stopped
        Row by row.

    Notes
    -----
    With c = H − (S/2 + L + P) every window of clearance, quench, displacement, rod ratio and
    mean piston speed leaves the stroke an interval. The stroke that gives the wanted
    clearance (the crank's own where nothing is wanted) is brought into what they leave
    together; where nothing is left so, into what is left with the crown faced; where
    nothing is left at all, as near to it as the gap allows, then as can be ground. The window of ratio is asked
    afterwards: it waits for gasket and head.
    """
    least, most = (
        least_clearance(question, rows.thickness, rows.floor),
        most_clearance(question, rows.thickness),
    )
    want = wanted_clearance(question, rows.thickness, rows.floor)

    def stroke_at(clearance: Floats) -> Floats:
        return stroke_for(rows.height, clearance, rows.length, rows.compression)

    own = (rows.longest + rows.shortest) / 2
    low, high = _strokes_left(question, rows)
    goal = own if want is None else stroke_at(want)
    level = stroke_at(least)
    near = _into(goal, low, high, goal)
    low, high = np.maximum(low, rows.shortest), np.minimum(high, rows.longest)
    stroke = np.clip(near, rows.shortest, rows.longest)
    # The last that leaves room counts: the gap alone first, then every window with it, the uncut crown over the cut.
    for least_stroke, most_stroke in ((rows.shortest, rows.longest), (low, high)):
        if faces:
            deepest = level + 2 * question.crown_limit
            stroke = _into(near, np.maximum(least_stroke, level), np.minimum(most_stroke, deepest), stroke)
        stroke = _into(
            near, np.maximum(least_stroke, stroke_at(most)), np.minimum(most_stroke, level), stroke
        )
    stroke = np.where(rows.longest > rows.shortest, stroke, own)
    clearance = deck_clearance(rows.height, stroke, rows.length, rows.compression)
    cut = crown_cut(clearance, least, want, question.crown_limit) if faces else np.zeros(len(stroke))
    return Stopped(stroke, cut, clearance + cut)


def _strokes_left(question: Question, rows: Bottoms) -> tuple[Floats, Floats]:
    """Between which strokes displacement, rod ratio and piston speed leave each row, in mm."""
    low, high = np.full_like(rows.shortest, -np.inf), np.full_like(rows.shortest, np.inf)
    for key, per_mm in (("displacement", rows.per_mm), ("piston_speed", np.array(question.rpm / 30_000))):
        window = question.window(key)
        low = low if window.low is None else np.maximum(low, window.low / per_mm)
        high = high if window.high is None else np.minimum(high, window.high / per_mm)
    ratio = question.window("rod_ratio")
    # The longer the stroke, the smaller the ratio.
    low = low if ratio.high is None else np.maximum(low, rows.length / ratio.high)
    high = high if ratio.low is None or ratio.low <= 0 else np.minimum(high, rows.length / ratio.low)
    return low, high


def _into(goal: Floats, low: Floats, high: Floats, otherwise: Floats) -> Floats:
    """The goal brought between two edges where they leave room, else something else."""
    return np.where(low <= high, np.minimum(np.maximum(goal, low), high), otherwise)


def crown_cut(clearance: Floats, least: Floats, want: Floats | None, limit: float) -> Floats:
    """Return what to face off the crowns so that pistons that stop too high do not.

    Parameters
    ----------
    clearance, least : array of float
        Deck clearance as it would be, and the least that is allowed, in mm.
    want : array of float or None
        The clearance aimed at, in mm.
    limit : float
        The largest cut in mm.

    Returns
    -------
    array of float
        In mm; nought where none is needed, or where no allowed cut is enough.
    """
    goal = least if want is None else np.maximum(want, least)
    high = (clearance < least - EDGE) & (clearance + limit >= least - EDGE)
    return np.where(high, np.minimum(goal - clearance, limit), 0.0)
