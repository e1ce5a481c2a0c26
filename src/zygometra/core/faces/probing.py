"""From a probe's own axes to the block's: the datum chain, deck heights, and where the bores lie.

A probe knows nothing of an engine: it sends points in the axes of its machine, and the block lies in them as it
happened to be clamped. The chain says how it lies: the crank's line, something whose angle about it is known,
and a hole whose place along it is known.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Literal, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..errors import QuantityError

Array = NDArray[np.float64]
Side = Literal["left", "right"]
SIDES: tuple[Side, ...] = ("left", "right")
# The crank's points may stand off their line, and the first and last be apart, by so much at least and most, in mm.
MOST_BENT, LEAST_APART = 0.5, 20.0
_LEAST_REACH = 1.0
_ROUNDS = 60


class Touch(NamedTuple):
    """A point in the axes of the machine, in mm."""

    x: float
    y: float
    z: float


class Chain(NamedTuple):
    """How the block lies in the machine.

    Parameters
    ----------
    crank : tuple of Touch
        Centres of main bores, front first; two or more.
    side : {"left", "right"}
        Where the intake lies, seen from the front of the engine.
    angle : float
        Of ``rotation`` about the crank, in degrees from the cylinders' axis towards the intake.
    rotation : Touch
        Where that angle is known: a point of a rail, a tooling hole, the middle of a bore.
    at : float
        How far behind the first cylinder the datum hole lies, in mm.
    hole : Touch
        The datum hole.
    intake : Touch
        Anything on the intake side of the cylinders: tells a mirrored axis.
    """

    crank: tuple[Touch, ...]
    side: Side
    angle: float
    rotation: Touch
    at: float
    hole: Touch
    intake: Touch


class Frame(NamedTuple):
    """The block's axes in those of the machine: a point of the crank's line, and unit vectors."""

    origin: Array
    along: Array
    across: Array
    up: Array
    start: float
    bent: float

    def placed(self, touch: Touch) -> tuple[float, float, float]:
        """Return a point in the block's axes, in mm (trade.md 8).

        Parameters
        ----------
        touch : Touch
            As the machine has it.

        Returns
        -------
        tuple of float
            Along from the first cylinder, across towards the intake, over the crank.
        """
        off = np.array(touch) - self.origin
        return float(off @ self.along) - self.start, float(off @ self.across), float(off @ self.up)


class Circle(NamedTuple):
    """A bore as probed, in mm: its centre, its diameter, and how far it is from round on diameter."""

    x: float
    y: float
    diameter: float
    out_of_round: float


def frame_of(chain: Chain) -> Frame:
    """Return the block's axes by its datum chain (trade.md 8).

    Parameters
    ----------
    chain : Chain
        As probed.

    Returns
    -------
    Frame
        ``bent`` is how far the crank's points stand off their line at most, in mm.

    Raises
    ------
    QuantityError
        If the chain fixes no axes, or an axis of the machine is mirrored.

    Notes
    -----
    Along: the line by least squares through the crank's points. With v the direction from it to the rotation's
    point and w = ±(along × v) towards the intake (+ where that is on the right seen from the front), the
    cylinders' axis is v·cos A − w·sin A.
    """
    points = np.array(chain.crank, dtype=float)
    origin = points.mean(axis=0)
    if np.linalg.norm(points[-1] - points[0]) < LEAST_APART:
        raise QuantityError("crank points that lie together", f"main bores at least {LEAST_APART:g} mm apart")
    _, _, ways = np.linalg.svd(points - origin)
    along = ways[0] * np.sign(ways[0] @ (points[-1] - points[0]))
    off = points - origin
    bent = float(np.linalg.norm(off - np.outer(off @ along, along), axis=1).max())
    if bent > MOST_BENT:
        raise QuantityError(
            f"a crank point {bent:.2f} mm off the line of the others",
            f"main bores in line to {MOST_BENT:g} mm",
        )
    towards = _square_to(np.array(chain.rotation) - origin, along)
    reach = float(np.linalg.norm(towards))
    if reach < _LEAST_REACH:
        raise QuantityError("a rotation point on the crank's line", "a point well off it")
    v = towards / reach
    w = np.cross(along, v) * (1.0 if chain.side == "right" else -1.0)
    angle = np.radians(chain.angle)
    up, across = v * np.cos(angle) - w * np.sin(angle), v * np.sin(angle) + w * np.cos(angle)
    if float((np.array(chain.intake) - origin) @ across) <= 0:
        raise QuantityError(
            f"an intake point that lies on the other side than {chain.side}",
            "the machine's axes right-handed, none of them mirrored, and the side as seen from the front",
        )
    start = float((np.array(chain.hole) - origin) @ along) - chain.at
    return Frame(origin=origin, along=along, across=across, up=up, start=start, bent=bent)


def _square_to(vector: Array, along: Array) -> Array:
    square: Array = vector - (vector @ along) * along
    return square


def circle_through(spots: Sequence[tuple[float, float]]) -> Circle:
    """Return the circle by least squares through points of a bore's wall (trade.md 8).

    Parameters
    ----------
    spots : sequence of (float, float)
        Along and across, in mm; three or more.

    Returns
    -------
    Circle
        Distances to it are least in their squares.

    Raises
    ------
    QuantityError
        If there are fewer than three, or they lie in one line.

    Examples
    --------
    >>> round(circle_through([(3.0, 0.0), (0.0, 4.0), (-2.0, 0.0), (0.0, -1.5)]).x, 9)
    0.5
    """
    wanted = "three points or more round the bore"
    if len(spots) < 3:
        raise QuantityError(f"{len(spots)} points on a circle", wanted)
    x, y = np.array(spots, dtype=float).T
    mean = x.mean(), y.mean()
    x, y = x - mean[0], y - mean[1]
    spread = np.linalg.svd(np.stack([x, y]), compute_uv=False)
    if spread[1] <= 1e-3 * max(spread[0], 1e-300):
        raise QuantityError("points of a circle in one line", wanted)
    # First x² + y² = 2ax + 2by + c, which is linear; then the distances themselves.
    a, b, c = np.linalg.lstsq(np.stack([2 * x, 2 * y, np.ones_like(x)], axis=1), x**2 + y**2, rcond=None)[0]
    radius = float(np.sqrt(max(c + a * a + b * b, 0.0)))
    for _ in range(_ROUNDS):
        distance = np.hypot(x - a, y - b)
        slopes = np.stack([(a - x) / distance, (b - y) / distance, -np.ones_like(x)], axis=1)
        step = np.linalg.lstsq(slopes, radius - distance, rcond=None)[0]
        a, b, radius = np.array([a, b, radius]) + step
        if np.abs(step).max() < 1e-12:
            break
    distance = np.hypot(x - a, y - b)
    return Circle(float(a + mean[0]), float(b + mean[1]), 2 * float(radius), 2 * float(np.ptp(distance)))


def bores_of(frame: Frame, walls: Mapping[int, Iterable[Touch]]) -> dict[int, Circle]:
    """Return where the bores lie on the deck; in mm.

    Parameters
    ----------
    frame : Frame
        The block's axes.
    walls : Mapping
        Points of each bore's wall, by hole.

    Raises
    ------
    QuantityError
        If one of them is no circle; named by its hole.
    """
    found = {}
    for number, touches in walls.items():
        try:
            found[number] = circle_through([frame.placed(touch)[:2] for touch in touches])
        except QuantityError as error:
            raise QuantityError(f"bore {number}: {error.found}", error.wanted) from None
    return found
