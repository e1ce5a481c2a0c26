"""Small made-up builds for docstrings, the patterns page and the tests."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..fields import field_at
from ..quantity import read_field
from .model import Bank, Build


def small_single(**changed: Any) -> Build:
    """Return the hill-climb single: one hole, its piston 0.36 mm proud.

    Parameters
    ----------
    **changed
        Fields of :class:`~zygometra.core.build.Build` to put in place.

    Returns
    -------
    Build
        A build without doubt.

    Examples
    --------
    >>> small_single().cylinders
    (1,)
    """
    return Build(**{**_SINGLE, **changed})


def figures_of(typed: Mapping[str, Any]) -> dict[str, Any]:
    """Read figures by their place, with unstated doubt taken as zero.

    Parameters
    ----------
    typed : Mapping
        Place to what is typed there.

    Returns
    -------
    dict
        Place to quantity.

    Examples
    --------
    >>> figures_of({"parts.block.bore": "80 mm"})["parts.block.bore"].value
    80.0
    """
    return {path: read_field(raw, field_at(path), "zero") for path, raw in typed.items()}


_SINGLE: dict[str, Any] = {
    "name": "Hill-climb single",
    "layout": "inline",
    "banks": (Bank("A", (1,)),),
    "unstated_doubt": "zero",
    "figures": figures_of(
        {
            "parts.block.deck_height": "158 mm",
            "parts.block.bore": "80 mm",
            "parts.crank.stroke": "79.5 mm",
            "parts.rod.length": "95 mm",
            "parts.piston.compression_height": {"value": 23.61, "plus_minus": 0.02},
            "parts.piston.crown_volume": "-11.5 cc",
            "parts.gasket.thickness": "1.6 mm",
            "parts.gasket.bore": "81.5 mm",
            "parts.head.chamber_volume": "54 cc",
            "parts.head.opening_area": 4200,
        }
    ),
}
