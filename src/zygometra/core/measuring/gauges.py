"""Gauges against their checks and against one another."""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from typing import NamedTuple

from ..build.model import Build
from ..place import Place
from .figures import figure_of
from .logbook import Check, Gauge, Mishap, Reading
from .selection import Series


def suspects(gauge: Gauge, readings: Iterable[Reading]) -> list[Reading]:
    """Return the readings of a gauge that a failed check puts in doubt.

    Parameters
    ----------
    gauge : Gauge
        With its checks.
    readings : iterable of Reading
        Taken with it.

    Returns
    -------
    list of Reading
        Every reading since the last good check before one that failed, until the next good one;
        a reading without a time cannot be cleared.

    Examples
    --------
    >>> from .examples import reading
    >>> good, failed = Check(on="2026-05-01", good=True), Check(on="2026-05-09", good=False)
    >>> gauge = Gauge(id="d", checks=(good, failed))
    >>> [one.id for one in suspects(gauge, [reading("a", at="2026-05-05T09:00:00Z")])]
    ['a']
    """
    spans = list(_doubtful_spans(sorted(gauge.checks, key=lambda check: check.on[:10])))
    return [one for one in readings if any(_within(one.at, span) for span in spans)]


def _doubtful_spans(checks: list[Check]) -> Iterator[tuple[str, str]]:
    """From which day to which readings are in doubt; an empty text has no end on that side."""
    good_before, failing = "", False
    for check in checks:
        if check.good:
            if failing:
                yield good_before, check.on[:10]
            good_before, failing = check.on[:10], False
        else:
            failing = True
    if failing:
        yield good_before, ""


def _within(at: str, span: tuple[str, str]) -> bool:
    day, (start, end) = at[:10], span
    return not day or (day >= start and (not end or day < end))


def wants_check(gauge: Gauge, readings: Iterable[Reading]) -> tuple[Mishap | None, list[Reading]]:
    """Return what happened to a gauge since it was last checked, and what was read with it after that.

    Parameters
    ----------
    gauge : Gauge
        With its checks and mishaps.
    readings : iterable of Reading
        Taken with it.

    Returns
    -------
    mishap : Mishap or None
        The first one without a check on that day or later.
    after : list of Reading
        On that day or later.
    """
    checked = max((check.on[:10] for check in gauge.checks), default="")
    open_ones = sorted((one for one in gauge.mishaps if one.on[:10] > checked), key=lambda one: one.on)
    if not open_ones:
        return None, []
    day = open_ones[0].on[:10]
    return open_ones[0], [one for one in readings if one.at[:10] >= day]


class GaugePair(NamedTuple):
    """One of two gauges on one dimension: what it read, its value in the base unit, its name."""

    readings: tuple[Reading, ...]
    value: float
    tool: str


def compare_gauges(build: Build) -> Iterator[tuple[Place, float, GaugePair, GaugePair]]:
    """Yield E for every place that two gauges read (trade.md 1).

    Parameters
    ----------
    build : Build
        With its logbook in use.

    Yields
    ------
    place : Place
        Of the dimension.
    e : float
        No unit; infinite where neither has a doubt and they differ.
    used, other : GaugePair
        The one in use, and the other.

    Notes
    -----
    E = |a − b|/√(u_a² + u_b²), terms that both share (the part's temperature) left out of both.
    """
    used = build.in_use
    if used is None:
        return
    for place, rivals in used.rivals.items():
        ours = figure_of(used.series[place], build, used)
        for rival in rivals:
            if _tool(rival) == _tool(used.series[place]):
                continue
            theirs = figure_of(rival, build, used)
            shared = {t.key for t in ours.terms} & {t.key for t in theirs.terms}
            joint = math.fsum(
                t.u**2
                for quantity in (ours, theirs)
                for t in quantity.terms
                if t.key not in shared or t.cause.is_of_its_place_alone
            )
            apart = abs(ours.value - theirs.value)
            e = apart / math.sqrt(joint) if joint else math.inf if apart else 0.0
            yield place, e, _side(used.series[place], ours.value), _side(rival, theirs.value)


def _tool(series: Series) -> str:
    one = series.readings[0]
    return one.gauge or ("counted shots" if one.shots else "a gauge nobody named")


def _side(series: Series, value: float) -> GaugePair:
    return GaugePair(series.readings, value, _tool(series))
