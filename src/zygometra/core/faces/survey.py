"""A surveyed face: its planes, how flat it is, whether it needs facing, and what a cut takes where.

All by trade.md 8. Points' doubts are independent of one another;
everything here is linear in the heights, so each result carries the standard uncertainty that they give.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal, NamedTuple

import numpy as np

from .model import SAME_PLACE, Pair, Plane, Spot, Survey
from .planes import Array, Fitted, Flattest, flattest, is_in_line, least_range, least_squares

Verdict = Literal["leave", "face", "cannot be saved"]
# The length over which flatness is asked beside the whole face, in mm.
LOCAL_LENGTH = 150.0
# Midpoints of the diagonals of a parallelogram meet to within this, in mm.
_SQUARE = 0.5


class Depth(NamedTuple):
    """A depth of cut and its standard uncertainty, in mm."""

    mm: float
    u: float


@dataclass(frozen=True, slots=True)
class FaceCut:
    """What a cut takes.

    ``finished_height`` is at x = y = 0 from the set-up's reference, ``left_slope`` what the finished
    face rises against the crank (None: not known), ``shim`` what goes under the rear or intake support
    of a block swept level on its present face, ``rail_shim`` of one that stands on its rails.
    """

    finished_height: Depth
    least: Depth
    most: Depth
    corners: Mapping[str, Depth]
    cylinders: Mapping[int, Depth]
    shim: Pair
    rail_shim: Pair
    left_slope: Pair


class LeastCut(NamedTuple):
    """The finished plane that takes the least at its deepest.

    That depth, the doubt of its slopes, what it takes at each corner in mm, and the shim in mm under the rear
    and the intake side of a part that stands on its datum, so that this plane lies level.
    """

    plane: Plane
    most: Depth
    slope_u: Pair
    corners: Mapping[str, float]
    shim: Pair


@dataclass(frozen=True, slots=True)
class Surveyed:
    """A survey evaluated.

    ``plane_u`` has the doubts of height, slope along and slope across (None where not looked at).
    ``certificate`` is the clean-up cut that no tilt undercuts, by the corners; None without them.
    ``highest`` is the lowest point of the highest finish that cleans everything, ``middle`` the plane on
    the line of the cylinders, midway.
    """

    survey: Survey
    plane: Plane
    plane_u: tuple[float, float, float | None]
    residuals: tuple[float, ...]
    flatness: Depth
    held_by: tuple[int, ...]
    over_150: float
    certificate: Depth | None
    verdict: Verdict
    cut: FaceCut
    least_cut: LeastCut
    highest: Depth
    middle: Depth


class _Ground(NamedTuple):
    """A survey as arrays, and its planes."""

    x: Array
    y: Array
    z: Array
    u: Array
    fitted: Fitted
    flat: Flattest


def survey(face: Survey) -> Surveyed:
    """Evaluate a surveyed face.

    Parameters
    ----------
    face : Survey
        With a height at every point.

    Returns
    -------
    Surveyed
        Planes, flatness, verdict, and the cut that is asked for.

    Raises
    ------
    QuantityError
        If the points do not fix a plane, nor a line on the axis.

    Examples
    --------
    >>> from .model import Point
    >>> corners = [(0, 0, 200.02), (400, 0, 200.0), (400, 150, 200.02), (0, 150, 200.0)]
    >>> found = survey(Survey("deck", tuple(Point(*at) for at in corners), flatness_limit=0.05))
    >>> round(found.flatness.mm, 6), found.verdict, round(found.cut.most.mm, 6)
    (0.02, 'leave', 0.02)
    """
    on_axis = face.is_on_axis
    x, y, z, u = (np.array(column, dtype=float) for column in zip(*face.points, strict=True))
    fitted = least_squares(x, y, z, on_axis=on_axis)
    flat = flattest(x, y, z, on_axis=on_axis, fitted=fitted)
    ground = _Ground(x=x, y=y, z=z, u=u, fitted=fitted, flat=flat)
    flatness = Depth(flat.flatness, _u(flat.weights, u))
    least_cut = _least_cut(face, ground)
    highest = _highest(face, ground, least_cut)
    height, along, *across = (_u(row, u) for row in fitted.weights)
    return Surveyed(
        survey=face,
        plane=fitted.plane,
        plane_u=(height, along, None if on_axis else across[0]),
        residuals=tuple(fitted.residuals.tolist()),
        flatness=flatness,
        held_by=flat.held_by,
        over_150=_over_150(ground, on_axis=on_axis),
        certificate=_certificate(face, ground),
        verdict=_verdict(face, flatness.mm, highest.mm),
        cut=_cut(face, ground),
        least_cut=least_cut,
        highest=highest,
        middle=_middle(face, ground),
    )


def _u(weights: Array, u: Array) -> float:
    """First-order doubt of what is linear in the points: √Σ(w·u)²."""
    return math.sqrt(float(np.sum((weights * u) ** 2)))


def _verdict(face: Survey, flatness: float, highest: float) -> Verdict:
    if face.flatness_limit is not None and flatness <= face.flatness_limit:
        return "leave"
    if face.least_height is not None and highest < face.least_height:
        return "cannot be saved"
    return "face"


def _middle(face: Survey, ground: _Ground) -> Depth:
    spots = [spot.x for spot in face.cylinders.values()] or ground.x.tolist()
    x = (min(spots) + max(spots)) / 2
    across = () if ground.fitted.plane.across is None else (0.0,)
    return Depth(
        ground.fitted.plane.at(x, 0.0), _u(np.array([1.0, x, *across]) @ ground.fitted.weights, ground.u)
    )


def _least_cut(face: Survey, ground: _Ground) -> LeastCut:
    plane = ground.flat.plane
    above = ground.z - (ground.x * plane.along + ground.y * (plane.across or 0.0))
    height = float(above.min()) - face.allowance
    doubts = [_u(row, ground.u) for row in ground.flat.slope_weights]
    slope_u = Pair(doubts[0], doubts[1] if len(doubts) > 1 else None)
    most = Depth(ground.flat.flatness + face.allowance, _u(ground.flat.weights, ground.u))
    finished = plane._replace(height=height)
    corners = {name: _level_at(spot, ground) - finished.at(*spot) for name, spot in face.corners.items()}
    datum = Plane(0.0, 0.0, None if plane.across is None else 0.0)
    return LeastCut(
        plane=finished, most=most, slope_u=slope_u, corners=corners, shim=_shim(face, datum, finished)
    )


def _level_at(spot: Spot, ground: _Ground) -> float:
    """How high a face stands: by the point that was read there, else by the plane of least squares."""
    read = _read_at(spot, ground)
    return ground.fitted.plane.at(*spot) if read is None else float(ground.z[read])


def _rail(face: Survey) -> Plane:
    """The plane parallel with the rails as it rises against the crank; level where that does not count."""
    if face.set_up != "pan rail":
        return Plane(0.0, 0.0, 0.0)
    return Plane(0.0, face.rail_slope.along or 0.0, face.rail_slope.across or 0.0)


def _highest(face: Survey, ground: _Ground, least_cut: LeastCut) -> Depth:
    """The lowest point, over points and corners, of the highest finish that cleans everything."""
    spots = [*zip(ground.x, ground.y, strict=True), *face.corners.values()]
    if face.face == "head":
        return Depth(min(least_cut.plane.at(float(x), float(y)) for x, y in spots), least_cut.most.u)
    rail = _rail(face)
    level = ground.z - rail.along * ground.x - (rail.across or 0.0) * ground.y
    lowest = int(np.argmin(level))
    finished = float(level[lowest]) - face.allowance
    return Depth(min(finished + rail.at(float(x), float(y)) for x, y in spots), float(ground.u[lowest]))


def _cut(face: Survey, ground: _Ground) -> FaceCut:
    """The cut to a plane parallel with the set-up's reference."""
    rail = _rail(face)
    level = ground.z - rail.along * ground.x - (rail.across or 0.0) * ground.y
    lowest = int(np.argmin(level))
    # What the finished height rests on: the lowest point where everything is to be cleaned.
    rests = np.zeros(len(level))
    if face.height is None:
        rests = _alone(lowest, level)
        finished = float(level[lowest]) - face.allowance
    else:
        finished = face.height
    at_points = level - finished

    def depth(spot: Spot) -> Depth:
        read = _read_at(spot, ground)
        if read is not None:
            return Depth(float(at_points[read]), _u(_alone(read, level) - rests, ground.u))
        across = () if ground.fitted.plane.across is None else (spot.y,)
        weights = np.array([1.0, spot.x, *across]) @ ground.fitted.weights
        mm = ground.fitted.plane.at(*spot) - rail.at(*spot) - finished
        return Depth(mm, _u(weights - rests, ground.u))

    highest = int(np.argmax(level))
    ends = [Depth(float(at_points[i]), _u(_alone(i, level) - rests, ground.u)) for i in (lowest, highest)]
    return FaceCut(
        finished_height=Depth(finished, _u(rests, ground.u)),
        least=ends[0],
        most=ends[1],
        corners={name: depth(spot) for name, spot in face.corners.items()},
        cylinders={number: depth(spot) for number, spot in face.cylinders.items()},
        shim=_shim(face, ground.fitted.plane, rail),
        rail_shim=Pair(*map(_times, face.rail_slope, face.support_span)),
        left_slope=face.rail_slope if face.set_up == "pan rail" else Pair(0.0, 0.0),
    )


