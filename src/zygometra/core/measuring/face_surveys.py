"""Surveys kept beside a build: whose face, read with what and how, and what of them counts."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal, NamedTuple

from ..faces.model import NOT_SAID, FaceKind, Pair, Point, Spot
from ..quantity import Unstated, read_quantity
from ..units import Kind
from ..usual_figures import repeatability
from .logbook import HOUSE_STEP, Gauge

Held = Literal["free", "clamped"]
HELD: tuple[Held, ...] = ("free", "clamped")
# What heights are counted from: the crank's line, or whatever the face was laid or swept against.
Datum = Literal["crank", "plate"]
DATUMS: tuple[Datum, ...] = ("crank", "plate")
_PER_M = 1000.0


class ProbedBore(NamedTuple):
    """Where a bore lies on the deck as probed, in mm from the first cylinder; its diameter and out-of-round."""

    number: int
    x: float
    y: float
    diameter: float
    out_of_round: float


@dataclass(frozen=True, slots=True)
class FaceSurvey:
    """One survey of a face of a build: a fact.

    ``bank`` names whose deck or head it is. ``shared_u`` is what all its points share, the gauge's own
    doubt in mm: it moves the face up or down and bends nothing. ``order`` is its place among the surveys.
    """

    id: str
    face: FaceKind
    bank: str
    points: tuple[Point, ...]
    corners: Mapping[str, Spot] = field(default_factory=dict)
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
    typed: Mapping[str, Any] = field(default_factory=dict, compare=False)


def read_face_survey(
    raw: Mapping[str, Any], order: int, gauges: Mapping[str, Gauge], unstated: Unstated = "house"
) -> FaceSurvey:
    """Return a survey of a file or of a fact that was checked when it was taken in (trade.md 8).

    Parameters
    ----------
    raw : Mapping
        An entry of ``surveys``.
    order : int
        Its place among them; no unit.
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
    gauge = gauges.get(raw.get("gauge") or "")
    own = _point_u(gauge, unstated)
    points = []
    is_house = False
    for entry in raw["points"]:
        z = read_quantity(entry["z"], Kind.LENGTH, dimension="surveyed", unstated=unstated)
        stated = z.doubt in ("stated", "tolerance", "readings")
        is_house = is_house or (not stated and gauge is None and unstated == "house")
        points.append(Point(_mm(entry["x"]), _mm(entry["y"]), z.value, z.u if stated or own is None else own))
    return FaceSurvey(
        id=raw["id"],
        face=raw["face"],
        bank=raw["bank"],
        points=tuple(points),
        corners={name: Spot(_mm(x), _mm(y)) for name, (x, y) in (raw.get("corners") or {}).items()},
        rail_slope=Pair(*(None if v is None else v / _PER_M for v in _both(raw.get("rail_slope")))),
        bores=tuple(
            ProbedBore(
                number=one["number"],
                x=_mm(one["x"]),
                y=_mm(one["y"]),
                diameter=_mm(one["diameter"]),
                out_of_round=_mm(one.get("out_of_round") or 0),
            )
            for one in raw.get("bores") or ()
        ),
        datum=raw.get("datum") or "crank",
        held=raw.get("held") or "",
        gauge=raw.get("gauge") or "",
        shared_u=gauge.u if gauge is not None and gauge.u is not None and unstated == "house" else 0.0,
        doubt_is_house=is_house,
        order=order,
        by=raw.get("by") or "",
        at=_moment(raw.get("at")),
        simulated=bool(raw.get("simulated")),
        typed=raw,
    )


def _moment(raw: str | None) -> str:
    from .read_in import moment

    return moment(raw) if raw else ""


def _both(raw: Mapping[str, Any] | None) -> tuple[float | None, float | None]:
    raw = raw or {}
    return raw.get("along"), raw.get("across")


def _mm(raw: Any) -> float:
    return read_quantity(raw, Kind.LENGTH, dimension="exact").value


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
