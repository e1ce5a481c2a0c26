"""What lies below the gasket at top dead centre, for recipes in columns: deck, crown and crevice, faced or not."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ..stack.arithmetic import circle_area, cylinder_volume, ring_around
from ..stack.kernel import Crown, crown_gain, flat_cut
from .shelf import Floats


class Pistons(NamedTuple):
    """What of pistons fills the bore below the gasket, as they are made.

    ``crown_volume`` in cc; ``dish_area`` in mm², not a number where nobody gave one: nothing of it is cut away
    then; diameter and height of the top land in mm, not a number where nobody knows: its ring counts as nought.
    """

    crown_volume: Floats
    dish_area: Floats
    land_diameter: Floats
    land_height: Floats


def volume_below(bore: Floats, clearance: Floats, cut: Floats | float, pistons: Pistons) -> Floats:
    """Return the volume at top dead centre below the gasket, in cc.

    Parameters
    ----------
    bore : array of float
        In mm.
    clearance : array of float
        Of the rim once it is faced, in mm.
    cut : array of float or float
        What is faced off the crown, in mm.
    pistons : Pistons
        Uncut.
    """
    # A crown is faced no deeper than its dish (:mod:`.facing`): its end is met nowhere.
    shape = Crown(dish_area=np.nan_to_num(pistons.dish_area))
    off = flat_cut(shape, cut)
    crevice = cylinder_volume(ring_around(bore, pistons.land_diameter), pistons.land_height - off.rim)
    return np.asarray(
        cylinder_volume(circle_area(bore), clearance)
        + pistons.crown_volume
        + crown_gain(shape, off)
        + np.nan_to_num(crevice)
    )
