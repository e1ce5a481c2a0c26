"""The room over a dome or a pad: what a depth read there gives, up to the plane of the head's face.

Such a reading says nothing of the rim. With the gasket it is the room between that spot and the plane that the
head's face lies in; where the chamber opens over it there is more.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import Literal, NamedTuple

from ..build.lever_table import OpName
from ..build.model import Build
from ..place import Place
from ..stack.as_cut import missed
from ..stack.in_hole import PLACES
from ..stack.results import Hole, State
from ..uncertainty import Term, Uncertainty, in_hole, joined, of_terms
from .cut_since import passes_over
from .figures import figure_of
from .logbook import Logbook, Reading, latest
from .scatter import pools_of
from .selection import ReadingSelection, Series

Spot = Literal["dome", "pad"]


class RoomAt(NamedTuple):
    """The room over one spot of a piston to the plane of the head's face, in mm, and its doubt.

    None where a cut moves the spot by nobody knows how much.
    """

    on: Spot
    value: float | None
    uncertainty: Uncertainty


def rooms(build: Build, state: State) -> dict[int, tuple[RoomAt, ...]]:
    """Return the room over every spot that was read, hole by hole.

    Parameters
    ----------
    build : Build
        With its readings and its log.
    state : State
        One of its states.

    Returns
    -------
    dict
        Holes of which no dome or pad was read have none; in mm.
    """
    if build.in_use is None:
        return {}
    return {hole.number: found for hole in state.holes if (found := tuple(_rooms_of(build, hole)))}


def _rooms_of(build: Build, hole: Hole) -> Iterator[RoomAt]:
    thickness = hole.sources.get(PLACES["gasket_thickness"])
    if thickness is None or build.in_use is None:
        return
    for on in ("dome", "pad"):
        series = _series(build, build.in_use, hole.number, on)
        if series is None:
            continue
        # The depth of the spot itself, not of the rim that follows from it.
        bare = series._replace(readings=tuple(one.with_(pad_height=None) for one in series.readings))
        read = figure_of(bare, build, build.in_use)
        moved = _moved(build, hole, series, latest(series.readings).at)
        if moved is None:
            yield RoomAt(on, None, Uncertainty(math.nan))
            continue
        terms = [*read.terms, *(in_hole(term, hole.number) for term in thickness.terms), *moved[1]]
        value = read.value + moved[0] + thickness.quantity.value
        yield RoomAt(on, value, of_terms(joined(terms)))


def _series(build: Build, used: ReadingSelection, number: int, on: Spot) -> Series | None:
    """The newest readings of one spot of a hole."""
    place = Place.hole(number, "deck_clearance")
    in_series = used.series.get(place)
    found = [one.reading for one in used.aside if one.reason == on and one.reading.place == place]
    found += [one for one in (in_series.readings if in_series is not None else ()) if one.on == on]
    if not found:
        return None
    passes = sorted(passes_over(build, place, "deck_clearance"))
    before = {one.id: sum(at <= one.at for at in passes) if one.at else 0 for one in found}
    last, conditions = max(before.values()), latest(found).conditions
    newest = [one for one in found if before[one.id] == last and one.conditions == conditions]
    gauge = latest(newest).pool
    own = tuple(one for one in newest if one.pool == gauge)
    pool = pools_of(own, build.logbook or Logbook(), house=build.unstated_doubt == "house")[gauge]
    return Series(place, own, pool)


def _moved(build: Build, hole: Hole, series: Series, at: str) -> tuple[float, list[Term]] | None:
    """How far cuts move a spot that was read, those made since and those planned; None where nobody knows."""
    bank = build.bank_of(hole.number)

    def since(op: OpName) -> float:
        return build.cuts.on_hole(op, bank, cylinder=hole.number, planned=build.planned, after=at)

    crown = since("crown_cut") + hole.outcome.crown_cut
    lower = _lower(build, series.readings, crown)
    if lower is None:
        return None
    signs: dict[OpName, float] = {"deck_cut": -1.0, "crown_cut": 1.0 if lower else 0.0}
    terms = [
        Term(
            key=path,
            u=signs[op.op] * op.amount.u,
            dof=op.amount.dof,
            pool=None,
            rectangular=op.amount.rectangular,
            each=op.amount.each,
        )
        for path, op in hole.cuts
        if op.amount is not None and signs.get(op.op)
    ]
    for name, sign in signs.items():
        if sign and since(name):
            terms += missed(build, name, bank=bank, number=hole.number, by=sign)
    own = [in_hole(term, hole.number) for term in terms if term.u]
    return lower - since("deck_cut") - hole.outcome.deck_cut, own


def _lower(build: Build, readings: tuple[Reading, ...], cut: float) -> float | None:
    """How far a flat cut lowers a spot, in mm: a dome's top by all of it, a pad once the tool has come down to it."""
    if not cut or readings[0].on == "dome":
        return cut
    above, height = build.figures.get(PLACES["above_rim"]), readings[0].pad_height
    return None if above is None or height is None else max(cut - (above.value - height), 0.0)
