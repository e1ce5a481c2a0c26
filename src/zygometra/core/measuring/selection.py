"""Which readings are in use at each place, and what was set aside, with the reason."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable, Mapping
from typing import Literal, NamedTuple

from ..place import Place, Scope
from .logbook import Logbook, Reading, latest
from .scatter import Pool, pools_of

Reason = Literal[
    "voided",
    "zero-moved",
    "seats-cut",
    "cut-since",
    "dome",
    "pad",
    "off-axis",
    "other-conditions",
    "other-gauge",
]
REASONS: dict[Reason, str] = {
    "voided": "voided",
    "zero-moved": "its zero had moved by more than one resolution",
    "seats-cut": "valve seats were cut since; it is void until the chamber is filled again",
    "cut-since": "read before a pass that was logged; it was read again after",
    "dome": "read on the dome: it gives the room there, not the rim",
    "pad": "read on a pad of unknown height over the rim: it gives the room there, not the rim",
    "off-axis": "read off the pin axis with the piston tipped one way only",
    "other-conditions": "read under other conditions than the latest",
    "other-gauge": "another reading of this place is surer",
}


class RejectedReading(NamedTuple):
    """A reading that does not count, and why."""

    reading: Reading
    reason: Reason
    why: str


class Series(NamedTuple):
    """Readings of one place that are averaged: one gauge, one way, under the same conditions."""

    place: Place
    readings: tuple[Reading, ...]
    pool: Pool


class ReadingSelection(NamedTuple):
    """What counts at each place, what does not, and the scatter that everything rests on.

    ``rivals`` are series of the same place under the same conditions that were not taken: another
    gauge, or another way.
    """

    series: Mapping[Place, Series]
    rivals: Mapping[Place, tuple[Series, ...]]
    aside: tuple[RejectedReading, ...]
    pools: Mapping[str, Pool]
    by_zero: Mapping[str, Pool]

    def zero_pool(self, zero: str) -> Pool | None:
        """Return the scatter that a zero rests on: of those read against it the one best known.

        Parameters
        ----------
        zero : str
            Its id.
        """
        return self.by_zero.get(zero)


def in_use(
    logbook: Logbook,
    *,
    house: bool,
    seats: Mapping[int, str] | None = None,
    passes: Callable[[Place, str], tuple[str, ...]] | None = None,
) -> ReadingSelection:
    """Sort a logbook's readings into those that count and those that do not.

    Parameters
    ----------
    logbook : Logbook
        What was noted.
    house : bool
        True where the house's usual figures stand in for what nobody stated.
    seats : Mapping, optional
        When valve seats were last cut, by hole.
    passes : callable, optional
        Takes a place and the name of a figure: when passes were cut that moved it.

    Returns
    -------
    ReadingSelection
        Every reading is in one series, or set aside.

    Notes
    -----
    Readings at one place under unlike conditions are never averaged: the latest set counts. Of two
    gauges, or two ways, under the same conditions the surer counts; neither is averaged away.

    Examples
    --------
    >>> from .examples import reading
    >>> found = in_use(Logbook(readings=(reading("a"), reading("b", on="dome"))), house=True)
    >>> [one.reading.id for one in found.aside], found.aside[0].reason
    (['b'], 'dome')
    """
    aside: list[RejectedReading] = []
    sound: list[Reading] = []
    by_place: dict[str, list[Reading]] = {}
    moved = {zero for zero in logbook.zeros if logbook.has_moved(zero)}
    for reading in logbook.readings:
        unfit = _unfit(reading, logbook, moved) or (_before_seats(reading, seats) if seats else None)
        if unfit is not None:
            aside.append(unfit)
        else:
            sound.append(reading)
            if (beside := by_place.get(reading.series[0])) is None:
                beside = by_place[reading.series[0]] = []
            beside.append(reading)
    passed = {} if passes is None else _all_passed(sound, passes)
    pools = pools_of(sound, logbook, house=house, passed=passed)
    series: dict[Place, Series] = {}
    rivals: dict[Place, tuple[Series, ...]] = {}
    for readings in by_place.values():
        place = readings[0].place
        if passed:
            readings, before = _since_cut(readings, passed)
            aside += before
        chosen, others, unused = _choose(place, readings, pools)
        series[place] = chosen
        if others:
            rivals[place] = others
        aside += unused
    return ReadingSelection(
        series=series, rivals=rivals, aside=tuple(aside), pools=pools, by_zero=_zeros(sound, pools)
    )


def _zeros(readings: Iterable[Reading], pools: Mapping[str, Pool]) -> dict[str, Pool]:
    """The pool of each zero: the one with most degrees of freedom of its own."""
    found: dict[str, Pool] = {}
    for zero, key in dict.fromkeys((one.zero, one.pool) for one in readings if one.zero):
        if zero not in found or pools[key].own_dof > found[zero].own_dof:
            found[zero] = pools[key]
    return found


def _unfit(reading: Reading, logbook: Logbook, moved: set[str]) -> RejectedReading | None:
    """Why a reading cannot count whatever else was read; None where it can."""
    if logbook.void and (void := logbook.void.get(reading.id)) is not None:
        return RejectedReading(reading, "voided", void.why)
    reason: Reason | None = None
    if reading.zero in moved:
        reason = "zero-moved"
    elif reading.figure == "deck_clearance":
        if reading.on == "dome":
            reason = "dome"
        elif reading.on == "pad" and reading.pad_height is None:
            reason = "pad"
    return None if reason is None else RejectedReading(reading, reason, REASONS[reason])


def _before_seats(reading: Reading, seats: Mapping[int, str]) -> RejectedReading | None:
    """A chamber that was filled before its seats were cut says nothing of it now."""
    if reading.figure != "chamber_volume" or reading.place.scope is not Scope.HOLE:
        return None
    cut = seats.get(reading.place.number, "")
    return (
        RejectedReading(reading, "seats-cut", REASONS["seats-cut"])
        if reading.at and reading.at < cut
        else None
    )


def _all_passed(
    readings: Iterable[Reading], passes: Callable[[Place, str], tuple[str, ...]]
) -> dict[str, int]:
    """How many passes had been cut before each reading, by its id; before one that has no time, none."""
    known: dict[tuple[Place, str], list[str]] = {}
    found = {}
    for one in readings:
        key = (one.place, one.figure)
        if (cut := known.get(key)) is None:
            cut = known[key] = sorted(passes(*key))
        found[one.id] = bisect_right(cut, one.at) if one.at else 0
    return found


def _since_cut(
    readings: list[Reading], passed: Mapping[str, int]
) -> tuple[list[Reading], list[RejectedReading]]:
    """The readings after the last pass that any of them came after, and those before it."""
    last = max(passed[one.id] for one in readings)
    now = [one for one in readings if passed[one.id] == last]
    old = [one for one in readings if passed[one.id] < last]
    return now, [RejectedReading(one, "cut-since", REASONS["cut-since"]) for one in old]


def _choose(
    place: Place, readings: list[Reading], pools: Mapping[str, Pool]
) -> tuple[Series, tuple[Series, ...], list[RejectedReading]]:
    """The series that counts at a place, its rivals, and what is set aside."""
    aside: list[RejectedReading] = []
    if len({reading.conditions for reading in readings}) > 1:
        conditions = latest(readings).conditions
        old = [reading for reading in readings if reading.conditions != conditions]
        aside += [RejectedReading(one, "other-conditions", REASONS["other-conditions"]) for one in old]
        readings = [reading for reading in readings if reading.conditions == conditions]
    if readings[0].figure == "deck_clearance" and any(map(_needs_no_rock, readings)):
        lone = [reading for reading in readings if not _needs_no_rock(reading)]
        aside += [RejectedReading(one, "off-axis", REASONS["off-axis"]) for one in lone]
        readings = [reading for reading in readings if _needs_no_rock(reading)]
    grouped: dict[str, list[Reading]] = {}
    for reading in readings:
        grouped.setdefault(reading.pool, []).append(reading)
    several = [Series(place, tuple(group), pools[key]) for key, group in grouped.items()]
    several.sort(key=lambda one: (_doubt(one), -latest(one.readings).order))
    chosen, others = several[0], tuple(several[1:])
    for rival in others:
        aside += [RejectedReading(one, "other-gauge", REASONS["other-gauge"]) for one in rival.readings]
    return chosen, others, aside


def _needs_no_rock(reading: Reading) -> bool:
    """True but for a depth read across the pin with the piston tipped one way."""
    return bool(reading.tipped) or reading.spot.axis != "thrust"


def _doubt(series: Series) -> float:
    """How sure a series is of its mean: to choose between gauges."""
    pool = series.pool
    return pool.variance_of(series.readings) / len(series.readings) + pool.gauge_u**2


def spots_of(readings: Iterable[Reading]) -> dict[object, list[Reading]]:
    """Group readings of a place by where on the part they were taken: depth, axis, clock.

    Parameters
    ----------
    readings : iterable of Reading
        Of one place.

    Returns
    -------
    dict
        By position. A depth read on the mock-up has none: the axis only says that there was no rock.
    """
    found: dict[object, list[Reading]] = {}
    for reading in readings:
        spot = "" if reading.figure == "deck_clearance" else reading.spot_words
        found.setdefault(spot, []).append(reading)
    return found
