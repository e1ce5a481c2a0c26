"""Which figures a result waits for, and where they would be written."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from ..build.model import Build
from ..fields import BANK_NAMES, CYLINDER_NAMES, FIELD_AT, place_label
from ..place import Place
from .in_hole import PLACES
from .results import Hole, State
from .sources import chamber_model

STACK = (
    "parts.block.deck_height",
    "parts.crank.stroke",
    "parts.rod.length",
    "parts.piston.compression_height",
)
READ = "mock-up.deck_clearance"
_CROWN, _LAND = PLACES["crown_volume"], PLACES["land_diameter"]
_BORE, _STROKE, _DECK = "parts.block.bore", "parts.crank.stroke", "parts.block.deck_height"
_BANK_NAME = {field.path: name for name, field in BANK_NAMES.items()}
_HOLE_NAME = {field.path: name for name, field in CYLINDER_NAMES.items()}


def waits_for(build: Build, hole: Hole, result: str) -> tuple[str, ...]:
    """Return the figures without which one result of a hole is not known.

    Parameters
    ----------
    build : Build
        For the plan and the chamber's shape.
    hole : Hole
        One hole of one state.
    result : str
        ``deck_clearance``, ``quench``, ``swept``, ``clearance`` (the volume) or
        ``compression_ratio``.

    Returns
    -------
    tuple of str
        Engine-wide places in the order of the stack; empty where nothing is missing.
    """
    return tuple(dict.fromkeys(path for path in _wants(build, hole, result) if path not in hole.sources))


def _wants(build: Build, hole: Hole, result: str) -> Iterator[str]:
    have = hole.sources
    if result != "swept" and any(op.to_height is not None for _, op in hole.cuts):
        yield "parts.block.deck_height"
    if result in ("deck_clearance", "quench", "clearance", "compression_ratio") and READ not in have:
        yield from STACK
    if result == "quench":
        yield "parts.gasket.thickness"
    if result in ("swept", "compression_ratio") and "parts.block.swept_volume" not in have:
        yield from (_BORE, _STROKE)
    if result in ("clearance", "compression_ratio"):
        if hole.outcome.deck_clearance != 0 or _LAND in have:
            yield _BORE
        if "parts.gasket.volume" not in have:
            yield "parts.gasket.thickness"
            if "parts.gasket.opening_area" not in have:
                yield "parts.gasket.bore"
        yield "parts.head.chamber_volume"
        yield from _wanted_by_dish(hole)
        width = have.get(PLACES["edge_width"])
        if (width is None or width.quantity.value) and (width is not None or PLACES["edge_angle"] in have):
            yield from (PLACES["edge_width"], PLACES["edge_angle"])
        yield from _wanted_by_cuts(build, hole)


def _wanted_by_dish(hole: Hole) -> Iterator[str]:
    """The crown's volume, and once the rim is cut the opening of a dish of which nobody told it."""
    begun = PLACES["dish_begun"] in hole.sources
    if begun and _CROWN not in hole.sources:
        # It was told before the cut: what is left of it hangs on the opening.
        yield PLACES["dish_area"]
        return
    yield _CROWN
    crown = hole.outcome.areas.crown
    if crown.untold is not None and crown.rim_cut(hole.outcome.crown_cut) > 0:
        yield PLACES["dish_area"]


def _wanted_by_cuts(build: Build, hole: Hole) -> Iterator[str]:
    """What only a planned cut asks for."""
    if hole.outcome.head_cut and chamber_model(build, hole.sources) is None:
        yield "parts.head.opening_area"
    above = hole.sources.get("parts.piston.above_rim")
    if hole.outcome.crown_cut and above is not None and above.quantity.value > 0:
        yield "parts.piston.above_rim_area"


def missing(build: Build, state: State) -> dict[str, list[str]]:
    """Return every place that some result waits for, with the results that do.

    Parameters
    ----------
    build : Build
        The build.
    state : State
        One of its states.

    Returns
    -------
    dict of str to list of str
        Place in the build document, engine-wide where no hole has the figure, of the bank
        or the hole where others have it; each with the results that wait for it.
    """
    read_somewhere = any(READ in hole.sources for hole in state.holes)
    holes = len(state.holes)
    found: dict[str, dict[str, list[Hole]]] = {}
    for hole in state.holes:
        for result in ("quench", "deck_clearance", "compression_ratio"):
            for path in waits_for(build, hole, result):
                # Where one hole was mocked up, the others want to be.
                named = path == _DECK and any(op.to_height is not None for _, op in hole.cuts)
                by_reading = read_somewhere and path in STACK and path not in (_BORE, _STROKE) and not named
                asked = READ if by_reading else path
                if read_somewhere and path == _STROKE and result != "compression_ratio":
                    continue
                waiting = found.setdefault(asked, {}).setdefault(result, [])
                if hole not in waiting:
                    waiting.append(hole)
    places: dict[str, list[str]] = {}
    for path, by_result in found.items():
        without = {hole.number: hole for waiting in by_result.values() for hole in waiting}
        for place in _places(path, list(without.values()), holes):
            places[place] = list(by_result)
    return places


def _places(path: str, without: list[Hole], holes: int) -> Iterator[str]:
    """Where a figure would be written: for the engine where all want it, else bank by bank or hole by hole."""
    if path == READ:
        yield from (str(Place.hole(hole.number, "deck_clearance")) for hole in without)
    elif len(without) == holes or (path not in _HOLE_NAME and path not in _BANK_NAME):
        yield path
    elif path in _HOLE_NAME and FIELD_AT[path].is_each_holes:
        yield from (str(Place.hole(hole.number, _HOLE_NAME[path])) for hole in without)
    else:
        yield from dict.fromkeys(str(Place.on_bank(hole.bank, _BANK_NAME[path])) for hole in without)


def missing_words(places: Iterable[str]) -> str:
    """Return what is missing in the trade's words: what one hole or bank wants beside whose it is.

    Parameters
    ----------
    places : iterable of str
        Of the build document, as :func:`missing` gives them.

    Returns
    -------
    str
        Such as ``finished bore; deck clearance, hole 3``; empty for none.
    """
    return "; ".join(dict.fromkeys(map(place_label, places)))
