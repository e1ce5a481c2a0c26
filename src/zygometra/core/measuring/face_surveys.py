"""Surveys kept beside a build: whose face, read with what and how, and what of them counts."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import Annotated, Literal

from msgspec import Struct

from ..faces.model import NOT_SAID, FaceKind, Pair, Point, Spot
from ..quantity import Quantity, Unstated
from ..records import ListOf, MapOf, Nested, Record
from ..slots import HOLE, ID, NOTE, Figure, Flag, Moment, NumberSlot, OneOf, length
from ..units import Kind
from ..usual_figures import repeatability
from .logbook import HOUSE_STEP, Gauge

Held = Literal["free", "clamped"]
HELD: tuple[Held, ...] = ("free", "clamped")
# What heights are counted from: the crank's line, or whatever the face was laid or swept against.
Datum = Literal["crank", "plate"]
DATUMS: tuple[Datum, ...] = ("crank", "plate")
_PER_M = 1000.0


# Of one survey beside a build: a probe's grid, not a scan.
MOST_POINTS = 2000
_ALONG, _LENGTH = length(-20_000, 20_000), length(0, 20_000)


class ProbedBore(Record, frozen=True, kw_only=True, eq=False):
    """Where a bore lies on the deck as probed, in mm from the first cylinder; its diameter and out-of-round."""

    number: Annotated[int, HOLE]
    x: Annotated[float, _ALONG]
    y: Annotated[float, _ALONG]
    diameter: Annotated[float, _LENGTH]
    out_of_round: Annotated[float, _LENGTH] = 0.0


class PointRead(Record, frozen=True, kw_only=True, eq=False):
    """A point of a face that was read: where it is in mm, and how high, with what is known of its doubt."""

    x: Annotated[float, _ALONG]
    y: Annotated[float, _ALONG]
    z: Annotated[Quantity, Figure(Kind.LENGTH, "surveyed", -20_000, 20_000)]


class RailSlopes(Record, frozen=True, kw_only=True, eq=False):
    """Rise against the crank, in mm per m; None where nobody said."""

    along: Annotated[float | None, NumberSlot(-200, 200)] = None
    across: Annotated[float | None, NumberSlot(-200, 200)] = None

    @property
    def pair(self) -> Pair:
        """The same in mm per mm (trade.md 8)."""
        return Pair(*(None if one is None else one / _PER_M for one in (self.along, self.across)))


class NotedSurvey(Record, frozen=True, kw_only=True, eq=False):
    """One survey of a deck or a head of the build, as it was noted: a fact. Lengths in mm."""

    id: Annotated[str, ID]
    face: Annotated[FaceKind, OneOf("deck", "head")]
    bank: Annotated[str, NOTE]
    datum: Annotated[Datum, OneOf(*DATUMS)] = "crank"
    held: Annotated[Held | Literal[""], OneOf(*HELD)] = ""
    gauge: Annotated[str, ID] = ""
    points: Annotated[tuple[PointRead, ...], ListOf(Nested(PointRead), MOST_POINTS, 3)]
    corners: Annotated[dict[str, tuple[float, float]], MapOf(ID, ListOf(_ALONG, 2, 2), 40)] = {}
    rail_slope: Annotated[RailSlopes | None, Nested(RailSlopes)] = None
    bores: Annotated[tuple[ProbedBore, ...], ListOf(Nested(ProbedBore), 99)] = ()
    simulated: Annotated[bool, Flag()] = False
    says: Annotated[str, NOTE] = ""
    by: Annotated[str, NOTE] = ""
    at: Annotated[str, Moment()] = ""


class FaceSurvey(Struct, frozen=True):
    """One survey of a face of a build, its doubt settled by the gauge that read it.

    ``bank`` names whose deck or head it is. ``shared_u`` is what all its points share, the gauge's own
    doubt in mm: it moves the face up or down and bends nothing. ``order`` is its place among the surveys.
    """

    id: str
    face: FaceKind
    bank: str
    points: tuple[Point, ...]
    corners: Mapping[str, Spot] = {}
    rail_slope: Pair = NOT_SAID
    bores: tuple[ProbedBore, ...] = ()
    datum: Datum = "crank"
    held: Held | Literal[""] = ""
    gauge: str = ""
    shared_u: float = 0.0
    doubt_is_house: bool = False
    order: int = 0
    by: str = ""
    at: str = ""
    simulated: bool = False


def settled_survey(
    noted: NotedSurvey, order: int, gauges: Mapping[str, Gauge], unstated: Unstated = "house"
) -> FaceSurvey:
    """Return a survey with the doubt that its gauge gives its points (trade.md 8).

    Parameters
    ----------
    noted : NotedSurvey
        Read with the same ``unstated``.
    order : int
        Its place among the surveys; no unit.
    gauges : Mapping
        Those that are known: a point without doubt of its own has its gauge's.
    unstated : {"house", "zero"}
        What unstated doubt becomes.

    Returns
    -------
    FaceSurvey
        In mm.

    Notes
    -----
    A point is read once: u² = repeatability² + r²/12 of its gauge. What the gauge itself is off is
    shared by all points, and kept apart.
    """
    gauge = gauges.get(noted.gauge)
    own = _point_u(gauge, unstated)
    points = []
    is_house = False
    for one in noted.points:
        z = one.z
        stated = z.doubt in ("stated", "tolerance", "readings")
        is_house = is_house or (not stated and gauge is None and unstated == "house")
        points.append(Point(one.x, one.y, z.value, z.u if stated or own is None else own))
    return FaceSurvey(
        id=noted.id,
        face=noted.face,
        bank=noted.bank,
        points=tuple(points),
        corners={name: Spot(x, y) for name, (x, y) in noted.corners.items()},
        rail_slope=NOT_SAID if noted.rail_slope is None else noted.rail_slope.pair,
        bores=noted.bores,
        datum=noted.datum,
        held=noted.held,
        gauge=noted.gauge,
        shared_u=gauge.u if gauge is not None and gauge.u is not None and unstated == "house" else 0.0,
        doubt_is_house=is_house,
        order=order,
        by=noted.by,
        at=noted.at,
        simulated=noted.simulated,
    )


def _point_u(gauge: Gauge | None, unstated: Unstated) -> float | None:
    """The doubt of one point by its gauge; None where none is named: the house's, or none, stands in."""
    if gauge is None or unstated == "zero":
        return None
    scatter = repeatability("surveyed") if gauge.repeatability is None else gauge.repeatability
    step = HOUSE_STEP if gauge.resolution is None else gauge.resolution
    return math.sqrt(scatter**2 + step**2 / 12)


def in_use(
    surveys: Iterable[FaceSurvey], void: Mapping[str, object]
) -> dict[tuple[str, str, str], FaceSurvey]:
    """Return the survey that counts of each face: the latest that is not void.

    Parameters
    ----------
    surveys : iterable of FaceSurvey
        Of a build, in their order.
    void : Mapping
        What was voided, by id.

    Returns
    -------
    dict
        By face, bank and how it was held: a face swept free and the same one clamped are two.
    """
    found: dict[tuple[str, str, str], FaceSurvey] = {}
    for one in sorted((s for s in surveys if s.id not in void), key=lambda s: s.order):
        key = (one.face, one.bank, one.held)
        before = found.get(key)
        if before is None or not (one.at and before.at and one.at < before.at):
            found[key] = one
    return found
