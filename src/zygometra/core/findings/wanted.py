"""What was wanted: quench, ratio and clearance against their windows, holes against one another."""

from __future__ import annotations

from collections.abc import Iterable

from ..build.model import Build
from ..digits import MOST_DECIMALS, decimals_apart, decimals_for, figure, ratio_text, typed_decimals
from ..house_rules import HouseRules
from ..place import Place
from ..sentence import sentence
from ..stack.difference import spread_of_ratio
from ..stack.results import Hole
from ..uncertainty import Uncertainty
from ..windows import Side, Window
from ..written import Clearance, Limit, Number, Ratio, judged
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

UNDER_FLOOR = Code(
    "quench-under-floor",
    "stop",
    "{quench} {gap} is under the house floor of {floor} for {material} rods.",
    "Rod stretch, bearing clearance and rock close the gap at speed; the piston strikes the head.",
    do="Fit a thicker gasket or cut the crown.",
    is_final=True,
)
UNDER_WINDOW = Code(
    "quench-under-window",
    "warn",
    "{quench} {gap} is under the least wanted, {least}.",
    "It is above the house floor, but not what was asked.",
    do="Take less off the deck, or fit a thicker gasket.",
)
OVER_CEILING = Code(
    "quench-over-ceiling",
    "warn",
    "{quench} {gap} is over the ceiling of {ceiling}.",
    "A wide gap holds end gas: it invites knock and wastes the squish.",
    do="Cut the deck or fit a thinner gasket.",
)
MAY_BE_UNDER = Code(
    "quench-may-be-under",
    "warn",
    "{quench} {gap} could lie under {least} within its doubt.",
    "The 95 % band reaches past the floor.",
    do="Measure what carries most of its doubt before cutting.",
)
MAY_BE_OVER = Code(
    "quench-may-be-over",
    "note",
    "{quench} {gap} could lie over {ceiling} within its doubt.",
    "The 95 % band reaches past the ceiling.",
    do="Measure what carries most of its doubt.",
)
NO_GAP_SUITS = Code(
    "quench-ceiling-under-floor",
    "warn",
    "The ceiling of {ceiling} for {quench} lies under the floor of {floor} for {material} rods: no gap suits both.",
    "A school's ceiling is set for the rods it is used to; the floor of the rods in use stands.",
    do="Raise the ceiling, follow another school, or fit other rods.",
)
NOT_BELIEVABLE = Code(
    "ratio-not-believable",
    "stop",
    "ratio {ratio} cannot be right.",
    "A volume above the piston is far too small: one of its figures is a slip of the pen.",
    do="Look at the working of that hole; start with the chamber.",
)
NOT_USUAL = Code(
    "ratio-unlikely",
    "warn",
    "ratio {ratio} is not what engines have, {low} to {high}.",
    "One of the volumes or lengths behind it is likely a slip of the pen, or a wrong part.",
    do="Look at the working of that hole; start with the chamber.",
)
RATIO_MAY_BE_OUTSIDE = Code(
    "ratio-may-be-outside",
    "note",
    "ratio {ratio} {side} the window {window} within its doubt.",
    "The 95 % band reaches past the edge.",
    do="Measure the chamber and the stack of that hole.",
)
RATIO_OUTSIDE = Code(
    "ratio-outside-window",
    "warn",
    "ratio {ratio} is {side} the window {window}.",
    "The fuel and the duty were chosen for that window.",
    do="Move a lever: {lever}.",
)
CLEARANCE_OUTSIDE = Code(
    "clearance-outside-window",
    "warn",
    "the piston stops {stands}, {side} than wanted.",
    "The window for deck clearance was set for this build.",
    do="Move the deck or crown cut.",
)
SPREAD = Code(
    "ratio-spread",
    "warn",
    "Holes {low} and {high} differ by {difference} {band} in ratio; at most {limit} is wanted.",
    "The highest hole sets the fuel, the lowest gives the power away.",
    do="Match the chambers: open the smaller one, or cut each deck to its own height.",
)
MAY_SPREAD = Code(
    "ratio-spread-may-exceed",
    "note",
    "Holes {low} and {high} differ by {difference} {band} in ratio: it could be more than the {limit} wanted.",
    "The 95 % band of the difference reaches past the limit. The largest of several differences reads high "
    "where doubts are large: part of it is doubt.",
    do="Fill the chambers and measure what differs hole by hole.",
)


def quench_window(build: Build, rules: HouseRules) -> Window:
    """Return the window that the quench of a build is judged by.

    Parameters
    ----------
    build : Build
        Its own window.
    rules : HouseRules
        The floor for its rods, below which no window reaches, and the ceiling where
        the build sets none.

    Returns
    -------
    Window
        In mm; the aim is None where none is set.
    """
    own = build.targets.quench
    ceiling = own.high if own.high is not None else rules["quench_ceiling"]
    return Window(own.low, own.aim, ceiling).over_floor(rules.quench_floor(build.rod_material))


def _side(window: Window, value: float, spread: Uncertainty) -> Side:
    """Where an estimate lies against a window, its 95 % band counted."""
    return window.side(value, spread.half)


_QUENCH = {
    Side.UNDER: UNDER_WINDOW,
    Side.OVER: OVER_CEILING,
    Side.MAY_BE_UNDER: MAY_BE_UNDER,
    Side.MAY_BE_OVER: MAY_BE_OVER,
}


