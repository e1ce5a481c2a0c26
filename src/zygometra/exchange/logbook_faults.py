"""What the shape of a logbook alone cannot tell: places, ids, one value a reading, units that fit."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, Protocol, TypeVar

from zygometra.core.errors import BuildFaults, Fault, shown
from zygometra.core.measuring.face_surveys import NotedSurvey
from zygometra.core.measuring.facts import ALSO_READ, LISTED
from zygometra.core.measuring.logbook import Gauge, Reading
from zygometra.core.measuring.read_in import BuildFile, ids_twice
from zygometra.core.measuring.steps import Step
from zygometra.core.quantity import Quantity
from zygometra.core.records import Record, Refused, Wrong

from .cut_log_faults import cut_log_faults

R = TypeVar("R", bound=Record)


class Placed(Protocol):
    """What lies somewhere on a face, in mm."""

    @property
    def x(self) -> float:
        """Along the bank."""

    @property
    def y(self) -> float:
        """Across it."""


def logbook_faults(file: BuildFile, names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with the logbook of a file, beyond its shape.

    Parameters
    ----------
    file : BuildFile
        Whose shape is right.
    names : list of str
        Its banks.
    numbers : list of int
        Its holes.

    Yields
    ------
    Fault
        With its place, what was found and what is wanted.
    """
    gauges: dict[str, Gauge] = {}
    for name, gauge in file.listed.get("gauges", {}).items():
        if isinstance(gauge, Refused):
            yield from gauge.wrong.at(f"gauges.{name}")
        else:
            gauges[name] = gauge
    readings = file.list_of("readings")
    yield from _dome_faults(file)
    for i, one in enumerate(readings):
        yield from reading_faults(f"readings[{i}]", one, gauges=gauges, names=names, numbers=numbers)
    yield from _twice("readings", readings)
    ids = _ids(readings)
    taken_back = {
        own for key in (*LISTED, *ALSO_READ) if key != "decisions" for own in _ids(file.list_of(key))
    }
    voided = [one.typed["reading"] for one in file.list_of("voided")]
    for i, named in enumerate(voided):
        if named not in ids | taken_back:
            yield Fault(
                f"voided[{i}].reading",
                shown(named),
                "the id of one of the readings, or of something else that was noted",
            )
    said: dict[str, int] = {}
    for i, named in enumerate(voided):
        if said.setdefault(named, i) != i:
            yield Fault(f"voided[{i}].reading", f"{shown(named)} twice", "each void once")
    found = file.list_of("found")
    yield from _twice("found", found)
    for i, one in enumerate(found):
        yield from place_faults(f"found[{i}]", one.typed, names, numbers)
        if one.typed["id"] in ids:
            yield Fault(f"found[{i}].id", f"{shown(one.typed['id'])} twice", "an id of its own")
    yield from _ids_twice(file, ids | _ids(found))
    for i, survey in enumerate(file.list_of("surveys")):
        yield from survey_faults(f"surveys[{i}]", survey, names, numbers)
    for i, step in enumerate(file.list_of("steps")):
        yield from step_faults(f"steps[{i}]", step, names, numbers)
    yield from cut_log_faults(file, names, numbers)


def _ids(listed: Iterable[Record | Refused]) -> set[str]:
    return {str(one.typed["id"]) for one in listed}


def _ids_twice(file: BuildFile, ids: set[str]) -> Iterator[Fault]:
    """Ids of whatever else is listed that are there already; readings and found things have theirs."""
    for key in (*ALSO_READ, *(key for key in LISTED if key != "found")):
        listed = file.list_of(key)
        yield from _twice(key, listed)
        for i, one in enumerate(listed):
            if one.typed["id"] in ids:
                yield Fault(f"{key}[{i}].id", f"{shown(one.typed['id'])} twice", "an id of its own")
        ids |= _ids(listed)


def _dome_faults(file: BuildFile) -> Iterator[Fault]:
    """Crowns that were filled with their dome above the plate."""
    dome: Quantity | None = (file.parts.get("piston") or {}).get("above_rim")
    if dome is None:
        return
    for i, one in enumerate(file.list_of("readings")):
        below = one.rim_below if isinstance(one, Reading) else None
        if below is not None and below.value < dome.value:
            wanted = f"at least {dome.value:g} mm, as high as the dome stands"
            yield Fault(f"readings[{i}].rim_below", shown(below.as_typed), wanted)


def _twice(key: str, items: Sequence[Record | Refused]) -> Iterator[Fault]:
    for i in ids_twice([one.typed for one in items]):
        yield Fault(f"{key}[{i}].id", f"{shown(items[i].typed['id'])} twice", "each an id of its own")


