"""What is to be said of the figures themselves, whatever is planned."""

from __future__ import annotations

import math
from bisect import insort
from collections.abc import Iterable

from ..digits import count_of
from ..fields import field_at, place_label
from ..house_rules import SCHOOL
from ..likely import Usual, is_usual, meant_instead
from ..place import Place
from ..quantity import Quantity
from ..stack.arithmetic import deck_clearance
from ..stack.assumed import is_assumed
from ..stack.results import Hole
from ..usual_figures import USUAL_OPENING
from ..written import AsTyped, Clearance, Limit, Number
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

DISAGREES = Code(
    "mock-up-disagrees",
    "note",
    "Hole {hole} reads {read} on the mock-up; its figures give {paper}.",
    "They differ by {times} times their joint doubt. With some fifty ways to be wrong one engine in fifteen "
    "shows such a difference by chance; what is likely to be wrong is said where the odds allow it.",
    do="Read that hole again, and measure its rod and piston.",
)
ADVERTISED = Code(
    "chamber-advertised",
    "warn",
    "{who}: the ratio stands on an advertised chamber volume.",
    "Advertised chambers are often off by a cc or two, and earlier milling is not in them.",
    do="Fill the chambers and enter the shots.",
)
UNSTATED = Code(
    "doubt-not-stated",
    "note",
    "{figures}: no doubt is stated; the house default stands in.",
    "An unknown is not nought: the bands shown lean on the shop's defaults.",
    do="Enter the tolerance, or measure.",
)
IDENTICAL = Code(
    "identical-readings",
    "note",
    "{count} identical readings of {figure}.",
    "Hands and gauges scatter; identical readings are often one reading written again.",
    do="Take one more with the gauge lifted and set again.",
)
UNLIKELY = Code(
    "figure-unlikely",
    "warn",
    "{figure} {value} is not what such a figure usually is, {usual}.{meant}",
    "A slipped point, inches for millimetres or thou for inches look like this.",
    do="Check the figure and its unit.",
)
CREVICE = Code(
    "crevice-not-known",
    "note",
    "{who}: the ring around the top land is taken as nought.",
    "Top land height or diameter is not known; the ratio reads a little high.",
    do="Measure the top land of one piston.",
)
OPENING = Code(
    "gasket-opening-not-told",
    "note",
    "{who}: nobody told the gasket's bore; the cylinder's and {wider} ± {within} stands in.",
    "A gasket's opening may be the bore or two millimetres more, and its volume goes with it.",
    do="Measure its opening, or its area where it is not round.",
)
SCHOOL_UNKNOWN = Code(
    "school-not-known",
    "note",
    "The school “{school}” is not known to this shop.",
    "The shop's own house rules are used.",
    do="Choose one of: {schools}.",
)
_STACK = (
    "parts.block.deck_height",
    "parts.crank.stroke",
    "parts.rod.length",
    "parts.piston.compression_height",
)


@JUDGES.of_engine(DISAGREES)
def disagreement(case: Case) -> Iterable[Said]:
    """A mock-up against the paper stack of the same hole (bench sag allowed for)."""
    times = case.rules["disagreement"]
    for hole in case.now.holes:
        read = hole.sources.get("mock-up.deck_clearance")
        if read is None or any(path not in hole.sources for path in _STACK):
            continue
        height, stroke, rod, piston = (hole.sources[path].quantity for path in _STACK)
        paper = deck_clearance(height.value, stroke.value, rod.value, piston.value)
        joint = math.sqrt(height.u**2 + (stroke.u / 2) ** 2 + rod.u**2 + piston.u**2 + read.quantity.u**2)
        apart = read.quantity.value - paper
        excess = max(0.0, abs(apart) - (case.rules["bench_sag"] if apart > 0 else 0.0))
        if joint <= 0 or excess <= times * joint:
            continue
        yield said(
            DISAGREES,
            Place.hole(hole.number),
            hole=str(hole.number),
            read=Clearance(read.quantity.value),
            paper=Clearance(paper),
            times=Number(excess / joint, 1),
        )


