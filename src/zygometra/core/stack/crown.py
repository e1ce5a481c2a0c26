"""What a flat cut over the crown takes: first what stands above the rim, then the rim with its dish.

Only what a build says of its crown counts; the sign of the crown volume decides nothing
(a small dome with deep pockets is positive).
"""

from __future__ import annotations

import math
from typing import NamedTuple


class Crown(NamedTuple):
    """The crown as a flat cut meets it.

    ``above_rim`` is how high something stands above the rim in mm and ``above_area`` its
    area in mm², both nought where nothing does or nobody said; ``dish_area`` the opening
    of dish and pockets at the rim in mm², ``dish_depth`` how deep they are with straight
    walls in mm, infinite where no end of them is known.
    """

    above_rim: float
    above_area: float
    dish_area: float
    dish_depth: float

    def rim_cut(self, total: float) -> float:
        """Return what a cut takes off the rim once nothing stands above it, in mm.

        Parameters
        ----------
        total : float
            Depth of the whole cut in mm, from the highest point down.
        """
        return max(0.0, total - self.above_rim)

    def gained(self, total: float) -> float:
        """Return what a cut adds to the crown volume in cc: less dome, then a shallower dish.

        Parameters
        ----------
        total : float
            Depth of the whole cut in mm.

        Notes
        -----
        A_above·min(t, z) − A_dish·min(max(t − z, 0), d): straight walls. Once the dish is
        cut through the flat remains; it never becomes a dome (handbook of the trade, pistons).
        """
        rim = self.rim_cut(total)
        return (
            self.above_area * min(total, self.above_rim) - self.dish_area * min(rim, self.dish_depth)
        ) / 1000

    def cut_for(self, volume: float, sinking: float) -> float | None:
        """Return the least cut that opens a volume above the piston.

        Parameters
        ----------
        volume : float
            In cc, from the uncut crown; negative asks for metal that is not there.
        sinking : float
            Area in mm² that opens as the rim sinks: the bore's less the top land's ring.

        Returns
        -------
        float or None
            Total cut in mm, negative where metal would have to be put on; None where no cut
            opens so much.
        """
        start = 0.0
        for end in (*self.edges(), math.inf):
            opened = self.gained(start) + sinking * self.rim_cut(start) / 1000
            sinks = sinking / 1000 if start >= self.above_rim else 0.0
            slope = sinks + self.slope(start)
            if slope > 0 and (start + (volume - opened) / slope <= end):
                return start + (volume - opened) / slope
            start = end
        return None

    def slope(self, total: float) -> float:
        """Return what one mm more adds to the crown volume, in cc per mm.

        Parameters
        ----------
        total : float
            Depth of the whole cut so far in mm.
        """
        if total < self.above_rim:
            return self.above_area / 1000
        return -self.open_dish(total) / 1000

    def open_dish(self, total: float) -> float:
        """Return the opening of the dish that one mm more off the rim would meet, in mm².

        Parameters
        ----------
        total : float
            Depth of the whole cut so far in mm.
        """
        return self.dish_area if self.rim_cut(total) < self.dish_depth else 0.0

    def edges(self) -> tuple[float, ...]:
        """Return the depths in mm at which the cut meets something else, from the top down."""
        ends = (self.above_rim, self.above_rim + self.dish_depth)
        return tuple(depth for depth in ends if 0 < depth < math.inf)


def crown_of(above_rim: float, above_area: float, dish_area: float, crown_volume: float) -> Crown:
    """Return the crown of a piston from its figures.

    Parameters
    ----------
    above_rim : float
        Height of what stands above the rim in mm.
    above_area : float
        Its area in mm².
    dish_area : float
        Opening of dish and pockets at the rim in mm².
    crown_volume : float
        What the crown adds above its rim in cc, dome negative.

    Returns
    -------
    Crown
        With the depth at which a dish with straight walls ends.

    Notes
    -----
    Dish and pockets hold V_crown + A_above·z; with straight walls they are that over
    A_dish deep.

    Examples
    --------
    >>> crown_of(0, 0, 2000, 5).dish_depth, crown_of(0, 0, 2000, -5).dish_depth
    (2.5, inf)
    """
    held = crown_volume + above_area * above_rim / 1000
    depth = held * 1000 / dish_area if dish_area > 0 and held > 0 else math.inf
    return Crown(above_rim, above_area, dish_area, depth)
