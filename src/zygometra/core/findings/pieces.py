"""What is to be said of pieces and bores as they were read: against their paper, and against a round, straight hole."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

from ..measuring.faults import PIECES
from ..measuring.logbook import READABLE
from ..measuring.selection import Series
from ..place import Scope
from ..sentence import sentence
from ..usual_figures import piece_scatter
from ..written import Length, Limit
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

OFF_PAPER = Code(
    "piece-off-paper",
    "note",
    "Hole {hole}: the {piece} reads {read}, {off} {way} than its paper figure of {paper}.",
    "A piece that was read counts as it was read; one that stands off its paper by {times} times their joint doubt "
    "is often one of another set, or was machined before.",
    do="Look at its marks and read it again; then order and plan by what was read.",
)
OVAL = Code(
    "bore-oval",
    "note",
    "Hole {hole}: the bore is oval by {apart}{at}.",
    "Rings wear a bore across the pin; they seal a round one.",
    do="Read it at three depths on both axes, and look which size cleans it up.",
)
TAPERED = Code(
    "bore-tapered",
    "note",
    "Hole {hole}: the bore is tapered by {apart} along the {axis} axis.",
    "A bore wears most where the top ring turns round.",
    do="Read it at three depths on both axes, and look which size cleans it up.",
)
# Beyond so many times the doubt of a difference, and no less than this in mm, a bore is worn and not misread.
_TIMES, _LEAST = 3.0, 0.01
_NAMES = {"length": "rod", "compression_height": "piston"}


@JUDGES.of_engine(OFF_PAPER)
def against_paper(case: Case) -> Iterator[Said]:
    """Rods and pistons that were read, each against its paper figure; one set moved round once."""
    used, paper = case.build.in_use, case.build.paper or {}
    for place, series in used.series.items() if used is not None else ():
        figure = series.readings[0].figure
        stated = paper.get(READABLE[figure].path)
        if figure not in PIECES or stated is None or place.scope is not Scope.HOLE:
            continue
        read = case.build.figures[str(place)]
        joint = math.sqrt(read.u**2 + stated.u**2 + (0.0 if stated.each else piece_scatter(figure)) ** 2)
        off = read.value - stated.value
        if joint > 0 and abs(off) > case.rules["disagreement"] * joint:
            yield said(
                OFF_PAPER,
                place,
                hole=str(place.number),
                piece=_NAMES[figure],
                read=Length(read.value, read.u),
                off=Length(abs(off), joint),
                way="more" if off > 0 else "less",
                paper=Length(stated.value, max(stated.u, 0.005)),
                times=f"{abs(off) / joint:.1f}",
            )


@JUDGES.of_engine(OVAL, TAPERED)
def worn(case: Case) -> Iterable[Said]:
    """Bores that differ between their axes, or between depths."""
    used = case.build.in_use
    for place, series in used.series.items() if used is not None else ():
        if series.readings[0].figure != "bore" or place.scope is not Scope.HOLE:
            continue
        spots = _spots(series)
        if (oval := _oval(spots)) is not None:
            apart, u, depth = oval
            at = "" if depth is None else sentence(" at a depth of {depth}", depth=Limit(depth))
            yield said(OVAL, place, hole=str(place.number), apart=Length(apart, u), at=at)
        if (taper := _taper(spots)) is not None:
            apart, u, axis = taper
            yield said(TAPERED, place, hole=str(place.number), apart=Length(apart, u), axis=axis)


# Mean and doubt of what was read at a depth on an axis.
_Spots = dict[tuple[float | None, str], tuple[float, float]]


def _spots(series: Series) -> _Spots:
    grouped: dict[tuple[float | None, str], list[float]] = {}
    for one in series.readings:
        if one.spot.axis:
            grouped.setdefault((one.spot.depth, one.spot.axis), []).append(one.value)
    variance = series.pool.variance_of(series.readings) + series.pool.resolution**2 / 12
    return {
        spot: (math.fsum(values) / len(values), math.sqrt(variance / len(values)))
        for spot, values in grouped.items()
    }


def _apart(one: tuple[float, float], other: tuple[float, float]) -> tuple[float, float] | None:
    """How far two means lie apart with the doubt of that; None where that is nobody's wear."""
    apart, u = abs(one[0] - other[0]), math.hypot(one[1], other[1])
    return (apart, u) if apart > max(_TIMES * u, _LEAST) else None


def _oval(spots: _Spots) -> tuple[float, float, float | None] | None:
    """The largest difference between the axes at one depth."""
    found = [
        (*apart, depth)
        for (depth, axis), mean in spots.items()
        if axis == "pin" and (other := spots.get((depth, "thrust"))) and (apart := _apart(mean, other))
    ]
    return max(found, key=lambda one: one[0], default=None)


def _taper(spots: _Spots) -> tuple[float, float, str] | None:
    """The largest difference between depths on one axis."""
    found = []
    for axis in ("thrust", "pin"):
        means = [mean for (_, on), mean in spots.items() if on == axis]
        if len(means) > 1 and (apart := _apart(min(means), max(means))):
            found.append((*apart, axis))
    return max(found, key=lambda one: one[0], default=None)
