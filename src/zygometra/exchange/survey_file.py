"""A surveyed face as a file: text to survey, and what it comes to."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Annotated, Any, Literal

from zygometra.core.errors import BuildFaults, Fault, QuantityError, shown
from zygometra.core.faces.facing import SupportSpan
from zygometra.core.faces.model import SET_UPS, FaceKind, Pass, Plane, Point, SetUp, Spot, Survey
from zygometra.core.faces.survey import FaceCut, Surveyed, survey
from zygometra.core.findings.faces import survey_says
from zygometra.core.findings.said import RANK, render
from zygometra.core.measuring.face_surveys import RailSlopes
from zygometra.core.quantity import Quantity, Unstated
from zygometra.core.records import ListOf, MapOf, Nested, Record, Wrong
from zygometra.core.slots import HOLE, ID, NAME, Figure, OneOf, Whole, length
from zygometra.core.units import Kind
from zygometra.core.wording import Reader

from .build_file import document_from_text
from .logbook_faults import plane_faults
from .plain_json import unstorable

_PER_M = 1000.0
MOST_POINTS = 20_000


class _Index(Whole):
    """The index of a point."""

    def read(self, raw: Any, unstated: Unstated) -> int:
        """Return it."""
        if isinstance(raw, int) and not isinstance(raw, bool) and raw >= MOST_POINTS:
            raise QuantityError(shown(raw), f"input should be less than {MOST_POINTS}")
        return super().read(raw, unstated)


class _Drawn(Figure):
    """A height of a drawing: nothing stands in for what it does not say of its own doubt."""

    def read(self, raw: Any, _unstated: Unstated) -> Any:
        """Return the quantity."""
        return super().read(raw, "zero")


_INDEX = _Index(0, MOST_POINTS - 1)


_ALONG, _DEPTH = length(-20_000, 20_000), length(0, 50)


class HolePlace(Record, frozen=True, kw_only=True, eq=False):
    """Where a hole lies on the face, in mm."""

    number: Annotated[int, HOLE]
    x: Annotated[float, _ALONG]
    y: Annotated[float, _ALONG]


class SweptPoint(Record, frozen=True, kw_only=True, eq=False):
    """A point: where it is in mm, and how high; a skim log may leave the height out."""

    x: Annotated[float, _ALONG]
    y: Annotated[float, _ALONG]
    z: Annotated[Quantity | None, Figure(Kind.LENGTH, "surveyed", -20_000, 20_000)] = None


class JustCleaned(Record, frozen=True, kw_only=True, eq=False):
    """Just cleaned: so much at the lowest point, in mm."""

    allowance: Annotated[float, _DEPTH] = 0.0


class CutTarget(Record, frozen=True, kw_only=True, eq=False):
    """What the cut is to reach: everything clean, or a height in mm."""

    clean: Annotated[JustCleaned | None, Nested(JustCleaned)] = None
    height: Annotated[float | None, _ALONG] = None


class HeightLimit(Record, frozen=True, kw_only=True, eq=False):
    """How far the face may come down, in mm."""

    least_height: Annotated[float, _ALONG]


class SkimPass(Record, frozen=True, kw_only=True, eq=False):
    """One pass of a skim log: its own depth in mm, the points first reached, the points left clean."""

    depth: Annotated[float, _DEPTH]
    touched: Annotated[tuple[int, ...], ListOf(_INDEX, MOST_POINTS)] = ()
    clean: Annotated[tuple[int, ...], ListOf(_INDEX, MOST_POINTS)] = ()


class SurveyFile(Record, frozen=True, kw_only=True, eq=False):
    """One surveyed face, version 1."""

    format: Annotated[str, OneOf("zygometra.survey")]
    version: Annotated[int, OneOf(1)]
    name: Annotated[str, NAME] = ""
    face: Annotated[FaceKind, OneOf("deck", "head")]
    unstated_doubt: Annotated[Unstated, OneOf("house", "zero", null=False)] = "house"
    points: Annotated[tuple[SweptPoint, ...], ListOf(Nested(SweptPoint), MOST_POINTS, 1, null=False)]
    corners: Annotated[dict[str, tuple[float, float]], MapOf(ID, ListOf(_ALONG, 2, 2), 40)] = {}
    cylinders: Annotated[tuple[HolePlace, ...], ListOf(Nested(HolePlace), 99)] = ()
    drawing_height: Annotated[Quantity | None, _Drawn(Kind.LENGTH, "exact", -20_000, 20_000)] = None
    support_span: Annotated[SupportSpan, Nested(SupportSpan)] = SupportSpan()
    set_up: Annotated[SetUp | Literal[""], OneOf(*SET_UPS)] = ""
    rail_slope: Annotated[RailSlopes, Nested(RailSlopes)] = RailSlopes()
    target: Annotated[CutTarget, Nested(CutTarget)] = CutTarget()
    limit: Annotated[HeightLimit | None, Nested(HeightLimit)] = None
    flatness_limit: Annotated[float | None, length(0, 20_000)] = None
    flatness_150_limit: Annotated[float | None, length(0, 20_000)] = None
    passes: Annotated[tuple[SkimPass, ...], ListOf(Nested(SkimPass), 2000)] = ()


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
    doubt = document.get("unstated_doubt")
    try:
        file = SurveyFile.read(dict(document), "zero" if doubt == "zero" else "house")
    except Wrong as error:
        raise BuildFaults(list(error.at(""))) from None
    faults = list(_cross_faults(file))
    if faults:
        raise BuildFaults(faults)
    return _survey(file)


def _cross_faults(file: SurveyFile) -> Iterator[Fault]:
    """What the shape alone cannot tell."""
    points = file.points
    if file.target.clean is not None and file.target.height is not None:
        yield Fault("target", "clean and height", "one of the two")
    numbers = [cylinder.number for cylinder in file.cylinders]
    for i, number in enumerate(numbers):
        if number in numbers[:i]:
            yield Fault(f"cylinders[{i}].number", f"cylinder {number} twice", "each cylinder once")
    for i, one in enumerate(file.passes):
        for key, named in (("touched", one.touched), ("clean", one.clean)):
            for j, index in enumerate(named):
                if index >= len(points):
                    wanted = f"the index of a point, 0 to {len(points) - 1}"
                    yield Fault(f"passes[{i}].{key}[{j}]", str(index), wanted)
    missing = [i for i, point in enumerate(points) if point.z is None]
    if not missing:
        yield from plane_faults("points", points)
    elif not file.passes:
        for i in missing[:20]:
            yield Fault(
                f"points[{i}].z", "nothing", "a height; only a skim log, with passes, may leave it out"
            )


def _survey(file: SurveyFile) -> Survey:
    drawn, clean = file.drawing_height, file.target.clean
    heights = [point.z for point in file.points]
    return Survey(
        face=file.face,
        points=tuple(
            Point(point.x, point.y, z.value if z else None, z.u if z else 0.0)
            for point, z in zip(file.points, heights, strict=True)
        ),
        corners={name: Spot(x, y) for name, (x, y) in file.corners.items()},
        cylinders={one.number: Spot(one.x, one.y) for one in file.cylinders},
        drawing_height=drawn.value if drawn else None,
        drawing_u=drawn.u if drawn else 0.0,
        support_span=file.support_span.pair,
        set_up=file.set_up,
        rail_slope=file.rail_slope.pair,
        allowance=clean.allowance if clean else 0.0,
        height=file.target.height,
        least_height=None if file.limit is None else file.limit.least_height,
        flatness_limit=file.flatness_limit,
        flatness_150_limit=file.flatness_150_limit,
        doubt_is_house=any(z is not None and z.doubt == "house" for z in heights),
        passes=tuple(Pass(one.depth, one.touched, one.clean) for one in file.passes),
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
