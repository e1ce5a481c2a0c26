"""What pages of decks and heads share: a face drawn from above, and what its survey comes to in words."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from markupsafe import Markup

from zygometra.core.digits import figure
from zygometra.core.faces.bend import shape_of
from zygometra.core.faces.model import Pair, Plane, Spot, Survey
from zygometra.core.faces.survey import Depth, Surveyed
from zygometra.core.measuring.faces import Face
from zygometra.core.units import THOU, from_base
from zygometra.core.wording import Reader
from zygometra.drawing.face import PointDrawn, SpotDrawn, face_from_above

from ..build.bench import Bench

_VERDICTS = {
    "leave": ("done", "flat enough for its gasket"),
    "face": ("part", "wants facing"),
    "cannot be saved": ("blocked", "cannot be saved"),
}


class FaceLine(NamedTuple):
    """One line of what a survey comes to: name, figure, and what stands beside it."""

    name: str
    value: str
    beside: str = ""


def verdict_words(found: Surveyed) -> tuple[str, str]:
    """Return the state of a face, and the verdict in words."""
    if found.survey.flatness_limit is None and found.verdict == "face":
        return "part", "no gasket named: out of flat is not judged"
    return _VERDICTS[found.verdict]


def drawing_of(
    bench: Bench, face: Face, cuts: Mapping[Spot, str], about: Plane, label: str
) -> tuple[Markup, int]:
    """Return a face from above, its points' errors about a plane magnified, and the factor.

    Parameters
    ----------
    bench : Bench
        The build.
    face : Face
        A deck or a head.
    cuts : Mapping
        What is written at corners and holes.
    about : Plane
        The plane that errors are counted from.
    label : str
        What the drawing shows.
    """
    found, reader = face.found, bench.reader
    level = [(p.z or 0.0) - about.at(p.x, p.y) for p in found.survey.points]
    middle = (max(level) + min(level)) / 2
    points = [
        PointDrawn(
            x=p.x,
            y=p.y,
            off=off - middle,
            holds=i in found.held_by,
            says=_point_words(i, p.x, y=p.y, off=off - middle, reader=reader),
        )
        for i, (p, off) in enumerate(zip(found.survey.points, level, strict=True))
    ]
    bore = bench.build.figures.get("parts.block.bore")
    radius = bore.value / 2 if bore is not None else 0.0
    corners = [SpotDrawn(s.x, s.y, cuts.get(s, ""), name) for name, s in found.survey.corners.items()]
    holes = [
        SpotDrawn(x=s.x, y=s.y, words=cuts.get(s, ""), name=str(number), radius=radius)
        for number, s in found.survey.cylinders.items()
    ]
    svg, factor = face_from_above(points, corners, holes, label)
    return Markup(svg), factor


def _point_words(i: int, x: float, y: float, off: float, reader: Reader) -> str:
    way = "high" if off >= 0 else "low"
    return f"point {i + 1} at {figure(x, 0)} / {figure(y, 0)} mm: {reader.length(abs(off))} {way}"


def slope_words(slope: float | None, u: float | None, reader: Reader, ends: tuple[str, str]) -> str:
    """Return a slope per metre with the side that is higher; that it was not looked at where it is None."""
    if slope is None:
        return "not checked"
    over, called = per_length(reader)
    words = reader.length(abs(slope) * over, over * (u or 0.0))
    return f"{words} per {called}, higher at the {ends[0] if slope >= 0 else ends[1]}"


ALONG, ACROSS = ("rear", "front"), ("intake", "exhaust")


def shape_facts(face: Survey, found: Surveyed, reader: Reader) -> list[FaceLine]:
    """Return how flat a face is: overall, over 150 mm, its bow and twist, and what holds its plane."""
    limit = "" if face.flatness_limit is None else f"{reader.limit(face.flatness_limit)} allowed"
    local = "" if face.flatness_150_limit is None else f"{reader.limit(face.flatness_150_limit)} allowed"
    out = [
        FaceLine("Out of flat", reader.length(found.flatness.mm, found.flatness.u), limit),
        FaceLine("Over any 150 mm", reader.length(found.over_150, found.flatness.u), local),
    ]
    shape = shape_of(face)
    if shape is not None:
        out.append(FaceLine("Bow along", _bow(shape.bow_along, reader)))
        if shape.bow_across is not None:
            out.append(FaceLine("Bow across", _bow(shape.bow_across, reader)))
        if shape.twist is not None:
            out.append(
                FaceLine("Twist, corner against corner", reader.length(abs(shape.twist.mm), shape.twist.u))
            )
    if found.certificate is not None:
        words = reader.length(found.certificate.mm, found.certificate.u)
        out.append(FaceLine("No tilt cleans it for less than", words, "by its four corners"))
    held = ", ".join(str(i + 1) for i in found.held_by)
    out.append(FaceLine("Its plane is held by points", held, "raising one lowers another"))
    return out


def _bow(bow: Depth, reader: Reader) -> str:
    if bow.mm == 0 or bow.u == float("inf"):
        return "not checked"
    return f"middle {reader.length(abs(bow.mm), bow.u)} {'high' if bow.mm > 0 else 'low'}"


def shim_words(shim: Pair, reader: Reader) -> str:
    """Return what goes under which support; empty where no span is known."""
    parts = []
    for mm, ends in ((shim.along, ALONG), (shim.across, ACROSS)):
        if mm is not None and abs(mm) >= 0.0005:
            parts.append(f"{reader.length(abs(mm))} under the {ends[0] if mm > 0 else ends[1]}")
    return ", ".join(parts)


def cut_rows(found: Surveyed, reader: Reader) -> list[tuple[str, str, str]]:
    """Return where the cut is told, how deep, and its band."""
    rows: list[tuple[str, Depth]] = [(name, depth) for name, depth in found.cut.corners.items()]
    rows += [(f"hole {number}", depth) for number, depth in found.cut.cylinders.items()]
    return [
        (name, reader.length(depth.mm, depth.u), f"± {reader.band(1.96 * depth.u)}" if depth.u else "")
        for name, depth in rows
    ]


def short_cuts(found: Surveyed, depths: Mapping[Any, float], reader: Reader) -> dict[Spot, str]:
    """Return depths as they stand in a drawing, by their spot."""
    spots: dict[Any, Spot] = {**found.survey.corners, **found.survey.cylinders}
    return {spots[key]: plain(mm, reader) for key, mm in depths.items() if key in spots}


def plain(mm: float, reader: Reader) -> str:
    """Return a depth as it stands in a drawing: hundredths of a mm, or thou, without its unit."""
    return figure(from_base(mm, THOU), 1) if reader.system == "inch" else figure(mm, 2)


def per_length(reader: Reader) -> tuple[float, str]:
    """Return over which length a reader tells a slope, in mm, and what it is called."""
    return (304.8, "foot") if reader.system == "inch" else (1000.0, "metre")
