"""The floats of one hole that its results and their slopes are made of.

What is not known is "not a number" in them.
"""

from __future__ import annotations

import math
from typing import NamedTuple

from .arithmetic import circle_area, deck_clearance
from .crown import Crown, crown_of
from .results import Source
from .sources import value_of

NOT_KNOWN = math.nan


class Geometry(NamedTuple):
    """The floats of one hole that both the results and their slopes are made of."""

    bore: float
    stroke: float
    rod: float
    thickness: float
    gasket_bore: float
    opening: float
    opening_known: bool
    as_volume: bool
    swept_as_volume: bool
    mocked_up: bool
    land_diameter: float
    land_height: float
    land_area: float
    crown: Crown
    dish_gone: bool
    pocket: float
    closes: float | None


def geometry_of(sources: dict[str, Source], crown_cut: float) -> Geometry:
    """Return the floats of one hole.

    Parameters
    ----------
    sources : dict
        The figures that count in the hole.
    crown_cut : float
        Planned in all, in mm.
    """
    get = sources.get
    bore, stroke = (value_of(sources, path, NOT_KNOWN) for path in ("parts.block.bore", "parts.crank.stroke"))
    land, height = get("parts.piston.top_land_diameter"), get("parts.piston.top_land_height")
    crown = _crown(sources)
    diameter = land_height = land_area = 0.0
    if land is not None and height is not None:
        diameter = land[1].value
        land_area = circle_area(bore) - circle_area(diameter)
        land_height = height[1].value - crown.rim_cut(crown_cut)
    closes = get("cam.intake_closes")
    thickness = value_of(sources, "parts.gasket.thickness", NOT_KNOWN)
    gasket_bore = value_of(sources, "parts.gasket.bore", NOT_KNOWN)
    opening = value_of(sources, "parts.gasket.opening_area", circle_area(gasket_bore))
    return Geometry(
        bore,
        stroke,
        value_of(sources, "parts.rod.length", NOT_KNOWN),
        thickness,
        gasket_bore,
        opening,
        "parts.gasket.opening_area" in sources,
        # A volume stands in only where the dimensions do not give it.
        math.isnan(opening * thickness) and "parts.gasket.volume" in sources,
        math.isnan(bore * stroke) and "parts.block.swept_volume" in sources,
        "mock-up.deck_clearance" in sources,
        diameter,
        land_height,
        land_area,
        crown,
        crown.rim_cut(crown_cut) > crown.dish_depth,
        value_of(sources, "parts.block.pocket_area"),
        None if closes is None else closes[1].value,
    )


def _crown(sources: dict[str, Source]) -> Crown:
    """The crown as a flat cut meets it; of what stands above the rim only what somebody said."""
    above = value_of(sources, "parts.piston.above_rim")
    area = value_of(sources, "parts.piston.above_rim_area", NOT_KNOWN) if above > 0 else 0.0
    volume = value_of(sources, "parts.piston.crown_volume", NOT_KNOWN)
    return crown_of(above, area, value_of(sources, "parts.piston.dish_area"), volume)


def clearance_of(sources: dict[str, Source], g: Geometry) -> float:
    """Return the deck clearance before any cut, in mm: the mock-up's reading, or the stack.

    Parameters
    ----------
    sources : dict
        The figures that count in the hole.
    g : Geometry
        Its floats.
    """
    if g.mocked_up:
        return sources["mock-up.deck_clearance"][1].value
    height = value_of(sources, "parts.block.deck_height", NOT_KNOWN)
    return deck_clearance(
        height, g.stroke, g.rod, value_of(sources, "parts.piston.compression_height", NOT_KNOWN)
    )