def _alone(i: int, like: Array) -> Array:
    """The weights of a result that is one point's height."""
    weights = np.zeros_like(like)
    weights[i] = 1.0
    return weights


def _read_at(spot: Spot, ground: _Ground) -> int | None:
    """The point that was read at a spot: the nearest, if it is near enough to be the same."""
    apart = np.hypot(ground.x - spot.x, ground.y - spot.y)
    nearest = int(np.argmin(apart))
    return nearest if apart[nearest] <= SAME_PLACE else None


def _times(slope: float | None, span: float | None) -> float | None:
    return None if slope is None or span is None else slope * span


def _shim(face: Survey, plane: Plane, rail: Plane) -> Pair:
    """(present slope − finished slope)·span, along and across."""
    across = None if plane.across is None else plane.across - (rail.across or 0.0)
    return Pair(
        _times(plane.along - rail.along, face.support_span.along), _times(across, face.support_span.across)
    )


def _certificate(face: Survey, ground: _Ground) -> Depth | None:
    """|(z_A + z_C) − (z_B + z_D)|/2 over opposite corners of a parallelogram."""
    spots = list(face.corners.values())
    if len(spots) != 4:
        return None
    read = [_read_at(spot, ground) for spot in spots]
    if None in read:
        return None
    for other in (2, 1, 3):
        # Whatever the order in which they are named: one pairing has its midpoints together.
        pairs = (0, other), tuple(i for i in (1, 2, 3) if i != other)
        middles = [((spots[i].x + spots[j].x) / 2, (spots[i].y + spots[j].y) / 2) for i, j in pairs]
        if math.dist(*middles) <= _SQUARE:
            weights = np.zeros(len(ground.z))
            for (i, j), weight in zip(pairs, (0.5, -0.5), strict=True):
                for corner in (i, j):
                    weights[read[corner]] += weight
            # Deviations alone are summed: heights of hundreds of mm would cost the last digits.
            return Depth(abs(float(weights @ (ground.z - ground.z.mean()))), _u(weights, ground.u))
    return None


