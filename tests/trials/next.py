"""What to measure next: readings and minutes to the same doubt, against a fixed order."""

from __future__ import annotations

from statistics import median

from support.engines import GAUGES, engine
from trials.study import Table, over_all, percent
from zygometra.core.measuring.read_in import read_measured
from zygometra.core.measuring.what_next import what_next
from zygometra.core.place import Scope
from zygometra.core.stack.evaluate import state_now
from zygometra.core.usual_figures import ZERO_MINUTES, minutes_of

READ = (*GAUGES, "chamber_volume")
# As a shop goes through an engine: figure by figure, hole by hole, and round again.
ORDER = ("deck_clearance", "compression_height", "length", "bore", "chamber_volume")
MOST = 120


def worst(document: dict) -> float:
    """The doubt of the ratio in the hole where it is largest."""
    holes = state_now(read_measured(document)).holes
    return max(hole.outcome.doubts.compression_ratio.u for hole in holes)


def one_engine(seed: int) -> tuple[int, float, int, float]:
    """Readings and minutes by advice, and in the fixed order, to the doubt that the order reaches in two rounds."""
    made = engine(seed)
    made.document["planned"] = []
    fixed, minutes = made.copy(), 0.0
    count = 0
    for _ in range(2):
        for figure in ORDER:
            for hole in fixed.holes:
                fixed.document["readings"].append(fixed.reading(figure, hole))
                count, minutes = count + 1, minutes + minutes_of(figure)
    target = worst(fixed.document) * 1.02
    advised, spent, taken, zeros = made.copy(), 0.0, 0, 1
    while worst(advised.document) > target and taken < MOST:
        advice = _doable(advised)
        if advice is None:
            break
        if advice.zero == "new":
            zeros, spent = min(zeros + 1, 8), spent + ZERO_MINUTES
        hole = advice.place.number
        reading = advised.reading(advice.figure, hole, zero=f"z{zeros}")
        reading["id"] = f"n{taken}"
        advised.document["readings"].append(reading)
        taken, spent = taken + 1, spent + minutes_of(advice.figure)
    # The fixed order counts only as far as it needed to come to the same doubt.
    return taken, spent, *_needed(fixed.document, target)


def _needed(document: dict, target: float) -> tuple[int, float]:
    readings, minutes = document["readings"], 0.0
    for i, reading in enumerate(readings, start=1):
        minutes += minutes_of(reading["figure"])
        if i % len(ORDER) == 0 and worst({**document, "readings": readings[:i]}) <= target:
            return i, minutes
    return len(readings), minutes


def _doable(made):
    for advice in what_next(read_measured(made.document)).readings:
        if advice.figure in READ and advice.place.scope is Scope.HOLE:
            return advice
    return None


def study(engines: int, seed: int = 3) -> Table:
    """Follow the advice and the order through so many engines."""
    done = over_all(one_engine, range(seed * 10**7, seed * 10**7 + engines))
    taken, spent, count, minutes = (median(one[i] for one in done) for i in range(4))
    fewer = sum(one[0] <= one[2] and one[1] <= one[3] for one in done) / len(done)
    rows = [
        ("by advice", f"{taken:.0f}", f"{spent:.0f}"),
        ("in a fixed order", f"{count:.0f}", f"{minutes:.0f}"),
        ("by advice, no worse in either", percent(fewer), f"{len(done)} engines"),
    ]
    fails = (
        [] if taken < count and spent < minutes else ["advice takes no fewer readings, or no fewer minutes"]
    )
    return Table("What to measure next", ("way", "readings (median)", "minutes (median)"), rows, fails)
