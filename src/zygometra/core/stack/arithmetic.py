"""The arithmetic of the stack and of the volumes above the piston.

Plain expressions that hold for one figure as for a column of them: the evaluation of
a hole puts floats in, the search among parts puts arrays in, and both get the same.
Lengths in mm, areas in mm², volumes in cc.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, TypeVar

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

QUARTER_PI = math.pi / 4

# A float, or an array of floats.
Figure = TypeVar("Figure", float, "NDArray[np.float64]")


def circle_area(diameter: Figure) -> Figure:
    """Return the area of a circle: π/4·d².

    Parameters
    ----------
    diameter : float or array
        In mm.

    Returns
    -------
    float or array
        In mm².

    Notes
    -----
    A = π/4·d²: geometry.
    See trade.md 3.

    Examples
    --------
    >>> round(circle_area(92.0), 2)
    6647.61
    """
    return QUARTER_PI * diameter * diameter


def deck_clearance(
    deck_height: Figure, stroke: Figure, rod_length: Figure, compression_height: Figure
) -> Figure:
    """Return how far the rim stops below the deck: c = H − (S/2 + L + P).

    Parameters
    ----------
    deck_height, stroke, rod_length, compression_height : float or array
        In mm.

    Returns
    -------
    float or array
        In mm; positive down the bore, negative proud.

    Notes
    -----
    c = H − (S/2 + L + P): at top dead centre crank, rod and piston stand in one line (trade.md 2;
    pin offset left out, below 0.01 mm for ordinary offsets).

    Examples
    --------
    >>> round(deck_clearance(225.4, 86.0, 148.0, 34.2), 3)
    0.2
    """
    return deck_height - (stroke / 2 + rod_length + compression_height)


def stroke_for(
    deck_height: Figure, clearance: Figure, rod_length: Figure, compression_height: Figure
) -> Figure:
    """Return the stroke that stops the piston at a clearance: S = 2·(H − c − L − P).

    Parameters
    ----------
    deck_height, clearance, rod_length, compression_height : float or array
        In mm.

    Returns
    -------
    float or array
        In mm.

    Notes
    -----
    S = 2·(H − c − L − P): the stack solved for the stroke.
    See trade.md 3.

    Examples
    --------
    >>> round(stroke_for(225.4, 0.2, 148.0, 34.2), 3)
    86.0
    """
    return 2 * (deck_height - clearance - rod_length - compression_height)


def ring_around(bore: Figure, diameter: Figure) -> Figure:
    """Return the area of the ring between a bore and what stands in it: π/4·(B² − D²).

    Parameters
    ----------
    bore, diameter : float or array
        In mm.

    Returns
    -------
    float or array
        In mm².

    Notes
    -----
    A = π/4·(B² − D²): the ring around a top land (trade.md 3).

    Examples
    --------
    >>> round(ring_around(92.0, 91.4), 2)
    86.43
    """
    return circle_area(bore) - circle_area(diameter)


def cylinder_volume(area: Any, height: Any) -> Any:
    """Return what stands upright over an area: A·h.

    Parameters
    ----------
    area : float, array, or what carries its slopes
        In mm².
    height : float, array, or what carries its slopes
        In mm; less than nought for what stands proud.

    Returns
    -------
    float, array, or what carries its slopes
        In cc.

    Notes
    -----
    V = A·h: swept volume, what a clearance leaves over a rim, a gasket's opening, the ring around a top land, and
    what a flat cut takes through straight walls (trade.md 3).

    Examples
    --------
    >>> cylinder_volume(6000.0, 1.5)
    9.0
    """
    return area * height / 1000


def cc_per_mm(area: Figure) -> Figure:
    """Return what one mm takes from what stands upright over an area.

    Parameters
    ----------
    area : float or array
        In mm².

    Returns
    -------
    float or array
        In cc per mm.

    Notes
    -----
    dV/dh = A: :func:`cylinder_volume` differentiated.
    See trade.md 3.

    Examples
    --------
    >>> cc_per_mm(6000.0)
    6.0
    """
    return area / 1000


def ratio_of(swept: Figure, clearance_volume: Figure) -> Figure:
    """Return the compression ratio (Vs + Vc)/Vc.

    Parameters
    ----------
    swept, clearance_volume : float or array
        In cc.

    Returns
    -------
    float or array
        The ratio.

    Notes
    -----
    CR = (Vs + Vc)/Vc: volume at the bottom over volume at the top (trade.md 3).

    Examples
    --------
    >>> ratio_of(900.0, 100.0)
    10.0
    """
    return (swept + clearance_volume) / clearance_volume


def clearance_volume_for(swept: Figure, ratio: float) -> Figure:
    """Return the clearance volume that gives a ratio: Vs/(CR − 1).

    Parameters
    ----------
    swept : float or array
        In cc.
    ratio : float
        Above 1; no unit.

    Returns
    -------
    float or array
        In cc.

    Notes
    -----
    Vc = Vs/(CR − 1): the definition of the ratio solved for Vc.
    See trade.md 3.

    Examples
    --------
    >>> clearance_volume_for(900.0, 10.0)
    100.0
    """
    return swept / (ratio - 1)