def _over_150(ground: _Ground, *, on_axis: bool) -> float:
    """The worst flatness over any such length of the face: the largest over windows that begin at a point.

    A window's range about any plane bounds its flatness from above: about that of the whole face, and
    about those of windows near it. So few are solved.
    """
    order = np.argsort(ground.x, kind="stable")
    x, y, z = ground.x[order], ground.y[order], ground.z[order]
    z = z - ground.flat.plane.along * x - (ground.flat.plane.across or 0.0) * y
    begins = np.unique(np.searchsorted(x, x))
    ends = np.searchsorted(x, x[begins] + LOCAL_LENGTH, side="right")
    # What ends where another ends, and begins later, is part of it.
    whole = np.concatenate([[True], ends[1:] > ends[:-1]])
    windows = [slice(i, j) for i, j in zip(begins[whole], ends[whole], strict=True) if j - i > 1]
    bounds = sorted(((float(np.ptp(z[w])), w.start, w.stop) for w in windows), reverse=True)
    solved: list[tuple[int, Plane]] = []
    worst = 0.0
    for bound, start, stop in bounds:
        if bound <= worst:
            break
        part = slice(start, stop)
        near = sorted(solved, key=lambda one: abs(one[0] - start))[:3]
        if any(_range_about(p, x[part], y[part], z[part]) <= worst for _, p in near):
            continue
        flatness, plane = _own_flatness(x[part], y[part], z[part], on_axis=on_axis)
        worst = max(worst, flatness)
        if plane is not None:
            solved.append((start, plane))
    return worst


def _range_about(plane: Plane, x: Array, y: Array, z: Array) -> float:
    return float(np.ptp(z - plane.along * x - (plane.across or 0.0) * y))


def _own_flatness(x: Array, y: Array, z: Array, *, on_axis: bool) -> tuple[float, Plane | None]:
    """The flatness of a few points, which may lie in one line, and its plane where there is one."""
    if not on_axis and is_in_line(x, y):
        # Along their own line; across it they say nothing.
        spread = np.stack([x - x.mean(), y - y.mean()])
        way = np.linalg.svd(spread, full_matrices=False)[0][:, 0]
        x, y, on_axis = way @ spread, np.zeros_like(x), True
        flat = least_range(x, y, z, on_axis=True)[0] if np.ptp(x) > 0 else float(np.ptp(z))
        return flat, None
    if np.ptp(x) <= 0:
        return float(np.ptp(z)), None
    flat, along, across = least_range(x, y, z, on_axis=on_axis)
    return flat, Plane(0.0, along, across)
