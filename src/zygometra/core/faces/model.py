"""What was surveyed: points of a face, and what is asked of it.

Positions in mm: x along the face from the front, y across it towards the intake, z up from the
reference (of a deck its height over the crank). Slopes are mm per mm, positive where the face rises
to the rear or to the intake.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Literal, NamedTuple

FaceKind = Literal["deck", "head"]
SetUp = Literal["crank centreline", "pan rail"]
SET_UPS: tuple[SetUp, ...] = ("crank centreline", "pan rail")
# Two positions nearer than this are one: what a hand finds again on a face, in mm.
SAME_PLACE = 0.5


class Spot(NamedTuple):
    """A position on a face, in mm."""

    x: float
    y: float


class Point(NamedTuple):
    """A point that was read: where, how high, and with which standard uncertainty of its own, in mm.

    ``z`` is None where only the place is known.
    """

    x: float
    y: float
    z: float | None
    u: float = 0.0


class Pass(NamedTuple):
    """One pass of a skim: its own depth in mm, the points that it reached first, those with nothing old left round."""

    depth: float
    touched: tuple[int, ...] = ()
    clean: tuple[int, ...] = ()


class Pair(NamedTuple):
    """The same thing along a face and across it; None where nobody said, or where it was not looked at."""

    along: float | None = None
    across: float | None = None


NOT_SAID = Pair()


@dataclass(frozen=True, slots=True)
class Survey:
    """One face as it was surveyed.

    Parameters
    ----------
    face : {"deck", "head"}
        What it is.
    points : tuple of Point
        In the order in which they were read.
    corners, cylinders : Mapping
        Where the cut is wanted: by the corner's name, by the hole's number.
    drawing_height : float or None
        What the drawing gives, in mm; with its standard uncertainty.
    support_span : Pair
        Between the machinist's supports, in mm.
    set_up : str
        One of :data:`SET_UPS`; empty where nobody said, and then as on the crank's centreline.
    rail_slope : Pair
        Rise of a plane parallel with the pan rails against the crank, mm per mm.
    allowance : float
        Metal to be taken at the lowest point, in mm.
    height : float or None
        The finished height asked for instead.
    least_height : float or None
        Below which the face must not come.
    flatness_limit : float or None
        Out of flat that the gasket still seals, in mm.
    flatness_150_limit : float or None
        The same over any 150 mm.
    doubt_is_house : bool
        True where a point stated no doubt and the house's stands in.
    passes : tuple of Pass
        As they were made so far.
    """

    face: FaceKind
    points: tuple[Point, ...]
    corners: Mapping[str, Spot] = field(default_factory=dict)
    cylinders: Mapping[int, Spot] = field(default_factory=dict)
    drawing_height: float | None = None
    drawing_u: float = 0.0
    support_span: Pair = NOT_SAID
    set_up: SetUp | Literal[""] = ""
    rail_slope: Pair = NOT_SAID
    allowance: float = 0.0
    height: float | None = None
    least_height: float | None = None
    flatness_limit: float | None = None
    flatness_150_limit: float | None = None
    doubt_is_house: bool = False
    passes: tuple[Pass, ...] = ()

    @property
    def is_on_axis(self) -> bool:
        """True where every point lies on the line of the cylinders: nothing is known across."""
        return all(point.y == 0 for point in self.points)

    @property
    def has_heights(self) -> bool:
        """True where every point has a height."""
        return bool(self.points) and all(point.z is not None for point in self.points)


class Plane(NamedTuple):
    """z = height + along·x + across·y; across is None where nothing is known across."""

    height: float
    along: float
    across: float | None

    def at(self, x: float, y: float) -> float:
        """Return its height at a position, in mm; as if level across where nothing is known across (trade.md 8).

        Parameters
        ----------
        x, y : float
            In mm.
        """
        return self.height + self.along * x + (self.across or 0.0) * y
