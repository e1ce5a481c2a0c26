"""A surveyed face as a file: text to survey, and what it comes to."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, Literal

from pydantic import Field as Slot
from pydantic import ValidationError

from zygometra.core.errors import BuildFaults, Fault, QuantityError, shown
from zygometra.core.faces.model import Pair, Pass, Plane, Point, Spot, Survey
from zygometra.core.faces.survey import FaceCut, Surveyed, survey
from zygometra.core.findings.faces import survey_says
from zygometra.core.findings.said import RANK, render
from zygometra.core.quantity import Quantity, Unstated, read_quantity
from zygometra.core.units import Kind
from zygometra.core.wording import Reader

from .build_file import document_from_text
from .face_shapes import MOST_POINTS, Along, Corners, Depth, Length, PointShape, SlopeShape, SpanShape
from .logbook_faults import plane_faults
from .plain_json import unstorable, without_notes
from .shape_faults import fault_of
from .shapes import CylinderNumber, Name, Shape

_PER_M = 1000.0


class CylinderShape(Shape):
    """Where a hole lies on the face."""

    number: CylinderNumber
    x: Along
    y: Along


class CleanShape(Shape):
    """Just cleaned: so much at the lowest point."""

    allowance: Depth = None


class TargetShape(Shape):
    """What the cut is to reach: everything clean, or a height."""

    clean: CleanShape | None = None
    height: Along = None


class LimitShape(Shape):
    """How far the face may come down."""

    least_height: Along


Index = Annotated[int, Slot(ge=0, lt=MOST_POINTS, strict=True)]


class PassShape(Shape):
    """One pass of a skim log: its own depth, the points first reached, the points left clean."""

    depth: Depth
    touched: Annotated[list[Index], Slot(max_length=MOST_POINTS)] | None = None
    clean: Annotated[list[Index], Slot(max_length=MOST_POINTS)] | None = None


class SurveyFile(Shape):
    """One surveyed face, version 1."""

    format: Literal["zygometra.survey"]
    version: Literal[1]
    name: Name | None = None
    face: Literal["deck", "head"]
    unstated_doubt: Literal["house", "zero"] = "house"
    points: Annotated[list[PointShape], Slot(min_length=1, max_length=MOST_POINTS)]
    corners: Corners | None = None
    cylinders: Annotated[list[CylinderShape], Slot(max_length=99)] | None = None
    drawing_height: Along = None
    support_span: SpanShape | None = None
    set_up: Literal["crank centreline", "pan rail"] | None = None
    rail_slope: SlopeShape | None = None
    target: TargetShape | None = None
    limit: LimitShape | None = None
    flatness_limit: Length = None
    flatness_150_limit: Length = None
    passes: Annotated[list[PassShape], Slot(max_length=2000)] | None = None


def read_survey(text: str | bytes) -> Survey:
    """Read the text of a survey file.

    Parameters
    ----------
    text : str or bytes
        JSON, UTF-8.

    Returns
    -------
    Survey
        Ready to be evaluated; of a skim log without heights, nothing but its points.

    Raises
    ------
    BuildFaults
        With every fault found.
    """
    return survey_of(document_from_text(text, "a survey file"))


def survey_of(document: Mapping[str, Any]) -> Survey:
    """Check a document against the format and return its survey.

    Parameters
    ----------
    document : Mapping
        As a survey file holds it.

    Raises
    ------
    BuildFaults
        With every fault found.
    """
    faults = list(unstorable(dict(document), "$"))
    if faults:
        raise BuildFaults(faults)
    version = document.get("version")
    if document.get("format") == "zygometra.survey" and (version != 1 or isinstance(version, bool)):
        raise BuildFaults([Fault("version", shown(version), "1, the version this reader knows")])
    plain = without_notes(dict(document))
    try:
        SurveyFile.model_validate(plain)
    except ValidationError as error:
        raise BuildFaults([fault_of(item) for item in error.errors()]) from None
    faults = list(_cross_faults(plain))
    if faults:
        raise BuildFaults(faults)
    return _read(plain)


def _cross_faults(document: Mapping[str, Any]) -> Iterator[Fault]:
    """What the shape alone cannot tell."""
    points = document["points"]
    target = {key: value for key, value in (document.get("target") or {}).items() if value is not None}
    if len(target) > 1:
        yield Fault("target", "clean and height", "one of the two")
    numbers = [cylinder["number"] for cylinder in document.get("cylinders") or ()]
    for i, number in enumerate(numbers):
        if number in numbers[:i]:
            yield Fault(f"cylinders[{i}].number", f"cylinder {number} twice", "each cylinder once")
    for i, one in enumerate(document.get("passes") or ()):
        for key in ("touched", "clean"):
            for j, index in enumerate(one.get(key) or ()):
                if index >= len(points):
                    wanted = f"the index of a point, 0 to {len(points) - 1}"
                    yield Fault(f"passes[{i}].{key}[{j}]", str(index), wanted)
    missing = [i for i, point in enumerate(points) if point.get("z") is None]
    if not missing:
        yield from plane_faults("points", points)
    elif not document.get("passes"):
        for i in missing[:20]:
            yield Fault(
                f"points[{i}].z", "nothing", "a height; only a skim log, with passes, may leave it out"
            )


def _quantity(raw: Any, dimension: str = "exact", unstated: Unstated = "zero") -> Quantity:
    return read_quantity(raw, Kind.LENGTH, dimension=dimension, unstated=unstated)


def _mm(raw: Any) -> float:
    return _quantity(raw).value


def _maybe(raw: Any) -> float | None:
    return None if raw is None else _mm(raw)


def _pair(raw: Mapping[str, Any] | None, by: float = 1.0) -> Pair:
    values = [_maybe((raw or {}).get(key)) for key in ("along", "across")]
    return Pair(*(None if value is None else value / by for value in values))


def _read(document: Mapping[str, Any]) -> Survey:
    unstated: Unstated = document.get("unstated_doubt") or "house"
    heights = [
        None if point.get("z") is None else _quantity(point["z"], "surveyed", unstated)
        for point in document["points"]
    ]
    points = tuple(
        Point(_mm(point["x"]), _mm(point["y"]), z.value if z else None, z.u if z else 0.0)
        for point, z in zip(document["points"], heights, strict=True)
    )
    target = document.get("target") or {}
    drawing = document.get("drawing_height")
    drawn = None if drawing is None else _quantity(drawing)
    return Survey(
        face=document["face"],
        points=points,
        corners={name: Spot(*map(_mm, at)) for name, at in (document.get("corners") or {}).items()},
        cylinders={c["number"]: Spot(_mm(c["x"]), _mm(c["y"])) for c in document.get("cylinders") or ()},
        drawing_height=drawn.value if drawn else None,
        drawing_u=drawn.u if drawn else 0.0,
        support_span=_pair(document.get("support_span")),
        set_up=document.get("set_up") or "",
        rail_slope=_pair(document.get("rail_slope"), _PER_M),
        allowance=_maybe((target.get("clean") or {}).get("allowance")) or 0.0,
        height=_maybe(target.get("height")),
        least_height=_maybe((document.get("limit") or {}).get("least_height")),
        flatness_limit=_maybe(document.get("flatness_limit")),
        flatness_150_limit=_maybe(document.get("flatness_150_limit")),
        doubt_is_house=any(z is not None and z.doubt == "house" for z in heights),
        passes=tuple(
            Pass(_mm(one["depth"]), tuple(one.get("touched") or ()), tuple(one.get("clean") or ()))
            for one in document.get("passes") or ()
        ),
    )


_NULL = dict.fromkeys(
    ("plane", "flatness_mm", "held_by", "certificate_mm", "verdict", "cut", "least_cut_plane", "forecast")
)


def surveyed_document(face: Survey) -> dict[str, Any]:
    """Return what a survey comes to as the command prints it. Numbers are unrounded.

    Parameters
    ----------
    face : Survey
        As a file holds it.

    Returns
    -------
    dict
        The document; of a skim log without heights all but its findings null.

    Raises
    ------
    BuildFaults
        If no plane goes through its points.
    """
    head = {"format": "zygometra.surveyed", "version": 1}
    if not face.has_heights:
        return head | _NULL | {"forecast": _forecast(face), "findings": []}
    try:
        found = survey(face)
    except QuantityError as error:
        raise BuildFaults([Fault("points", error.found, error.wanted)]) from None
    height_u, along_u, across_u = found.plane_u
    says = sorted((render(one, Reader()) for one in survey_says(found)), key=lambda one: RANK[one.severity])
    return head | {
        "plane": _plane(found.plane)
        | {
            "residuals_mm": list(found.residuals),
            "u": {
                "height_mm": height_u,
                "slope_along_mm_per_m": _per_m(along_u),
                "slope_across_mm_per_m": _per_m(across_u),
            },
        },
        "flatness_mm": found.flatness.mm,
        "flatness_150_mm": found.over_150,
        "held_by": list(found.held_by),
        "certificate_mm": found.certificate.mm if found.certificate else None,
        "verdict": found.verdict,
        "cut": _cut(found.cut),
        "least_cut_plane": _plane(found.least_cut.plane) | {"most_mm": found.least_cut.most.mm},
        "highest_clean_mm": found.highest.mm,
        "u": _doubts(found),
        "forecast": _forecast(face),
        "findings": [
            {"severity": one.severity, "code": one.code, "where": "", "says": one.says} for one in says
        ],
    }


def _forecast(face: Survey) -> dict[str, Any] | None:
    if not face.passes:
        return None
    # Drawing is kept for who logs a skim.
    from zygometra.core.faces.forecast import forecast

    found = forecast(face.points, face.passes)
    if found is None:
        return None
    return {
        "clean_at_mm": found.clean_at,
        "low_mm": found.low,
        "high_mm": found.high,
        "passes_left": found.passes_left,
    }


def _per_m(slope: float | None) -> float | None:
    return None if slope is None else slope * _PER_M


def _plane(plane: Plane) -> dict[str, Any]:
    return {
        "height_mm": plane.height,
        "slope_along_mm_per_m": _per_m(plane.along),
        "slope_across_mm_per_m": _per_m(plane.across),
    }


def _cut(cut: FaceCut) -> dict[str, Any]:
    return {
        "finished_height_mm": cut.finished_height.mm,
        "least_mm": cut.least.mm,
        "most_mm": cut.most.mm,
        "corners_mm": {name: depth.mm for name, depth in cut.corners.items()},
        "cylinders_mm": {str(number): depth.mm for number, depth in cut.cylinders.items()},
        "shim_mm": cut.shim._asdict(),
        "rail_shim_mm": cut.rail_shim._asdict(),
        "left_slope": {key: _per_m(slope) for key, slope in cut.left_slope._asdict().items()},
    }


def _doubts(found: Surveyed) -> dict[str, Any]:
    """Standard uncertainties from the points alone, of what else is printed."""
    cut = found.cut
    return {
        "flatness_mm": found.flatness.u,
        "certificate_mm": found.certificate.u if found.certificate else None,
        "finished_height_mm": cut.finished_height.u,
        "least_mm": cut.least.u,
        "most_mm": cut.most.u,
        "corners_mm": {name: depth.u for name, depth in cut.corners.items()},
        "cylinders_mm": {str(number): depth.u for number, depth in cut.cylinders.items()},
        "least_cut_slope_along_mm_per_m": _per_m(found.least_cut.slope_u.along),
        "least_cut_slope_across_mm_per_m": _per_m(found.least_cut.slope_u.across),
        "highest_clean_mm": found.highest.u,
    }
