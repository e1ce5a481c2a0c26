"""What a builder should be told before metal comes off, worst first.

Each finding says what, why, what to do and where. It is judged on the planned
state (which is today's where nothing is planned), in the reader's units.
"""

from __future__ import annotations

import math
from bisect import insort
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from ..build.lever_table import LEVER
from ..build.levers import limit_of
from ..build.model import Build
from ..fields import field_at
from ..house_rules import SCHOOL, HouseRules
from ..quantity import Quantity, coverage
from ..stack.evaluate import spread_of_ratio
from ..stack.results import Evaluation, Hole, State
from ..units import Kind
from ..windows import Window
from ..wording import Reader, count_of, figure, ratio_text, volume

Severity = Literal["stop", "warn", "note"]
RANK: dict[str, int] = {"stop": 0, "warn": 1, "note": 2}


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing to know: how bad, a stable code, where, what, why, and what to do."""

    severity: Severity
    code: str
    where: str
    says: str
    why: str
    do: str


def findings(
    build: Build, evaluation: Evaluation, rules: HouseRules, reader: Reader | None = None
) -> tuple[Finding, ...]:
    """Return everything worth saying about a build, worst first.

    Parameters
    ----------
    build : Build
        The build.
    evaluation : Evaluation
        Of that build.
    rules : HouseRules
        In force.
    reader : Reader, optional
        Units and words of the sentences; millimetres where left out.

    Returns
    -------
    tuple of Finding
        Stops first, then warnings, then notes.
    """
    write = reader or Reader()
    found = [
        *of_plan(build, evaluation, rules, write),
        *of_figures(build, evaluation.now, rules, write),
    ]
    return worst_first(found)


def worst_first(found: Iterable[Finding]) -> tuple[Finding, ...]:
    """Return findings with stops first, then warnings, then notes."""
    return tuple(sorted(found, key=lambda f: RANK[f.severity]))


def of_plan(build: Build, evaluation: Evaluation, rules: HouseRules, write: Reader) -> list[Finding]:
    """Return what is to be said of the planned state: it changes with every lever."""
    return [
        *_volumes(evaluation.planned),
        *_proud(evaluation.planned, rules, write),
        *_gasket_room(evaluation.planned, rules, write),
        *_top_land(evaluation.planned, write),
        *_quench(build, evaluation.planned, rules, write),
        *_ratio(build, evaluation.planned, rules),
        *_clearance_window(build, evaluation.planned, write),
        *_spread(build, evaluation.planned, rules),
        *_limits(build, rules, write),
        *_elsewhere(build, evaluation, rules, write),
    ]


def of_figures(build: Build, now: State, rules: HouseRules, write: Reader) -> list[Finding]:
    """Return what is to be said of the figures themselves, whatever is planned."""
    return [
        *_disagreement(build, now, rules, write),
        *_displacement(build, now),
        *_data(build, now, write),
    ]


Judged = tuple[Severity, str, str, str, str]


def _by_holes(state: State, judge: Callable[[Hole], Judged | None]) -> Iterator[Finding]:
    """Judge every hole; holes of which the same is to be said share one finding."""
    said: dict[Judged, list[int]] = {}
    outcome = verdict = None
    for hole in state.holes:
        # Holes that nothing sets apart share one outcome: it is judged once.
        if hole.outcome is not outcome:
            outcome, verdict = hole.outcome, judge(hole)
        if verdict is not None:
            insort(said.setdefault(verdict, []), hole.number)
    for (severity, code, says, why, do), numbers in said.items():
        where = "cylinders." + ",".join(map(str, numbers))
        yield Finding(severity, code, where, f"{count_of(numbers)}: {says}", why, do)


def _volumes(state: State) -> Iterable[Finding]:
    def judge(hole: Hole) -> Judged | None:
        if hole.outcome.clearance > 0:
            return None
        terms = hole.outcome.terms._asdict()
        sum_of = " ".join(f"{name} {figure(cc, 2)}" for name, cc in terms.items() if cc)
        return (
            "stop",
            "clearance-volume-impossible",
            f"no room is left above the piston ({sum_of}: {volume(hole.outcome.clearance)}).",
            "The clearance volume must be above nought; one of its terms must be wrong.",
            "Check the dome, the chamber volume and the stack of that hole.",
        )

    return _by_holes(state, judge)


def _proud(state: State, rules: HouseRules, write: Reader) -> Iterable[Finding]:
    def judge(hole: Hole) -> Judged | None:
        o = hole.outcome
        u = o.doubts.deck_clearance[0]
        if o.deck_clearance >= 0:
            return None
        stands = write.clearance(o.deck_clearance, u)
        out = -o.deck_clearance
        land = hole.sources.get("parts.piston.top_land_height")
        if out >= o.gasket_thickness:
            return (
                "stop",
                "proud-over-gasket",
                f"the piston stops {stands}, the gasket is "
                f"{write.length(o.gasket_thickness)} thick: it meets the head.",
                "The crown reaches the head face before top dead centre.",
                "Cut the crown, fit a thicker gasket, or look for the wrong part.",
            )
        if land is not None and out >= land.quantity.value - o.crown_cut:
            return (
                "stop",
                "proud-over-top-land",
                f"the piston stops {stands}, its top land is "
                f"{write.length(land.quantity.value - o.crown_cut)} high: the ring leaves the bore.",
                "The top ring would spring out over the deck.",
                "Cut the crown no further, or look for the wrong part.",
            )
        return (
            "warn",
            "piston-proud",
            f"the piston stops {stands}.",
            "The crown enters the gasket opening and needs room all round.",
            f"Check the gasket opening and keep {write.quench} above its floor.",
        )

    return _by_holes(state, judge)


def _gasket_room(state: State, rules: HouseRules, write: Reader) -> Iterable[Finding]:
    def judge(hole: Hole) -> Judged | None:
        get = hole.sources.get
        gasket, bore = get("parts.gasket.bore"), get("parts.block.bore")
        if gasket is None or bore is None or get("parts.gasket.opening_area") is not None:
            return None
        room = gasket.quantity.value - bore.quantity.value
        if room < 0:
            return (
                "stop",
                "gasket-smaller-than-bore",
                f"the gasket opening {write.length(gasket.quantity.value)} is smaller than the "
                f"bore {write.length(bore.quantity.value)}.",
                "Its edge hangs into the bore, burns, and is struck by a proud crown.",
                "Choose a gasket for this bore.",
            )
        if room < rules["gasket_room"]:
            return (
                "warn",
                "gasket-room",
                f"the gasket opening is only {write.length(room)} larger than the bore "
                f"(house rule {write.length(rules['gasket_room'])}).",
                "It must clear the bore all round, wherever the dowels put it.",
                "Measure the opening and lay the gasket on the dowels.",
            )
        return None

    return _by_holes(state, judge)


def _top_land(state: State, write: Reader) -> Iterable[Finding]:
    def judge(hole: Hole) -> Judged | None:
        get = hole.sources.get
        land, bore = get("parts.piston.top_land_diameter"), get("parts.block.bore")
        height = get("parts.piston.top_land_height")
        if land is not None and bore is not None and land.quantity.value >= bore.quantity.value:
            return (
                "stop",
                "top-land-over-bore",
                f"the top land {write.length(land.quantity.value)} is not smaller than the bore "
                f"{write.length(bore.quantity.value)}.",
                "The piston does not enter the bore; one of the two figures is wrong.",
                "Measure both again.",
            )
        if height is not None and hole.outcome.crown_cut >= height.quantity.value > 0:
            return (
                "stop",
                "crown-cut-through-land",
                f"a crown cut of {write.length(hole.outcome.crown_cut)} takes the whole top land "
                f"of {write.length(height.quantity.value)}.",
                "The top ring groove would be open.",
                "Cut less, or find a piston with less compression height.",
            )
        return None

    return _by_holes(state, judge)


def _beyond(value: float, u: float, dof: float, window: Window) -> str:
    """Where an estimate lies against a window: under, over, its band crosses, or inside."""
    half = coverage(dof) * u if u else 0.0
    if window.low is not None and value < window.low - 1e-9:
        return "under"
    if window.high is not None and value > window.high + 1e-9:
        return "over"
    if window.low is not None and value - half < window.low - 1e-9:
        return "may be under"
    if window.high is not None and value + half > window.high + 1e-9:
        return "may be over"
    return ""


def quench_limits(build: Build, rules: HouseRules) -> tuple[float, float | None, float]:
    """Return least, aim and most of the quench that a build is judged by.

    Parameters
    ----------
    build : Build
        Its own window.
    rules : HouseRules
        The floor for its rods, below which no window reaches, and the ceiling where
        the build sets none.

    Returns
    -------
    tuple
        In mm; the aim is None where none is set.
    """
    window = build.targets.quench
    floor = rules.quench_floor(build.rod_material)
    ceiling = window.high if window.high is not None else rules["quench_ceiling"]
    return max(floor, window.low or 0.0), window.aim, ceiling


def _quench(build: Build, state: State, rules: HouseRules, write: Reader) -> Iterable[Finding]:
    floor = rules.quench_floor(build.rod_material)
    least, _, ceiling = quench_limits(build, rules)
    word = write.quench

    def judge(hole: Hole) -> Judged | None:
        o = hole.outcome
        u, dof = o.doubts.quench
        gap = write.length(o.quench, u)
        if o.quench < floor - 1e-9:
            return (
                "stop",
                "quench-under-floor",
                f"{word} {gap} is under the house floor of {write.limit(floor)} for "
                f"{build.rod_material} rods.",
                "Rod stretch, bearing clearance and rock close the gap at speed; the piston "
                "strikes the head.",
                "Fit a thicker gasket or cut the crown.",
            )
        where = _beyond(o.quench, u, dof, Window(least, None, ceiling))
        if where == "under":
            return (
                "warn",
                "quench-under-window",
                f"{word} {gap} is under the least wanted, {write.limit(least)}.",
                "It is above the house floor, but not what was asked.",
                "Take less off the deck, or fit a thicker gasket.",
            )
        if where == "over":
            return (
                "warn",
                "quench-over-ceiling",
                f"{word} {gap} is over the ceiling of {write.limit(ceiling)}.",
                "A wide gap holds end gas: it invites knock and wastes the squish.",
                "Cut the deck or fit a thinner gasket.",
            )
        if where == "may be under":
            return (
                "warn",
                "quench-may-be-under",
                f"{word} {gap} could lie under {write.limit(least)} within its doubt.",
                "The 95 % band reaches past the floor.",
                "Measure what carries most of its doubt before cutting.",
            )
        if where == "may be over":
            return (
                "note",
                "quench-may-be-over",
                f"{word} {gap} could lie over {write.limit(ceiling)} within its doubt.",
                "The 95 % band reaches past the ceiling.",
                "Measure what carries most of its doubt.",
            )
        return None

    return _by_holes(state, judge)


def _ratio(build: Build, state: State, rules: HouseRules) -> Iterable[Finding]:
    window = build.targets.compression_ratio

    def judge(hole: Hole) -> Judged | None:
        o = hole.outcome
        if o.compression_ratio is None:
            return None
        u, dof = o.doubts.compression_ratio
        if o.compression_ratio > rules["ratio_believable"]:
            return (
                "stop",
                "ratio-not-believable",
                f"ratio {ratio_text(o.compression_ratio, u)} cannot be right.",
                "A volume above the piston is far too small: one of its figures is a slip of the pen.",
                "Look at the working of that hole; start with the chamber.",
            )
        if window.is_open:
            return None
        where = _beyond(o.compression_ratio, u, dof, window)
        asked = _range_text(window)
        if not where:
            return None
        if where.startswith("may"):
            return (
                "note",
                "ratio-may-be-outside",
                f"ratio {ratio_text(o.compression_ratio, u)} {where} the window {asked} within its doubt.",
                "The 95 % band reaches past the edge.",
                "Measure the chamber and the stack of that hole.",
            )
        lever = "a head or deck cut raises it" if where == "under" else "an opened chamber lowers it"
        return (
            "warn",
            "ratio-outside-window",
            f"ratio {ratio_text(o.compression_ratio, u)} is {where} the window {asked}.",
            "The fuel and the duty were chosen for that window.",
            f"Move a lever: {lever}.",
        )

    return _by_holes(state, judge)


def _range_text(window: Window) -> str:
    low, high = window.low, window.high
    if low is not None and high is not None:
        return f"{low:.2f} to {high:.2f}"
    return f"from {low:.2f}" if low is not None else f"up to {high or 0:.2f}"


def _clearance_window(build: Build, state: State, write: Reader) -> Iterable[Finding]:
    window = build.targets.deck_clearance

    def judge(hole: Hole) -> Judged | None:
        u, dof = hole.outcome.doubts.deck_clearance
        where = _beyond(hole.outcome.deck_clearance, u, dof, window)
        if where not in ("under", "over"):
            return None
        stands = write.clearance(hole.outcome.deck_clearance, u)
        side = "higher" if where == "under" else "lower"
        return (
            "warn",
            "clearance-outside-window",
            f"the piston stops {stands}, {side} than wanted.",
            "The window for deck clearance was set for this build.",
            "Move the deck or crown cut.",
        )

    return _by_holes(state, judge)


def _spread(build: Build, state: State, rules: HouseRules) -> Iterable[Finding]:
    spread = spread_of_ratio(state)
    asked = build.targets.ratio_spread
    limit = rules["ratio_spread"] if asked is None else asked
    if spread is None or spread[0] <= limit:
        return
    difference, u, high, low = spread
    yield Finding(
        "warn",
        "ratio-spread",
        f"cylinders.{low},{high}",
        f"Holes {low} and {high} differ by {ratio_text(difference, u)} in ratio; at most "
        f"{limit:.2f} is wanted.",
        "The highest hole sets the fuel, the lowest gives the power away.",
        "Match the chambers: open the smaller one, or cut each deck to its own height.",
    )


def _limits(build: Build, rules: HouseRules, write: Reader) -> Iterable[Finding]:
    for op in dict.fromkeys(item.op for item in build.planned if item.amount):
        limit, source = limit_of(build, op, rules)
        worst: dict[float, list[int]] = {}
        for bank in build.banks:
            for number in bank.cylinders:
                total = sum(
                    item.amount.value
                    for item in build.planned
                    if item.op == op and item.amount and item.acts_on(bank.name, number)
                )
                if total > limit + 1e-9:
                    worst.setdefault(total, []).append(number)
        for total, numbers in worst.items():
            name = op.replace("_", " ")
            text = volume if LEVER[op].kind is Kind.VOLUME else write.limit
            yield Finding(
                "stop",
                "lever-limit",
                "cylinders." + ",".join(map(str, numbers)),
                f"{count_of(numbers)}: {name} of {text(total)} is over the limit of {text(limit)}"
                f"{' (house rule)' if source == 'house' else ''}.",
                "Deck, head, crown and chamber walls need what the limit leaves.",
                "Take less, or share the change with another lever.",
            )


def _disagreement(build: Build, state: State, rules: HouseRules, write: Reader) -> Iterable[Finding]:
    """A mock-up against the paper stack of the same hole (bench sag allowed for)."""
    needed = (
        "parts.block.deck_height",
        "parts.crank.stroke",
        "parts.rod.length",
        "parts.piston.compression_height",
    )
    for hole in state.holes:
        read = hole.sources.get("mock-up.deck_clearance")
        if read is None or any(path not in hole.sources for path in needed):
            continue
        height, stroke, rod, piston = (hole.sources[path].quantity for path in needed)
        paper = height.value - (stroke.value / 2 + rod.value + piston.value)
        joint = math.sqrt(height.u**2 + (stroke.u / 2) ** 2 + rod.u**2 + piston.u**2 + read.quantity.u**2)
        apart = read.quantity.value - paper
        excess = max(0.0, abs(apart) - (rules["bench_sag"] if apart > 0 else 0.0))
        if joint > 0 and excess > rules["disagreement"] * joint:
            yield Finding(
                "stop" if excess > 2 * rules["disagreement"] * joint else "warn",
                "mock-up-disagrees",
                f"cylinders.{hole.number}",
                f"Hole {hole.number} reads {write.clearance(read.quantity.value)} on the mock-up; "
                f"its figures give {write.clearance(paper)}.",
                f"They differ by {excess / joint:.1f} times their joint doubt: a wrong part, a "
                "wrong bearing or a misread gauge is likelier than chance.",
                "Read that hole again, and measure its rod and piston.",
            )


def _displacement(build: Build, state: State) -> Iterable[Finding]:
    stated = build.figures.get("engine.displacement")
    if stated is None:
        return
    apart = abs(state.displacement_cc - stated.value)
    if apart > max(3 * state.displacement_u, 0.005 * state.displacement_cc):
        yield Finding(
            "warn",
            "displacement-differs",
            "engine.displacement",
            f"The stated displacement {figure(stated.value, 0)} cc is not what bore and stroke "
            f"give, {figure(state.displacement_cc, 0)} cc.",
            "A given total that is not the sum of its parts hides a slip in one of them.",
            "Check bore, stroke and number of holes.",
        )


def _data(build: Build, state: State, write: Reader) -> Iterable[Finding]:
    """Findings about the figures themselves, for those that count in some hole."""
    used: dict[str, Quantity] = {}
    without_crevice: list[int] = []
    for hole in state.holes:
        used.update({source.path: source.quantity for source in hole.sources.values()})
        if not {"parts.piston.top_land_height", "parts.piston.top_land_diameter"} <= set(hole.sources):
            insort(without_crevice, hole.number)
    advertised = sorted(
        h.number for h in state.holes if h.sources["parts.head.chamber_volume"].quantity.basis == "advertised"
    )
    if advertised:
        yield Finding(
            "warn",
            "chamber-advertised",
            "parts.head.chamber_volume",
            f"{count_of(advertised)}: the ratio stands on an advertised chamber volume.",
            "Advertised chambers are often off by a cc or two, and earlier milling is not in them.",
            "Fill the chambers and enter the shots.",
        )
    unstated = [path for path, quantity in used.items() if quantity.doubt == "house"]
    if unstated and build.unstated_doubt == "house":
        labels = list(dict.fromkeys(field_at(path).label for path in unstated))
        yield Finding(
            "note",
            "doubt-not-stated",
            unstated[0] if len(unstated) == 1 else "parts",
            f"{_list_of(labels)}: no doubt is stated; the house default stands in.",
            "An unknown is not nought: the bands shown lean on the shop's defaults.",
            "Enter the tolerance, or measure.",
        )
    for path, quantity in used.items():
        if len(quantity.readings) > 2 and len(set(quantity.readings)) == 1:
            yield Finding(
                "note",
                "identical-readings",
                path,
                f"{len(quantity.readings)} identical readings of {field_at(path).label}.",
                "Hands and gauges scatter; identical readings are often one reading written again.",
                "Take one more with the gauge lifted and set again.",
            )
    if without_crevice:
        yield Finding(
            "note",
            "crevice-not-known",
            "parts.piston.top_land_height",
            f"{count_of(without_crevice)}: the ring around the top land is taken as nought.",
            "Top land height or diameter is not known; the ratio reads a little high.",
            "Measure the top land of one piston.",
        )
    if build.school and build.school not in SCHOOL:
        yield Finding(
            "note",
            "school-not-known",
            "school",
            f"The school “{build.school[:60]}” is not known to this shop.",
            "The shop's own house rules are used.",
            "Choose one of: " + ", ".join(school.label for school in SCHOOL.values()) + ".",
        )


def _list_of(labels: list[str]) -> str:
    text = ", ".join(labels[:4]) + (f" and {len(labels) - 4} more" if len(labels) > 4 else "")
    return text[:1].upper() + text[1:]


def _elsewhere(build: Build, evaluation: Evaluation, rules: HouseRules, write: Reader) -> Iterable[Finding]:
    """What lowers the head, and what must be looked at for it."""
    if evaluation.now is evaluation.planned:
        return
    for bank in build.banks:
        before = evaluation.now.hole(bank.cylinders[0]).outcome
        after = evaluation.planned.hole(bank.cylinders[0]).outcome
        lowered = after.deck_cut + after.head_cut - (after.gasket_thickness - before.gasket_thickness)
        if abs(lowered) < rules["lowering_note"]:
            continue
        way = "lower" if lowered > 0 else "higher"
        yield Finding(
            "note",
            "head-moves",
            f"banks.{bank.name}",
            f"The head of bank {bank.name} comes to sit {write.length(abs(lowered))} {way}.",
            "Lifter preload or cam timing, valve-to-piston room and manifold faces move with it.",
            "Check them on the trial assembly before the engine is turned by anything but hand.",
        )
    crown = {h.outcome.crown_cut for h in evaluation.planned.holes if h.outcome.crown_cut}
    if crown:
        yield Finding(
            "note",
            "crown-cut-mass",
            "planned",
            f"Crowns are cut {write.length(max(crown))}: crown thickness, pockets and balance change.",
            "The least crown thickness is the piston maker's figure; a qualified machinist decides.",
            "Measure the crown's thickness, record the arrow marks, balance again.",
        )
