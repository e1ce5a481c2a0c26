"""Which figures rest on a stand-in for a gauge: they are computed with, and nothing is released on them."""

from __future__ import annotations

from ..build.model import Build
from ..place import Place, Scope
from .face_surveys import in_use


def simulated_places(build: Build) -> frozenset[str]:
    """Return the places whose figures rest on simulated readings or surveys.

    Parameters
    ----------
    build : Build
        With its logbook and its surveys.

    Returns
    -------
    frozenset of str
        Also the holes that were filled in from the line of a bank in which something was simulated.
    """
    used = build.in_use
    if used is None:
        return frozenset()
    found = {
        str(place) for place, series in used.series.items() if any(one.simulated for one in series.readings)
    }
    void = build.logbook.void if build.logbook is not None else {}
    banks = {
        name
        for (face, name, _), one in in_use(build.surveys, void).items()
        if face == "deck" and one.simulated
    }
    read = {Place.parse(path).number for path in found if path.endswith(".deck_clearance")}
    for bank in build.banks:
        for number in bank.cylinders:
            height = build.figures.get(path := f"cylinders.{number}.deck_height")
            if bank.name in banks and height is not None and height.is_surveyed:
                found.add(path)
            depth = f"cylinders.{number}.deck_clearance"
            filled = depth in build.figures and Place.parse(depth) not in used.series
            if filled and build.figures[depth].terms and read & set(bank.cylinders):
                found.add(depth)
    return frozenset(found)


def is_simulated(build: Build) -> bool:
    """Tell whether any reading or survey of a build that was not taken back came from a stand-in.

    Parameters
    ----------
    build : Build
        With its logbook and its surveys.
    """
    logbook = build.logbook
    if logbook is None:
        return any(one.simulated for one in build.surveys)
    readings = any(one.simulated for one in logbook.readings if one.id not in logbook.void)
    return readings or any(one.simulated for one in build.surveys if one.id not in logbook.void)


def holes_of(places: frozenset[str]) -> frozenset[int]:
    """Return the holes that some places lie in; numbers without a unit.

    Parameters
    ----------
    places : frozenset of str
        As :func:`simulated_places` gives them.
    """
    parsed = (Place.parse(path) for path in places)
    return frozenset(n for place in parsed if place.scope is Scope.HOLE for n in place.holes)