def place_faults(path: str, raw: Mapping[str, Any], names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with the bank and the hole that a fact names.

    Parameters
    ----------
    path : str
        Where the fact stands.
    raw : Mapping
        The fact.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    bank, cylinder = raw.get("bank"), raw.get("cylinder")
    if bank is not None and bank not in names:
        yield Fault(f"{path}.bank", f"the bank {shown(bank)}", "one of " + ", ".join(names))
    if cylinder is not None and cylinder not in numbers:
        known = ", ".join(map(str, sorted(numbers)))
        yield Fault(f"{path}.cylinder", f"cylinder {cylinder}", f"one of {known}")


def survey_faults(path: str, survey: NotedSurvey, names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with a survey of a face whose shape is right.

    Parameters
    ----------
    path : str
        Where it stands.
    survey : NotedSurvey
        As it was noted.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    yield from place_faults(path, {"bank": survey.bank}, names, numbers)
    if survey.face == "head" and survey.typed.get("datum") == "crank":
        yield Fault(f"{path}.datum", "crank", "plate: a head is swept off the engine")
    seen: set[int] = set()
    for i, bore in enumerate(survey.bores):
        yield from place_faults(f"{path}.bores[{i}]", {"cylinder": bore.number}, names, numbers)
        if bore.number in seen:
            yield Fault(f"{path}.bores[{i}].number", f"cylinder {bore.number} twice", "each bore once")
        seen.add(bore.number)
    yield from plane_faults(f"{path}.points", survey.points)


def read_entry(record: type[R], raw: Mapping[str, Any], path: str) -> R:
    """Return the record of an entry that comes by itself.

    Parameters
    ----------
    record : type
        What it should be.
    raw : Mapping
        As an entry of a build file.
    path : str
        Where it stands.

    Raises
    ------
    BuildFaults
        With everything that is wrong with it.
    """
    try:
        return record.read(dict(raw))
    except Wrong as error:
        raise BuildFaults(list(error.at(path))) from None


def survey_entry(path: str, raw: Mapping[str, Any], names: list[str], numbers: list[int]) -> NotedSurvey:
    """Return a survey that comes by itself, checked as in a file.

    Parameters
    ----------
    path : str
        Where it stands.
    raw : Mapping
        As an entry of a build file.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.

    Raises
    ------
    BuildFaults
        With everything that is wrong with it.
    """
    survey = read_entry(NotedSurvey, raw, path)
    if faults := list(survey_faults(path, survey, names, numbers)):
        raise BuildFaults(faults)
    return survey


def plane_faults(path: str, points: Sequence[Placed]) -> Iterator[Fault]:
    """Yield a fault where points fix no plane, nor a line on the axis.

    Parameters
    ----------
    path : str
        Where they stand.
    points : sequence
        In mm; whatever has ``x`` and ``y``.
    """
    wanted = "at least three that are not in one line, or three on the axis (y = 0)"
    if len(points) < 3:
        yield Fault(path, f"{len(points)} of them", wanted)
        return
    import numpy as np

    from zygometra.core.faces.planes import is_in_line

    x, y = np.array([(point.x, point.y) for point in points]).T
    if np.ptp(x) <= 0 or (np.any(y != 0) and is_in_line(x, y)):
        yield Fault(path, "points in one line", wanted)


def step_faults(path: str, step: Step, names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with a step of the work whose shape is right.

    Parameters
    ----------
    path : str
        Where it stands.
    step : Step
        As it was done.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    yield from place_faults(path, step.typed, names, numbers)
    kind = step.kind
    if step.state not in kind.states:
        yield Fault(f"{path}.state", shown(step.state), "one of " + ", ".join(kind.states))
    if step.cylinder is not None and kind.acts_on != "hole":
        yield Fault(
            f"{path}.cylinder",
            f"cylinder {step.cylinder}",
            f"no hole; {kind.label}: of no single hole",
        )
    if step.typed.get("bank") is not None and kind.acts_on == "engine":
        yield Fault(
            f"{path}.bank", f"the bank {shown(step.bank)}", f"no bank: {kind.label} is of the whole engine"
        )


def reading_entry(
    path: str, raw: Mapping[str, Any], gauges: Mapping[str, Gauge], names: list[str], numbers: list[int]
) -> Reading:
    """Return a reading that comes by itself, checked as in a file.

    Parameters
    ----------
    path : str
        Where it stands.
    raw : Mapping
        As an entry of a build file.
    gauges : Mapping
        Those that are known.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.

    Raises
    ------
    BuildFaults
        With everything that is wrong with it.
    """
    one: Reading | Refused
    try:
        one = Reading.read(dict(raw))
    except Wrong as error:
        if not error.of_whole:
            raise BuildFaults(list(error.at(path))) from None
        one = Refused(raw, error)
    faults = list(reading_faults(path, one, gauges=gauges, names=names, numbers=numbers))
    if faults or isinstance(one, Refused):
        raise BuildFaults(faults)
    return one


def reading_faults(
    path: str,
    one: Reading | Refused,
    gauges: Mapping[str, Gauge],
    names: list[str],
    numbers: list[int],
) -> Iterator[Fault]:
    """Yield what is wrong with one reading.

    Parameters
    ----------
    path : str
        Where it stands.
    one : Reading or Refused
        Of the right shape.
    gauges : Mapping
        Those that are known.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    yield from place_faults(path, one.typed, names, numbers)
    if isinstance(one, Refused):
        yield from one.wrong.at(path)
        return
    gauge = gauges.get(one.gauge)
    if gauge and gauge.measures and not one.shots and gauge.measures is not one.unit.kind:
        yield Fault(
            f"{path}.gauge",
            f"{shown(gauge.id)}, a gauge of {gauge.measures}",
            f"a gauge of {one.unit.kind}",
        )
