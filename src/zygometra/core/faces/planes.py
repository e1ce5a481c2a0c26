"""Planes through points: by least squares, and the one about which the face is flattest.

Both carry what each point weighs in them, so that the doubt of the points is the doubt of the plane.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import QuantityError
from .model import Plane

Array = NDArray[np.float64]
# Below this a spread of positions is a line, and a gain of the search nothing: shares of the largest.
_FLAT = 1e-7
_GAIN = 1e-11
# After so many steps the search takes the surer, slower rule, which cannot go round in circles.
_FAST_STEPS = 60


class Fitted(NamedTuple):
    """A plane by least squares.

    ``weights`` has a row each for height at x = y = 0, slope along and slope across (without it where
    nothing is known across), a column each point: what a point's height weighs in it.
    """

    plane: Plane
    residuals: Array
    weights: Array


class Flattest(NamedTuple):
    """The plane about which the face's range is least.

    ``flatness`` is that range in mm, ``held_by`` the points that hold it, ``weights`` what the height
    of each point weighs in the flatness; ``plane`` passes midway, ``slope_weights`` as in :class:`Fitted`.
    """

    plane: Plane
    flatness: float
    held_by: tuple[int, ...]
    weights: Array
    slope_weights: Array


def is_in_line(x: Array, y: Array) -> bool:
    """Tell whether positions lie in one line, so that no plane is known (trade.md 8).

    Parameters
    ----------
    x, y : array
        In mm.
    """
    spread = np.linalg.svd(np.stack([x - x.mean(), y - y.mean()]), compute_uv=False)
    return bool(spread[1] <= _FLAT * max(spread[0], 1e-300))


def least_squares(x: Array, y: Array, z: Array, *, on_axis: bool) -> Fitted:
    """Return the plane by unweighted least squares (trade.md 8).

    Parameters
    ----------
    x, y, z : array
        Of the points, in mm.
    on_axis : bool
        True where all y are nought: then a line along the face.

    Raises
    ------
    QuantityError
        If the points do not fix it.

    Examples
    --------
    >>> x, y = np.array([0.0, 100.0, 0.0]), np.array([0.0, 0.0, 50.0])
    >>> round(least_squares(x, y, np.array([10.0, 10.1, 10.0]), on_axis=False).plane.along, 12)
    0.001
    """
    positions = x[:, None] if on_axis else np.stack([x, y], axis=1)
    centre = positions.mean(axis=0)
    about = positions - centre
    if np.ptp(x) <= 0 or (not on_axis and is_in_line(x, y)):
        raise QuantityError(
            "points in one line", "three that are not in one line, or three on the axis (y 0)"
        )
    slope_weights = np.linalg.pinv(about)
    # Deviations alone are summed: heights of hundreds of mm would cost the last digits.
    level = z.mean()
    slopes = slope_weights @ (z - level)
    height = level - centre @ slopes
    weights = np.vstack([1 / len(z) - centre @ slope_weights, slope_weights])
    residuals = (z - level) - about @ slopes
    across = None if on_axis else float(slopes[1])
    return Fitted(Plane(float(height), float(slopes[0]), across), residuals, weights)


# long: what it puts together is told field by field, a line each
def flattest(x: Array, y: Array, z: Array, *, on_axis: bool, fitted: Fitted | None = None) -> Flattest:
    """Return the plane about which the highest and the lowest point are least apart.

    Parameters
    ----------
    x, y, z : array
        Of the points, in mm.
    on_axis : bool
        True where all y are nought.
    fitted : Fitted, optional
        By least squares, where it is there already.

    Returns
    -------
    Flattest
        With the three or four points that hold it.

    Notes
    -----
    The least range is a linear programme. Its dual looks for weights p above and q below, Σp = Σq = 1,
    with the same centroid, that make Σ(p − q)·z largest; it is solved by the simplex method, whose four
    basic points (three on a line) hold the plane. Range and slopes are linear in their heights.
    See trade.md 8.

    Examples
    --------
    >>> x, y = np.array([0.0, 100.0, 100.0, 0.0]), np.array([0.0, 0.0, 50.0, 50.0])
    >>> round(flattest(x, y, np.array([0.1, 0.0, 0.1, 0.0]), on_axis=False).flatness, 12)
    0.1
    """
    fitted = fitted or least_squares(x, y, z, on_axis=on_axis)
    off = fitted.residuals
    scale = float(np.abs(off).max())
    if scale <= 0:
        # As flat as numbers are: every plane parallel to it is as good.
        held = tuple(range(min(len(z), 3)))
        return Flattest(
            plane=fitted.plane,
            flatness=0.0,
            held_by=held,
            weights=np.zeros(len(z)),
            slope_weights=fitted.weights[1:],
        )
    positions = x[:, None] if on_axis else np.stack([x, y], axis=1)
    about = positions - positions.mean(axis=0)
    reach = np.abs(about).max(axis=0)
    basis, share, inverse = _simplex(about / reach, off / scale)
    n = len(z)
    sign = np.where(basis < n, 1.0, -1.0)
    points = basis % n
    weights = np.zeros(n)
    np.add.at(weights, points, sign * share)
    multipliers = (sign * off[points]) @ inverse
    slopes = multipliers[2:] / reach
    slope_weights = np.zeros((len(reach), n))
    for row, column in enumerate(range(2, 2 + len(reach))):
        np.add.at(slope_weights[row], points, sign * inverse[:, column] / reach[row])
    along = fitted.plane.along + float(slopes[0])
    across = None if on_axis else (fitted.plane.across or 0.0) + float(slopes[1])
    left = off - about @ slopes
    low, high = float(left.min()), float(left.max())
    tilted = Plane(0.0, along, across)
    middle = float(z.mean()) + (low + high) / 2 - tilted.at(float(x.mean()), float(y.mean()))
    held = tuple(sorted({int(i) for i, s in zip(points, share, strict=True) if s > _FLAT}))
    return Flattest(
        plane=Plane(middle, along, across),
        flatness=high - low,
        held_by=held,
        weights=weights,
        slope_weights=slope_weights,
    )


def least_range(x: Array, y: Array, z: Array, *, on_axis: bool) -> tuple[float, float, float]:
    """Return the least range of heights over all planes, and that plane's slopes: nothing else of it (trade.md 8).

    Parameters
    ----------
    x, y, z : array
        Of points that fix a plane, in mm; heights near nought.
    on_axis : bool
        True where all y are nought.

    Returns
    -------
    tuple of float
        The range in mm; the slopes along and across, mm per mm.
    """
    positions = x[:, None] if on_axis else np.stack([x, y], axis=1)
    about = positions - positions.sum(axis=0) / len(x)
    off = z - z.sum() / len(z)
    scale, reach = float(np.abs(off).max()), np.abs(about).max(axis=0)
    if scale <= 0:
        return 0.0, 0.0, 0.0
    basis, _, inverse = _simplex(about / reach, off / scale)
    n = len(z)
    multipliers = (np.where(basis < n, 1.0, -1.0) * off[basis % n]) @ inverse
    slopes = multipliers[2:] / reach
    left = off - about @ slopes
    return float(left.max() - left.min()), float(slopes[0]), 0.0 if on_axis else float(slopes[1])


def _simplex(about: Array, off: Array) -> tuple[NDArray[np.intp], Array, Array]:
    """Solve the dual: the basic columns (upper 0 … n − 1, lower n … 2n − 1), their shares, the basis inverted."""
    n, dimensions = about.shape
    ones, nought = np.ones((n, 1)), np.zeros((n, 1))
    columns = np.vstack([np.hstack([ones, nought, about]), np.hstack([nought, ones, -about])])
    gains = np.concatenate([off, -off])
    first = _spread_out(about)
    # One point above and below itself, the others above with nothing: feasible, and of full rank.
    basis = np.array([first[0], first[0] + n, *first[1 : dimensions + 1]])
    wanted = np.array([1.0, 1.0, *[0.0] * dimensions])
    for step in range(50 * n + 1000):
        inverse = np.linalg.inv(columns[basis].T)
        share = inverse @ wanted
        better = gains - columns @ (gains[basis] @ inverse)
        if step < _FAST_STEPS:
            enters = int(np.argmax(better))
            if better[enters] <= _GAIN:
                break
        else:
            several = np.flatnonzero(better > _GAIN)
            if not len(several):
                break
            enters = int(several[0])
        direction = inverse @ columns[enters]
        rows = np.flatnonzero(direction > _FLAT)
        room = np.maximum(share[rows], 0) / direction[rows]
        least = rows[room <= room.min() + 1e-14]
        # Of several that would leave, the first by its number: the other half of Bland's rule.
        basis[least[np.argmin(basis[least])]] = enters
    return basis, share, inverse


def _spread_out(about: Array) -> list[int]:
    """Two points far apart, and where there is a plane a third far from their line."""
    first = int(np.argmax(np.linalg.norm(about, axis=1)))
    apart = about - about[first]
    second = int(np.argmax(np.linalg.norm(apart, axis=1)))
    if about.shape[1] == 1:
        return [first, second]
    along = apart[second]
    third = int(np.argmax(np.abs(apart[:, 0] * along[1] - apart[:, 1] * along[0])))
    return [first, second, third]
