"""What grinding a journal offset and facing a crown go for, and how far they get.

One rule for one recipe and for columns of them: the judge of a recipe puts arrays of one in.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np

from ..stack.arithmetic import deck_clearance, stroke_for
from ..windows import TOLERANCE, Window
from .facing import crown_cut
from .question import MixQuestion
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
    See trade.md 13.

    Examples
    --------
    >>> round(throw_shift(54.0, 50.0, 0.1), 3)
    1.9
    """
    return max((pin - wanted) / 2 - clean_up, 0.0)


class Bottoms(NamedTuple):
    """What decides where pistons stop, row by row: lengths in mm, ``per_mm`` in cc of the engine per mm of stroke.

    ``shortest`` and ``longest`` are the strokes that grinding could give, the same where
    nothing is ground; ``most_off`` how far the crown may be faced, ``land`` how far the top
    ring lies under the rim, infinite where that is not known.
    """

    height: Floats
    shortest: Floats
    longest: Floats
    length: Floats
    compression: Floats
    thickness: Floats
    floor: Floats
    per_mm: Floats
    most_off: Floats
    land: Floats


class Stopped(NamedTuple):
    """Where pistons stop: the stroke, the cut off their crowns, and the clearance, in mm.

    Between ``low`` and ``high`` the stroke may still move: every window but that of ratio is
    met there, with the same operations.
    """

    stroke: Floats
    cut: Floats
    clearance: Floats
    low: Floats
    high: Floats


def least_clearance(question: MixQuestion, thickness: Floats, floor: Floats) -> Floats:
    """Return the least clearance that the windows and the quench floor leave with a gasket, in mm.

    Parameters
    ----------
    question : MixQuestion
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


def most_clearance(question: MixQuestion, thickness: Floats) -> Floats:
    """Return the most clearance that the windows leave with a gasket, in mm; infinite where they set none.

    Parameters
    ----------
    question : MixQuestion
        What is asked.
    thickness : array of float
        Compressed, in mm.
    """
    clearance, quench = question.window("deck_clearance").high, question.window("quench").high
    most = np.full(len(thickness), np.inf) if quench is None else quench - thickness
    return most if clearance is None else np.minimum(most, clearance)


def wanted_clearance(question: MixQuestion, thickness: Floats, floor: Floats) -> Floats | None:
    """Return the clearance that grinding or facing goes for with a gasket.

    Parameters
    ----------
    question : MixQuestion
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


def stops(question: MixQuestion, rows: Bottoms, *, faces: bool) -> Stopped:
    """Return where pistons stop once journals are ground offset and crowns faced as the windows want.

    Parameters
    ----------
    question : MixQuestion
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
    See trade.md 13.
    """
    stroke = (rows.longest + rows.shortest) / 2
    low, high = stroke.copy(), stroke.copy()
    at = np.flatnonzero(rows.longest > rows.shortest)
    if len(at):
        # Few cranks are ground: the others stop where they stop.
        some = Bottoms(*(column if column.ndim == 0 else column[at] for column in rows))
        stroke[at], low[at], high[at] = _ground(question, some, faces=faces)
    cut, clearance = stopped_at(question, rows, stroke, faces=faces)
    return Stopped(stroke=stroke, cut=cut, clearance=clearance, low=low, high=high)


def _ground(question: MixQuestion, rows: Bottoms, *, faces: bool) -> tuple[Floats, Floats, Floats]:
    """The strokes to which cranks are ground, and between which strokes all windows but the ratio's are still met."""
    level = stroke_for(
        rows.height, least_clearance(question, rows.thickness, rows.floor), rows.length, rows.compression
    )
    lowest = stroke_for(rows.height, most_clearance(question, rows.thickness), rows.length, rows.compression)
    want = wanted_clearance(question, rows.thickness, rows.floor)
    goal = (rows.longest + rows.shortest) / 2
    if want is not None:
        goal = stroke_for(rows.height, want, rows.length, rows.compression)
    low, high = strokes_left(question, rows)
    near = _into(goal, low, high, goal)
    low, high = np.maximum(low, rows.shortest), np.minimum(high, rows.longest)
    stroke = np.clip(near, rows.shortest, rows.longest)
    free_low = free_high = stroke
    edges = [(lowest, level)]
    if faces:
        edges.insert(0, (level, level + 2 * rows.most_off))
    # The last that leaves room counts: the gap alone first, then every window with it, the uncut crown over the cut.
    for least_stroke, most_stroke, all_met in ((rows.shortest, rows.longest, False), (low, high, True)):
        for begin, end in edges:
            first, last = np.maximum(least_stroke, begin), np.minimum(most_stroke, end)
            stroke = _into(near, first, last, stroke)
            if all_met:
                left = first <= last
                free_low, free_high = np.where(left, first, free_low), np.where(left, last, free_high)
    # Where not all could be met there is nothing left to move.
    moves = (free_low <= stroke) & (stroke <= free_high)
    return stroke, np.where(moves, free_low, stroke), np.where(moves, free_high, stroke)


