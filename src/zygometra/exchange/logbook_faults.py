"""What the shape of a logbook alone cannot tell: places, ids, one value a reading, units that fit."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from zygometra.core.errors import Fault, QuantityError, shown
from zygometra.core.measuring.facts import ALSO_READ, LISTED
from zygometra.core.measuring.logbook import Gauge
from zygometra.core.measuring.read_in import ids_twice, read_gauge, read_reading
from zygometra.core.measuring.steps import KIND
from zygometra.core.quantity import read_quantity
from zygometra.core.units import Kind

from .cut_log_faults import cut_log_faults
from .shape_faults import shape_faults

# What can be voided besides readings.
_VOIDABLE = (
    "surveys",
    "set_ups",
    "passes",
    "verified",
    "steps",
    "acceptances",
    "accepted",
    "agreements",
    "found",
)
_VALUES = ("value", "tipped", "shots")


def logbook_faults(document: Mapping[str, Any], names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with a document's logbook.

    Parameters
    ----------
    document : Mapping
        A build document whose shape is right.
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
    for name, raw in (document.get("gauges") or {}).items():
        if name.startswith("x-"):
            continue
        try:
            gauges[name] = read_gauge(name, raw)
        except QuantityError as error:
            yield Fault(f"gauges.{name}", error.found, error.wanted)
    readings = document.get("readings") or ()
    yield from _dome_faults(document)
    for i, raw in enumerate(readings):
        yield from reading_faults(f"readings[{i}]", raw, order=i, gauges=gauges, names=names, numbers=numbers)
    yield from _twice("readings", readings)
    ids = {raw["id"] for raw in readings}
    taken_back = {raw["id"] for key in _VOIDABLE for raw in document.get(key) or ()}
    for i, raw in enumerate(document.get("voided") or ()):
        if raw["reading"] not in ids | taken_back:
            yield Fault(
                f"voided[{i}].reading",
                shown(raw["reading"]),
                "the id of one of the readings, or of something else that was noted",
            )
    said: dict[str, int] = {}
    for i, raw in enumerate(document.get("voided") or ()):
        if said.setdefault(raw["reading"], i) != i:
            yield Fault(f"voided[{i}].reading", f"{shown(raw['reading'])} twice", "each void once")
    found = document.get("found") or ()
    yield from _twice("found", found)
    for i, raw in enumerate(found):
        yield from place_faults(f"found[{i}]", raw, names, numbers)
        if raw["id"] in ids:
            yield Fault(f"found[{i}].id", f"{shown(raw['id'])} twice", "an id of its own")
    ids |= {one["id"] for one in found}
    yield from _ids_twice(document, ids)
    for i, raw in enumerate(document.get("surveys") or ()):
        yield from survey_faults(f"surveys[{i}]", raw, names, numbers)
    for i, raw in enumerate(document.get("steps") or ()):
        yield from step_faults(f"steps[{i}]", raw, names, numbers)
    yield from cut_log_faults(document, names, numbers)


def _ids_twice(document: Mapping[str, Any], ids: set[str]) -> Iterator[Fault]:
    """Ids of whatever else is listed that are there already; readings and found things have theirs."""
    for key in (*ALSO_READ, *(key for key in LISTED if key != "found")):
        listed = document.get(key) or ()
        yield from _twice(key, listed)
        for i, raw in enumerate(listed):
            if raw["id"] in ids:
                yield Fault(f"{key}[{i}].id", f"{shown(raw['id'])} twice", "an id of its own")
        ids |= {one["id"] for one in listed}


def _dome_faults(document: Mapping[str, Any]) -> Iterator[Fault]:
    """Crowns that were filled with their dome above the plate."""
    dome = ((document.get("parts") or {}).get("piston") or {}).get("above_rim")
    for i, raw in enumerate(document.get("readings") or () if dome is not None else ()):
        if raw.get("rim_below") is not None and _mm(raw["rim_below"]) < _mm(dome):
            wanted = f"at least {_mm(dome):g} mm, as high as the dome stands"
            yield Fault(f"readings[{i}].rim_below", shown(raw["rim_below"]), wanted)


def _twice(key: str, items: Any) -> Iterator[Fault]:
    for i in ids_twice(items):
        yield Fault(f"{key}[{i}].id", f"{shown(items[i]['id'])} twice", "each an id of its own")


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


def survey_faults(path: str, raw: Mapping[str, Any], names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with a survey of a face whose shape is right.

    Parameters
    ----------
    path : str
        Where it stands.
    raw : Mapping
        The survey.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    yield from place_faults(path, {"bank": raw["bank"]}, names, numbers)
    if raw["face"] == "head" and raw.get("datum") == "crank":
        yield Fault(f"{path}.datum", "crank", "plate: a head is swept off the engine")
    seen: set[int] = set()
    for i, bore in enumerate(raw.get("bores") or ()):
        yield from place_faults(f"{path}.bores[{i}]", {"cylinder": bore["number"]}, names, numbers)
        if bore["number"] in seen:
            yield Fault(f"{path}.bores[{i}].number", f"cylinder {bore['number']} twice", "each bore once")
        seen.add(bore["number"])
    yield from plane_faults(f"{path}.points", raw["points"])


def survey_entry_faults(
    path: str, raw: Mapping[str, Any], names: list[str], numbers: list[int]
) -> Iterator[Fault]:
    """Yield what is wrong with a survey that comes by itself: its shape first, then as in a file.

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
    """
    from .face_shapes import FaceSurveyShape

    wrong = list(shape_faults(FaceSurveyShape.model_validate, raw, path))
    yield from wrong
    if wrong:
        return
    yield from survey_faults(path, raw, names, numbers)


def plane_faults(path: str, points: Any) -> Iterator[Fault]:
    """Yield a fault where points fix no plane, nor a line on the axis.

    Parameters
    ----------
    path : str
        Where they stand.
    points : list of Mapping
        With ``x`` and ``y``.
    """
    wanted = "at least three that are not in one line, or three on the axis (y = 0)"
    if len(points) < 3:
        yield Fault(path, f"{len(points)} of them", wanted)
        return
    import numpy as np

    from zygometra.core.faces.planes import is_in_line

    x, y = (np.array([_mm(point[key]) for point in points]) for key in ("x", "y"))
    if np.ptp(x) <= 0 or (np.any(y != 0) and is_in_line(x, y)):
        yield Fault(path, "points in one line", wanted)


def _mm(raw: Any) -> float:
    return read_quantity(raw, Kind.LENGTH, dimension="exact").value


def step_faults(path: str, raw: Mapping[str, Any], names: list[str], numbers: list[int]) -> Iterator[Fault]:
    """Yield what is wrong with a step of the work whose shape is right.

    Parameters
    ----------
    path : str
        Where it stands.
    raw : Mapping
        The step.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    yield from place_faults(path, raw, names, numbers)
    kind = KIND[raw["step"]]
    if raw["state"] not in kind.states:
        yield Fault(f"{path}.state", shown(raw["state"]), "one of " + ", ".join(kind.states))
    if raw.get("cylinder") is not None and kind.acts_on != "hole":
        yield Fault(
            f"{path}.cylinder",
            f"cylinder {raw['cylinder']}",
            f"no hole; {kind.label}: of no single hole",
        )
    if raw.get("bank") is not None and kind.acts_on == "engine":
        yield Fault(
            f"{path}.bank", f"the bank {shown(raw['bank'])}", f"no bank: {kind.label} is of the whole engine"
        )


