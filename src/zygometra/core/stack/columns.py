"""The few functions that the arithmetic of a hole needs beside + − × ÷, for whatever stands in for a number.

A float gives a float; an array gives an array, entry by entry; what carries its slopes (:class:`..linear.Linear`,
:class:`.derived.Expression`) answers for itself.
"""

from __future__ import annotations

import math
from typing import Any


def positive(x: Any) -> Any:
    """Return x where it is above nought, else nought.

    Parameters
    ----------
    x : float, array, or what carries slopes
        In any unit. Its slope at nought is that above it: what is cut from there on moves.
    """
    if isinstance(x, float):
        return x if x > 0.0 else 0.0
    return x.positive() if hasattr(x, "positive") else _numpy().maximum(x, 0.0)


def least(x: Any, most: Any) -> Any:
    """Return the smaller of two.

    Parameters
    ----------
    x, most : float, array, or what carries slopes
        In one unit. Where both are equal the slope is that of ``most``.
    """
    if isinstance(x, float) and isinstance(most, float):
        return x if x < most else most
    if hasattr(x, "at_most"):
        return x.at_most(most)
    if hasattr(most, "at_most"):
        return most.at_most(x)
    return _numpy().minimum(x, most)


def endless_unless_positive(x: Any) -> Any:
    """Return x where it is above nought, else infinity: a dish of which no end is known has none.

    Parameters
    ----------
    x : float, array, or what carries slopes
        In any unit.
    """
    if isinstance(x, float):
        return x if x > 0.0 else math.inf
    return x.endless_unless_positive() if hasattr(x, "at_most") else _numpy().where(x > 0, x, _numpy().inf)


def where_positive(x: Any, value: Any) -> Any:
    """Return a value where x is above nought, and nought where it is not, even where the value is not a number.

    Parameters
    ----------
    x, value : float, array, or what carries slopes
        Each in any unit. It moves with the value alone.
    """
    if isinstance(x, float):
        return value if x > 0.0 else 0.0
    return x.where_positive(value) if hasattr(x, "where_positive") else _numpy().where(x > 0, value, 0.0)


def spanned(area: Any, height: Any) -> Any:
    """Return area × height; a height of nought spans nothing, even where the area is not known (trade.md 6).

    Parameters
    ----------
    area, height : float, array, or what carries slopes
        In units of which the product is wanted.
    """
    if isinstance(area, float) and isinstance(height, float):
        return area * height if height else 0.0
    return area.spanned(height) if hasattr(area, "spanned") else area * height


def tangent(degrees: Any) -> Any:
    """Return the tangent of an angle (trade.md 5).

    Parameters
    ----------
    degrees : float, array, or what carries slopes
        In degrees.
    """
    if isinstance(degrees, float):
        return math.tan(math.radians(degrees))
    if hasattr(degrees, "sine"):
        return degrees.sine() / degrees.cosine()
    return _numpy().tan(_numpy().radians(degrees))


def sine(degrees: Any) -> Any:
    """Return the sine of an angle.

    Parameters
    ----------
    degrees : float, array, or what carries slopes
        In degrees.
    """
    if isinstance(degrees, float):
        return math.sin(math.radians(degrees))
    return degrees.sine() if hasattr(degrees, "sine") else _numpy().sin(_numpy().radians(degrees))


def cosine(degrees: Any) -> Any:
    """Return the cosine of an angle.

    Parameters
    ----------
    degrees : float, array, or what carries slopes
        In degrees.
    """
    if isinstance(degrees, float):
        return math.cos(math.radians(degrees))
    return degrees.cosine() if hasattr(degrees, "cosine") else _numpy().cos(_numpy().radians(degrees))


def root(x: Any) -> Any:
    """Return the square root.

    Parameters
    ----------
    x : float, array, or what carries slopes
        Nought or more; not a number gives itself.
    """
    if isinstance(x, float):
        return math.sqrt(x)
    return x.root() if hasattr(x, "root") else _numpy().sqrt(x)


def _numpy() -> Any:
    """NumPy, once it is wanted: who evaluates one file from the command line does without."""
    import numpy as np

    return np