def stopped_at(question: MixQuestion, rows: Bottoms, stroke: Floats, *, faces: bool) -> tuple[Floats, Floats]:
    """Return the cut off the crowns and the clearance that a stroke gives, in mm.

    Parameters
    ----------
    question : MixQuestion
        Its windows and aims, and the largest crown cut.
    rows : Bottoms
        Row by row.
    stroke : array of float
        In mm.
    faces : bool
        Whether crowns may be faced.
    """
    clearance = deck_clearance(rows.height, stroke, rows.length, rows.compression)
    if not faces:
        return np.zeros(len(stroke)), clearance
    least = least_clearance(question, rows.thickness, rows.floor)
    want = wanted_clearance(question, rows.thickness, rows.floor)
    cut = crown_cut(clearance, least, want, rows.most_off)
    return cut, clearance + cut


def moved_for_ratio(window: Window, stopped: Stopped, ratio_at: Callable[[Floats], Floats]) -> Floats:
    """Return the strokes that bring ratios into their window where they lie outside it and can be brought.

    Parameters
    ----------
    window : Window
        Of the ratio.
    stopped : Stopped
        Where pistons stop, and how far the stroke may still move.
    ratio_at : callable
        The ratio of each row at some strokes; infinite where no room is left.

    Returns
    -------
    array of float
        In mm; the stroke as it was where nothing is to be gained.

    Notes
    -----
    A longer stroke sweeps more and leaves less above it, so the ratio rises with it: the
    edge is found by halving, to the last bit of a float.
    See trade.md 13.
    """
    stroke, found = stopped.stroke, ratio_at(stopped.stroke)
    for edge, far, way in ((window.low, stopped.high, -1), (window.high, stopped.low, 1)):
        if edge is None:
            continue
        beyond = way * edge + TOLERANCE
        wants = (way * found > beyond) & (way * ratio_at(far) <= beyond) & (far != stopped.stroke)
        if not wants.any():
            continue
        out, inside = stopped.stroke, far
        for _ in range(_HALVINGS):
            middle = (out + inside) / 2
            still = way * ratio_at(middle) > way * edge
            out, inside = np.where(still, middle, out), np.where(still, inside, middle)
        stroke = np.where(wants, inside, stroke)
    return stroke


_HALVINGS = 60


def strokes_left(question: MixQuestion, rows: Bottoms) -> tuple[Floats, Floats]:
    """Return between which strokes displacement, rod ratio and piston speed leave each row, in mm (trade.md 13).

    Parameters
    ----------
    question : MixQuestion
        Its windows and the speed.
    rows : Bottoms
        Row by row.
    """
    low, high = np.full_like(rows.shortest, -np.inf), np.full_like(rows.shortest, np.inf)
    for key, per_mm in (("displacement", rows.per_mm), ("piston_speed", np.array(question.rpm / 30_000))):
        window = question.window(key)
        low = low if window.low is None else np.maximum(low, window.low / per_mm)
        high = high if window.high is None else np.minimum(high, window.high / per_mm)
    ratio = question.window("rod_ratio")
    # The longer the stroke, the smaller the ratio; none brings it to nought.
    if ratio.high is not None:
        low = np.maximum(low, rows.length / ratio.high if ratio.high > 0 else np.inf)
    high = high if ratio.low is None or ratio.low <= 0 else np.minimum(high, rows.length / ratio.low)
    # However far it is faced, the top ring stays below the deck.
    high = np.minimum(high, stroke_for(rows.height, -rows.land, rows.length, rows.compression))
    return low, high


def _into(goal: Floats, low: Floats, high: Floats, otherwise: Floats) -> Floats:
    """The goal brought between two edges where they leave room, else something else."""
    return np.where(low <= high, np.minimum(np.maximum(goal, low), high), otherwise)
