"""What is to be said of the logbook: readings set aside, gauges in doubt, contradictions."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator

from ..digits import number_of
from ..fields import field_at
from ..measuring.cause_words import cause_words, reading_words
from ..measuring.gauges import compare_gauges, suspects, wants_check
from ..measuring.logbook import READABLE, Logbook, Reading
from ..measuring.scatter import series_scatter
from ..measuring.selection import ReadingSelection, RejectedReading, spots_of
from ..place import Place
from ..sentence import sentence
from ..written import Length, Number, Volume
from .registry import Case, Judges
from .said import Code, Said, said

JUDGES = Judges()

ZERO_MOVED = Code(
    "zero-moved",
    "warn",
    "The zero {zero} came back by more than one resolution: {count} taken against it do not count.",
    "A gauge that has moved on its datum moved for every reading in between.",
    do="Zero it again and read those places once more.",
)
SET_ASIDE = Code(
    "readings-set-aside",
    "note",
    "{count} of {what} set aside: {why}.",
    "Readings under other conditions, or on another surface, are never averaged with the rest.",
    do="Look at them in the logbook; void what was a slip.",
)
CHECK_FAILED = Code(
    "gauge-check-failed",
    "warn",
    "The gauge {gauge} failed its check: {count} since its last good one are in doubt, and what rests on them.",
    "Nobody knows when it went off. No figure was changed.",
    do="Read those places again with a gauge that was checked.",
)
WANTS_CHECK = Code(
    "gauge-wants-check",
    "warn",
    "The gauge {gauge} was {what} and has not been checked since; {count} taken with it after that.",
    "A knock can bend a stem or move a scale without a mark to be seen.",
    do="Check it on its master before its next reading.",
)
TOO_COARSE = Code(
    "gauge-too-coarse",
    "note",
    "The gauge {gauge} steps by {step}: more than a fifth of the {span} that is asked of the {what}.",
    "A gauge cannot hold a tolerance that is a few of its own steps.",
    do="Read with a finer one.",
)
GAUGE_UNKNOWN = Code(
    "gauge-not-known",
    "note",
    "{count} with a gauge of which nothing is known; the house's figures stand in.",
    "Without resolution and doubt of the gauge a band is the house's guess.",
    do="Enter the gauge, and name it with the readings.",
)
GAUGES_DIFFER = Code(
    "gauges-differ",
    "note",
    "{what} reads {one} with {first} and {other} with {second}: E = {e}.",
    "Above 2 two gauges seldom agree by chance; neither was averaged away, {used} is used.",
    do="Check both on one master.",
)
SCATTERS = Code(
    "series-scatters",
    "warn",
    "The readings of {what} scatter {times} times as widely as all others of their kind.",
    "Dirt, a loose stand or one misread figure among them looks like this.",
    do="Read that place again and void what was a slip.",
)
ALIKE = Code(
    "identical-everywhere",
    "note",
    "{count} holes read exactly the same {what}.",
    "Parts differ and gauges scatter; figures all alike are often one figure written down again.",
    do="Read one hole again with the gauge set anew.",
)
SINGLE = Code(
    "single-readings",
    "note",
    "{what}: read once only.",
    "With single readings the usual scatter of the gauge stands in; the band is then no promise of 95 %.",
    do="Read once more where it matters.",
)
CAUSE = Code(
    "probable-cause",
    "warn",
    "{cause}",
    "It explains {share} % of what contradicts; all readings and paper figures were weighed together.",
    do="Do not correct a figure for it: take the reading that decides, then void or replace.",
)


def _facts(case: Case) -> tuple[Logbook, ReadingSelection] | None:
    build = case.build
    return None if build.logbook is None or build.in_use is None else (build.logbook, build.in_use)


@JUDGES.of_engine(ZERO_MOVED, SET_ASIDE)
def set_aside(case: Case) -> Iterable[Said]:
    """Readings that do not count, by reason."""
    if (facts := _facts(case)) is None:
        return
    _, used = facts
    by_zero: dict[str, list[RejectedReading]] = {}
    others: dict[tuple[str, str], list[RejectedReading]] = {}
    for one in used.aside:
        if one.reason == "zero-moved":
            by_zero.setdefault(one.reading.zero, []).append(one)
        elif one.reason not in ("voided", "cut-since"):
            others.setdefault((one.reason, one.reading.figure), []).append(one)
    for zero, several in by_zero.items():
        # Where every place was read again since, it is only to be known.
        again = all(one.reading.place in used.series for one in several)
        place = several[0].reading.place
        yield said(ZERO_MOVED, place, "note" if again else None, zero=zero, count=_readings(several))
    for (_, figure), several in others.items():
        what = READABLE[figure].label
        yield said(
            SET_ASIDE, several[0].reading.place, count=_readings(several), what=what, why=several[0].why
        )


def _readings(several: Iterable[object]) -> str:
    return number_of(len(list(several)), "reading")


@JUDGES.of_engine(CHECK_FAILED, WANTS_CHECK, GAUGE_UNKNOWN)
def gauges(case: Case) -> Iterable[Said]:
    """Gauges whose check failed, that were dropped, or of which nothing is known."""
    if (facts := _facts(case)) is None:
        return
    logbook, _ = facts
    standing = [one for one in logbook.readings if one.id not in logbook.void]
    for gauge in logbook.gauges.values():
        own = [one for one in standing if one.gauge == gauge.id]
        if doubtful := suspects(gauge, own):
            yield said(CHECK_FAILED, doubtful[0].place, gauge=gauge.id, count=_readings(doubtful))
        mishap, after = wants_check(gauge, own)
        if mishap is not None and after:
            yield said(WANTS_CHECK, after[0].place, gauge=gauge.id, what=mishap.what, count=_readings(after))
    unknown = [one for one in standing if not one.shots and logbook.gauge_of(one) is None]
    if unknown:
        yield said(GAUGE_UNKNOWN, unknown[0].place, count=_readings(unknown))


@JUDGES.of_engine(TOO_COARSE)
def coarse(case: Case) -> Iterable[Said]:
    """A depth gauge that steps by more than a fifth of what the windows ask."""
    if (facts := _facts(case)) is None:
        return
    logbook, used = facts
    spans = {
        "deck clearance": case.build.targets.deck_clearance.span,
        "{quench}": case.build.targets.quench.span,
    }
    known = [(span, what) for what, span in spans.items() if span]
    if not known:
        return
    span, what = min(known)
    for pool in used.pools.values():
        gauge = (
            logbook.gauges.get(pool.gauge.read_with) if pool.gauge and pool.gauge.read_with else pool.gauge
        )
        if pool.figure == "deck_clearance" and gauge and pool.resolution > span / 5 * (1 + 1e-9):
            yield said(
                TOO_COARSE,
                Place.engine("targets"),
                gauge=gauge.id,
                step=Length(pool.resolution, pool.resolution / 4),
                span=Length(span, span / 20),
                what=sentence(what),
            )


@JUDGES.of_engine(GAUGES_DIFFER)
def two_gauges(case: Case) -> Iterable[Said]:
    """Two gauges on one dimension that do not agree."""
    for place, e, one, other in compare_gauges(case.build):
        if e <= 2:
            continue
        kind = field_at(place).kind
        write = Volume if kind.value == "volume" else Length
        yield said(
            GAUGES_DIFFER,
            place,
            "warn" if e > 3 else None,
            what=reading_words(one.readings[0]).capitalize(),
            one=write(one.value),
            other=write(other.value),
            first=one.tool,
            second=other.tool,
            used=one.tool,
            e=Number(e, 1),
        )


@JUDGES.of_engine(SCATTERS, ALIKE, SINGLE)
def scatter(case: Case) -> Iterable[Said]:
    """Series that scatter too much, or not at all, or that are none."""
    if (facts := _facts(case)) is None:
        return
    _, used = facts
    single: list[str] = []
    by_pool: dict[str, list[tuple[Place, list[Reading]]]] = {}
    for place, series in used.series.items():
        readings = list(series.readings)
        by_pool.setdefault(series.pool.key, []).append((place, readings))
        # Spots of one place may differ: only what was read at the same spot is a repeat.
        repeats = (series_scatter([one.value for one in group]) for group in spots_of(readings).values())
        own = max((one for one in repeats if one is not None), default=0.0)
        spread = math.sqrt(series.pool.variance_of(readings))
        if own > 3 * spread > 0:
            yield said(SCATTERS, place, what=reading_words(readings[0]), times=Number(own / spread, 1))
        if len(readings) == 1:
            single.append(READABLE[readings[0].figure].label)
    for several in by_pool.values():
        values = {one.value for _, readings in several for one in readings}
        if len(several) > 2 and len(values) == 1:
            figure = READABLE[several[0][1][0].figure].label
            yield said(ALIKE, several[0][0], count=str(len(several)), what=figure)
    if single:
        names = ", ".join(dict.fromkeys(single))
        yield said(SINGLE, Place.engine("readings"), what=names[:1].upper() + names[1:])


@JUDGES.of_engine(CAUSE)
def probable_cause(case: Case) -> Iterator[Said]:
    """What is probably wrong where readings and paper contradict one another."""
    if (facts := _facts(case)) is None:
        return
    from ..measuring.causes import causes

    logbook, _ = facts
    listed = causes(case.build, case.rules)
    for cause in listed[:1]:
        # As long as it may be another cause as well, its holes are unsettled too; what is nobody's is everybody's.
        holes = [n for one in listed for n in one.cylinders or case.build.cylinders]
        where = Place.of_holes(dict.fromkeys(holes)) if holes else Place.engine("readings")
        yield said(
            CAUSE,
            where,
            cause=cause_words(cause, logbook),
            share=Number(100 * cause.explains),
        )
