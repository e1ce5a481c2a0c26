"""How a face is bent: its bow along and across, and its twist."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from .model import Survey
from .survey import Depth


class Bend(NamedTuple):
    """What is bent of a face, in mm: its middle over its ends along and across, corner against corner."""

    bow_along: Depth
    bow_across: Depth | None
    twist: Depth | None


def shape_of(found: Survey) -> Bend | None:
    """Return bow and twist of a face; None where there are too few points to tell (trade.md 8).

    Parameters
    ----------
    found : Survey
        With heights.

    Notes
    -----
    Least squares of z over 1, ξ, η, ξ², η², ξη, with ξ and η from −1 to 1 over the points: the middle stands
    over the ends by −(the term of ξ²); the corners stand crosswise by twice the term of ξη, as the
    certificate counts them.
    """
    x, y, z, u = (np.array(column, dtype=float) for column in zip(*found.points, strict=True))
    xi = _from_minus_one(x)
    if found.is_on_axis:
        if len(np.unique(x)) < 3:
            return None
        _, _, bow = np.linalg.pinv(np.stack([np.ones_like(xi), xi, xi**2], axis=1))
        return Bend(_depth(-bow, z, u), None, None)
    eta = _from_minus_one(y)
    terms = [np.ones_like(xi), xi, eta, xi * eta]
    bows = [(i, one) for i, one in enumerate((xi, eta)) if len(np.unique(one)) > 2]
    terms += [one**2 for _, one in bows]
    matrix = np.stack(terms, axis=1)
    if np.linalg.matrix_rank(matrix) < len(terms):
        return None
    _, _, _, across, *of_bows = np.linalg.pinv(matrix)
    found_bows = {i: _depth(-bow, z, u) for bow, (i, _) in zip(of_bows, bows, strict=True)}
    twist = _depth(2 * across, z, u)
    return Bend(found_bows.get(0, Depth(0.0, math.inf)), found_bows.get(1), twist)


def _from_minus_one(values: np.ndarray) -> np.ndarray:
    low, high = values.min(), values.max()
    return (2 * values - low - high) / (high - low) if high > low else np.zeros_like(values)


def _depth(weights: np.ndarray, z: np.ndarray, u: np.ndarray) -> Depth:
    # Every row but that of the level sums to nought: deviations alone are summed.
    return Depth(float(weights @ (z - z.mean())), math.sqrt(float(np.sum((weights * u) ** 2))))
