"""What one unit of each lever does to the volume above the piston: the slopes that everything shares.

Inverse questions divide by them, sensitivities multiply by them, and the doubt of a
planned amount travels along them.
"""

from __future__ import annotations

from typing import NamedTuple

from ..build.lever_table import OpName
from .crown import Crown


class Areas(NamedTuple):
    """The areas of one hole that a lever moves through, in mm².

    ``pocket`` is the valve pocket of a valve-in-block engine, ``ring`` the ring around the
    top land (nought where it is not known), ``gasket`` the opening of the gasket, ``crown``
    the crown with its own areas. Not a number where a figure is not known.
    """

    bore: float
    pocket: float
    ring: float
    gasket: float
    crown: Crown


def volume_slope(lever: OpName, areas: Areas, milled: float = 0.0, total: float = 0.0) -> float:
    """Return what one unit of a lever adds to the volume above the piston.

    Parameters
    ----------
    lever : str
        Which one.
    areas : Areas
        Of the hole, in mm².
    milled : float
        What one mm of head cut takes at the present depth, in cc per mm.
    total : float
        The lever's total so far, in mm: a crown cut meets one thing after another.

    Returns
    -------
    float
        In cc per mm; for a chamber opening 1, in cc per cc.

    Notes
    -----
    A deck cut t lowers the rim's room by A·t and, where valves lie in the block, their
    pockets by A_pocket·t (handbook of the trade, volumes and ratio). A crown cut t takes what
    stands above the rim first; then it lets the rim sink, makes the dish shallower and the
    top land shorter: (A − A_dish − ring)·t.

    Examples
    --------
    >>> crown = Crown(above_rim=0.0, above_area=0.0, dish_area=2000.0, dish_depth=4.0)
    >>> areas = Areas(bore=6647.6, pocket=1800.0, ring=90.0, gasket=6900.0, crown=crown)
    >>> round(volume_slope("deck_cut", areas), 4), round(volume_slope("crown_cut", areas), 4)
    (-8.4476, 4.5576)
    """
    if lever == "deck_cut":
        return -(areas.bore + areas.pocket) / 1000
    if lever == "crown_cut":
        sinks = 0.0 if total < areas.crown.above_rim else (areas.bore - areas.ring) / 1000
        return sinks + areas.crown.slope(total)
    if lever == "gasket":
        return areas.gasket / 1000
    return -milled if lever == "head_cut" else 1.0
