"""Piston motion: where the piston is at a crank angle, how fast it goes."""

from __future__ import annotations

import math

from ..errors import ImpossibleEngine
from ..written import Limit


def piston_drop(stroke: float, rod_length: float, crank_angle: float) -> float:
    """Return how far the piston is below top dead centre.

    Parameters
    ----------
    stroke, rod_length : float
        In mm.
    crank_angle : float
        Degrees after top dead centre.

    Returns
    -------
    float
        In mm.

    Raises
    ------
    ImpossibleEngine
        If the rod is too short for the crank to turn.

    Notes
    -----
    x(φ) = r(1 − cos φ) + L − √(L² − r² sin² φ) with r = S/2, no pin offset.
    See trade.md 4.

    Examples
    --------
    >>> piston_drop(86, 148, 180)
    86.0
    """
    return drop_and_slopes(stroke, rod_length, crank_angle)[0]


def drop_and_slopes(
    stroke: float, rod_length: float, crank_angle: float
) -> tuple[float, float, float, float]:
    """Return the piston's drop with its slopes by stroke, rod length and angle.

    Parameters
    ----------
    stroke, rod_length : float
        In mm.
    crank_angle : float
        Degrees after top dead centre.

    Returns
    -------
    drop : float
        In mm.
    by_stroke, by_rod : float
        mm per mm.
    by_angle : float
        mm per degree.

    Raises
    ------
    ImpossibleEngine
        If the rod is too short for the crank to turn.

    Notes
    -----
    The derivatives of :func:`piston_drop`, by hand: ∂x/∂φ = r·sin φ·(1 + r·cos φ/w)
    with w = √(L² − r² sin² φ), ∂x/∂L = 1 − L/w, ∂x/∂r = 1 − cos φ + r·sin² φ/w.
    See trade.md 4.

    Examples
    --------
    >>> drop_and_slopes(86, 148, 180)[1]
    1.0
    """
    phi = math.radians(crank_angle)
    r, sin, cos = stroke / 2, math.sin(phi), math.cos(phi)
    inside = rod_length * rod_length - (r * sin) ** 2
    if inside <= 0:
        raise ImpossibleEngine(
            "A rod of {rod} cannot follow a crank of {stroke} stroke:"
            " the rod must be longer than half the stroke.",
            rod=Limit(rod_length),
            stroke=Limit(stroke),
        )
    root = math.sqrt(inside)
    drop = r * (1 - cos) + rod_length - root
    by_r = (1 - cos) + r * sin * sin / root
    by_angle = math.radians(1) * (r * sin + r * r * sin * cos / root)
    return drop, by_r / 2, 1 - rod_length / root, by_angle


def mean_piston_speed(stroke: float, rpm: float) -> float:
    """Return the mean piston speed 2·S·n in m/s.

    Parameters
    ----------
    stroke : float
        In mm.
    rpm : float
        Crank speed in revolutions per minute.

    Returns
    -------
    float
        In m/s.

    Notes
    -----
    2·S·n: two strokes a revolution (definition); S/1000 in m, n/60 a second.
    See trade.md 4.

    Examples
    --------
    >>> mean_piston_speed(86, 6000)
    17.2
    """
    return 2 * stroke * rpm / 60 / 1000


def acceleration_at_tdc(stroke: float, rod_length: float, rpm: float) -> float:
    """Return the piston's acceleration at top dead centre, r·ω²(1 + r/L), in m/s².

    Parameters
    ----------
    stroke, rod_length : float
        In mm.
    rpm : float
        Crank speed in revolutions per minute.

    Returns
    -------
    float
        In m/s².

    Notes
    -----
    r·ω²(1 + r/L): the second derivative of :func:`piston_drop` at φ = 0, r = S/2.
    See trade.md 4.

    Examples
    --------
    >>> round(acceleration_at_tdc(86, 148, 6000))
    21908
    """
    r, omega = stroke / 2, rpm * 2 * math.pi / 60
    return r * omega**2 * (1 + r / rod_length) / 1000