@JUDGES.of_engine(ADVERTISED)
def advertised(case: Case) -> Iterable[Said]:
    """Chambers whose volume is only advertised."""
    chamber = "parts.head.chamber_volume"
    holes = sorted(h.number for h in case.now.holes if _basis(h, chamber) == "advertised")
    if holes:
        yield said(ADVERTISED, Place.engine(chamber), who=count_of(holes, of=len(case.now.holes)))


def _basis(hole: Hole, path: str) -> str:
    source = hole.sources.get(path)
    return "" if source is None else source.quantity.basis


@JUDGES.of_engine(UNSTATED, IDENTICAL)
def doubts(case: Case) -> Iterable[Said]:
    """Figures that count in some hole: without a stated doubt, or with readings all alike."""
    used: dict[str, Quantity] = {}
    for hole in case.now.holes:
        used.update({source.path: source.quantity for source in hole.sources.values()})
    unstated = [path for path, quantity in used.items() if quantity.doubt == "house"]
    if unstated and case.build.unstated_doubt == "house":
        labels = list(dict.fromkeys(field_at(path).label for path in unstated))
        where = unstated[0] if len(unstated) == 1 else "parts"
        yield said(UNSTATED, Place.parse(where), figures=_list_of(labels))
    for path, quantity in used.items():
        if len(quantity.readings) > 2 and len(set(quantity.readings)) == 1:
            count = Number(len(quantity.readings))
            yield said(IDENTICAL, Place.parse(path), count=count, figure=field_at(path).label)


@JUDGES.of_engine(UNLIKELY)
def unlikely(case: Case) -> Iterable[Said]:
    """Figures outside what such a dimension usually is."""
    for path, quantity in case.build.figures.items():
        field = field_at(path)
        if is_usual(field, quantity.value):
            continue
        meant = meant_instead(field, quantity.number, quantity.unit)
        yield said(
            UNLIKELY,
            Place.parse(path),
            figure=place_label(path).capitalize(),
            value=AsTyped(quantity),
            usual=Usual(field),
            meant=f" Was {' or '.join(meant)} meant?" if meant else "",
        )


@JUDGES.of_engine(CREVICE)
def crevice(case: Case) -> Iterable[Said]:
    """Holes whose top land is not known."""
    land = {"parts.piston.top_land_height", "parts.piston.top_land_diameter"}
    holes: list[int] = []
    for hole in case.now.holes:
        if hole.outcome.clearance is not None and not land <= set(hole.sources):
            insort(holes, hole.number)
    if holes:
        yield said(
            CREVICE, Place.engine("parts.piston.top_land_height"), who=count_of(holes, of=len(case.now.holes))
        )


@JUDGES.of_engine(OPENING)
def gasket_opening(case: Case) -> Iterable[Said]:
    """Gaskets of which nobody told the opening."""
    path = "parts.gasket.bore"
    holes = sorted(
        h.number
        for h in case.now.holes
        if (told := h.sources.get(path)) is not None
        and is_assumed(told)
        and h.outcome.gasket_thickness is not None
    )
    if holes:
        wider, within = map(Limit, USUAL_OPENING)
        who = count_of(holes, of=len(case.now.holes))
        yield said(OPENING, Place.engine(path), who=who, wider=wider, within=within)


@JUDGES.of_engine(SCHOOL_UNKNOWN)
def school(case: Case) -> Iterable[Said]:
    """A school that this shop does not know."""
    named = case.build.school
    if named and named not in SCHOOL:
        labels = ", ".join(school.label for school in SCHOOL.values())
        yield said(SCHOOL_UNKNOWN, Place.engine("school"), school=named[:60], schools=labels)


def _list_of(labels: list[str]) -> str:
    text = ", ".join(labels[:4]) + (f" and {len(labels) - 4} more" if len(labels) > 4 else "")
    return text[:1].upper() + text[1:]