def reading_entry_faults(
    path: str,
    raw: Mapping[str, Any],
    order: int,
    gauges: Mapping[str, Gauge],
    names: list[str],
    numbers: list[int],
) -> Iterator[Fault]:
    """Yield what is wrong with a reading that comes by itself: its shape first, then as in a file.

    Parameters
    ----------
    path : str
        Where it stands.
    raw : Mapping
        As an entry of a build file.
    order : int
        Its place in the logbook.
    gauges : Mapping
        Those that are known.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    from .models import READING

    wrong = list(shape_faults(READING.validate_python, raw, path))
    yield from wrong
    if wrong:
        return
    yield from reading_faults(path, raw, order=order, gauges=gauges, names=names, numbers=numbers)


def reading_faults(
    path: str,
    raw: Mapping[str, Any],
    order: int,
    gauges: Mapping[str, Gauge],
    names: list[str],
    numbers: list[int],
) -> Iterator[Fault]:
    """Yield what is wrong with one reading.

    Parameters
    ----------
    path : str
        Where it stands.
    raw : Mapping
        Of the right shape.
    order : int
        Its place in the logbook.
    gauges : Mapping
        Those that are known.
    names : list of str
        The build's banks.
    numbers : list of int
        Its holes.
    """
    bad = list(place_faults(path, raw, names, numbers))
    yield from bad
    if raw.get("bank") is not None and raw.get("cylinder") is not None:
        yield Fault(f"{path}.bank", "a bank beside a cylinder", "one place")
        return
    given = [key for key in _VALUES if raw.get(key) is not None]
    if len(given) != 1:
        found = "nothing" if not given else " and ".join(given)
        yield Fault(f"{path}.{given[0] if given else 'value'}", found, "one of value, tipped, shots")
        return
    if given[0] == "tipped" and raw["figure"] != "deck_clearance":
        yield Fault(
            f"{path}.tipped", f"a tipped pair of {raw['figure']}", "value; pairs are of deck_clearance"
        )
        return
    for key in ("bore", "ring_volume"):
        if raw.get(key) is not None and raw.get("rim_below") is None:
            yield Fault(f"{path}.{key}", f"{key} without rim_below", "how far below the deck the rim stood")
            return
    try:
        reading = read_reading(raw, order)
    except QuantityError as error:
        yield Fault(f"{path}.{given[0]}" if not bad else path, error.found, error.wanted)
        return
    gauge = gauges.get(reading.gauge)
    if gauge and gauge.measures and given[0] != "shots" and gauge.measures is not reading.unit.kind:
        yield Fault(
            f"{path}.gauge",
            f"{shown(gauge.id)}, a gauge of {gauge.measures}",
            f"a gauge of {reading.unit.kind}",
        )