@JUDGES.of_hole(UNDER_FLOOR, UNDER_WINDOW, OVER_CEILING, MAY_BE_UNDER, MAY_BE_OVER)
def quench(case: Case, hole: Hole) -> Said | None:
    """Quench against the house's floor, then against its window."""
    o = hole.outcome
    if o.quench is None:
        return None
    floor = case.rules.quench_floor(case.build.rod_material)
    if Window(low=floor).miss(o.quench):
        gap, edge = judged(o.quench, floor, o.doubts.quench.u)
        return said(UNDER_FLOOR, gap=gap, floor=edge, material=case.build.rod_material)
    window = quench_window(case.build, case.rules)
    code = _QUENCH.get(_side(window, o.quench, o.doubts.quench))
    if code is None:
        return None
    under = code in (UNDER_WINDOW, MAY_BE_UNDER)
    gap, edge = judged(o.quench, (window.low if under else window.high) or 0.0, o.doubts.quench.u)
    return said(code, gap=gap, least=edge, ceiling=edge)


@JUDGES.of_engine(NO_GAP_SUITS)
def ceiling_under_floor(case: Case) -> Iterable[Said]:
    """The ceiling in force against the floor of the rods in use."""
    window, material = quench_window(case.build, case.rules), case.build.rod_material
    floor = case.rules.quench_floor(material)
    if window.high is not None and window.high < floor:
        where = Place.engine("targets.quench.max")
        yield said(NO_GAP_SUITS, where, ceiling=Limit(window.high), floor=Limit(floor), material=material)


@JUDGES.of_hole(NOT_BELIEVABLE, NOT_USUAL, RATIO_MAY_BE_OUTSIDE, RATIO_OUTSIDE)
def ratio(case: Case, hole: Hole) -> Said | None:
    """The ratio against what any engine has, then against its window."""
    o = hole.outcome
    if o.compression_ratio is None:
        return None
    written = Ratio(o.compression_ratio, o.doubts.compression_ratio.u)
    if o.compression_ratio > case.rules["ratio_believable"]:
        return said(NOT_BELIEVABLE, ratio=written)
    low, high = case.rules["ratio_usual_least"], case.rules["ratio_usual_most"]
    if Window(low, None, high).miss(o.compression_ratio):
        return said(NOT_USUAL, ratio=written, low=Number(low, 1), high=Number(high, 1))
    window = case.build.targets.compression_ratio
    side = _side(window, o.compression_ratio, o.doubts.compression_ratio)
    if side is Side.INSIDE:
        return None
    edge = window.low if side in (Side.UNDER, Side.MAY_BE_UNDER) else window.high
    reads, asked = _against(o.compression_ratio, edge or 0.0, window, o.doubts.compression_ratio.u)
    if side.crosses:
        return said(RATIO_MAY_BE_OUTSIDE, ratio=reads, side=str(side), window=asked)
    lever = "a head or deck cut raises it" if side is Side.UNDER else "an opened chamber lowers it"
    return said(RATIO_OUTSIDE, ratio=reads, side=str(side), window=asked, lever=lever)


def _against(value: float, edge: float, window: Window, u: float) -> tuple[str, str]:
    """A ratio and its window in words, so that they read as they lie."""
    shown = max(2, *(typed_decimals(end) for end in (window.low, window.high) if end is not None))
    of_value, shown = decimals_apart(value, edge, (decimals_for(u, MOST_DECIMALS["ratio"]), shown))
    low, high = (None if end is None else figure(end, shown) for end in (window.low, window.high))
    if low is not None and high is not None:
        words = f"{low} to {high}"
    else:
        words = f"from {low}" if low is not None else f"up to {high}"
    return figure(value, of_value), words


@JUDGES.of_hole(CLEARANCE_OUTSIDE)
def clearance(case: Case, hole: Hole) -> Said | None:
    """Deck clearance against its window; its band is not counted."""
    o = hole.outcome
    if o.deck_clearance is None:
        return None
    side = case.build.targets.deck_clearance.side(o.deck_clearance)
    if not side.outside:
        return None
    stands = Clearance(o.deck_clearance, o.doubts.deck_clearance.u)
    return said(CLEARANCE_OUTSIDE, stands=stands, side="higher" if side is Side.UNDER else "lower")


HEARSAY = Code(
    "window-on-hearsay",
    "warn",
    "The window of the {what} rests on hearsay alone.",
    "What somebody said somewhere is no maker's figure; an engine built to it may be built to a mistake.",
    do="Ask for a second source: the part maker, the engine's own book, the house.",
)


@JUDGES.of_engine(HEARSAY)
def hearsay(case: Case) -> Iterable[Said]:
    """Windows that nobody can name a source for but talk."""
    names = {"compression_ratio": "compression ratio", "deck_clearance": "deck clearance"}
    for name in case.build.targets.on_hearsay():
        what = sentence("{quench}") if name == "quench" else names[name]
        yield said(HEARSAY, Place.engine(f"targets.{name}"), what=what)


@JUDGES.of_engine(SPREAD, MAY_SPREAD)
def spread(case: Case) -> Iterable[Said]:
    """The largest difference of ratio between holes, its band counted."""
    asked = case.build.targets.ratio_spread
    limit = case.rules["ratio_spread"] if asked is None else asked
    found = spread_of_ratio(case.planned)
    if found is None:
        return
    half = found.spread.half
    side = Window(high=limit).side(found.difference, half)
    if side is Side.INSIDE:
        return
    low, high = sorted((found.low, found.high))
    decimals = decimals_for(found.spread.u, MOST_DECIMALS["ratio"]), max(2, typed_decimals(limit))
    of_difference, of_limit = decimals_apart(found.difference, limit, decimals)
    yield said(
        SPREAD if side.outside else MAY_SPREAD,
        Place.of_holes((found.low, found.high)),
        low=str(low),
        high=str(high),
        difference=figure(found.difference, of_difference),
        band=f"± {ratio_text(half, found.spread.u)}" if half else "",
        limit=figure(limit, of_limit),
    )
