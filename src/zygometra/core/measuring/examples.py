"""Small logbooks for examples and tests."""

from __future__ import annotations

from typing import Any

from ..units import unit_named
from .logbook import READABLE, Reading, place_of


def reading(id: str = "r1", figure: str = "deck_clearance", value: float = 0.3, **known: Any) -> Reading:
    """Return a reading of one figure in hole 1.

    Parameters
    ----------
    id : str
        Its id.
    figure : str
        One of the figures that can be read.
    value : float
        In the base unit of the figure.
    **known
        Anything else a reading has.

    Returns
    -------
    Reading
        In mm, or cc for a volume.
    """
    kind = READABLE[figure].kind
    unit = unit_named("mm" if kind.value == "length" else "cc", kind)
    known.setdefault("place", place_of(figure, cylinder=1))
    known.setdefault("order", 0)
    return Reading(id=id, figure=figure, value=value, unit=unit, **known)
