"""Readings and the cuts that were made after them: when a figure was read, and which passes moved it."""

from __future__ import annotations

from collections.abc import Iterable

from ..build.cut_log import SETS, CutOp
from ..build.model import Build
from ..place import Place, Scope
from .selection import ReadingSelection


def when_surveyed(build: Build, places: Iterable[str]) -> dict[str, str]:
    """Return when the deck of each surveyed height was read.

    Parameters
    ----------
    build : Build
        With its surveys.
    places : iterable of str
        Of the heights.
    """
    from .faces import surveys_in_use

    decks = {name: one.at for (face, name, _), one in surveys_in_use(build).items() if face == "deck"}
    return {path: decks.get(build.bank_of(Place.parse(path).holes[0]).name, "") for path in places}


def when_filled(build: Build, places: Iterable[str], used: ReadingSelection) -> dict[str, str]:
    """Return when the line that fills a hole nobody read was last read.

    Parameters
    ----------
    build : Build
        For its banks.
    places : iterable of str
        Of the filled clearances.
    used : ReadingSelection
        The readings that count.
    """
    found = {}
    for path in places:
        bank = build.bank_of(Place.parse(path).holes[0])
        own = (used.series.get(Place.hole(n, "deck_clearance")) for n in bank.cylinders)
        found[path] = max((one.at for series in own if series for one in series.readings), default="")
    return found


# What a cut moves: the figures that were read before it speak of another state.
_MOVES: dict[CutOp, frozenset[str]] = {
    "deck_cut": frozenset({"deck_height", "deck_clearance"}),
    "head_cut": frozenset({"chamber_volume"}),
    "crown_cut": frozenset({"compression_height", "deck_clearance", "crown_volume", "top_land_height"}),
}


def passes_over(build: Build, place: Place, figure: str) -> tuple[str, ...]:
    """Return when passes were made that moved a figure at a place.

    Parameters
    ----------
    build : Build
        With its log.
    place : Place
        Of a hole, a bank, or the engine.
    figure : str
        Its name in a logbook.
    """
    in_block = figure == "chamber_volume" and build.has_chamber_in_block
    holes = place.holes or tuple(build.cylinders)
    banks = {place.bank} if place.scope is Scope.BANK else {build.bank_of(n).name for n in holes}
    return tuple(
        one.at
        for one in build.cuts.passes
        if one.at
        and (figure in _MOVES.get(one.place.op, ()) or (in_block and one.place.op == "deck_cut"))
        and (one.place.cylinder in holes if one.place.op in SETS else one.place.bank in banks)
    )
