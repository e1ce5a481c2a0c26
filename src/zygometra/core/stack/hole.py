"""The arithmetic of one hole: clearance, volumes, ratio; its doubt travels in :mod:`.doubts`.

Lengths in mm, areas in mm², volumes in cc. Planned operations are terms in it, so
that today's state and the planned one go through the same lines. A figure that is not
there is "not a number" in here: it spoils just the results that need it, and those are
handed out as None.
"""

from __future__ import annotations

import math

from ..build.lever_table import AMOUNTS
from ..build.model import Bank, Build, Operation
from .arithmetic import circle_area, ratio_of
from .chamber import ChamberModel
from .doubts import (
    cut_slopes_of,
    head_doubts,
    height_doubts,
    merged,
    operation_doubts,
    propagate,
    slopes_of,
    source_doubts,
    unknown_land,
)
from .fitting import with_gasket, with_part
from .geometry import NOT_KNOWN, Geometry, clearance_of, geometry_of
from .motion import drop_and_slopes
from .results import Doubts, Hole, Outcome, Source, Spread, Terms
from .slopes import Areas
from .sources import chamber_model, value_of


def evaluate_hole(
    build: Build,
    bank: Bank,
    number: int,
    labelled: tuple[tuple[str, Operation], ...],
    sources: dict[str, Source],
) -> Hole:
    """Evaluate one hole under a plan.

    Parameters
    ----------
    build : Build
        The build.
    bank : Bank
        The hole's bank.
    number : int
        The hole; no unit.
    labelled : tuple
        The plan's operations, each with its place.
    sources : dict
        The figures that count in this hole; never altered.

    Returns
    -------
    Hole
        With the figures that were used, the operations that act on it, and its results.
    """
    place, holes = bank.cylinders.index(number), len(bank.cylinders)
    cuts = tuple(
        (path, op.at(place, holes, number)) for path, op in labelled if op.acts_on(bank.name, number)
    )
    for path, op in cuts:
        if op.gasket is not None:
            sources = with_gasket(sources, path, op.gasket)
        if op.part is not None:
            sources = with_part(sources, path, op.part, number)
    outcome = _outcome(sources, cuts, build)
    return Hole(number, bank.name, sources, cuts, outcome)


def _amounts(cuts: tuple[tuple[str, Operation], ...]) -> dict[str, float]:
    totals = dict(_NO_CUTS)
    for _path, op in cuts:
        if op.amount is not None:
            totals[op.op] += op.amount.value
    return totals


_NO_CUTS: dict[str, float] = {lever.key: 0.0 for lever in AMOUNTS}


# long: the stack's arithmetic in its order: each line wants those before it
def _outcome(sources: dict[str, Source], cuts: tuple[tuple[str, Operation], ...], build: Build) -> Outcome:
    """The arithmetic of one hole. Lengths mm, areas mm², volumes cc."""
    totals = _amounts(cuts) if cuts else _NO_CUTS
    deck_cut, head_cut, crown_cut = totals["deck_cut"], totals["head_cut"], totals["crown_cut"]
    g = geometry_of(sources, crown_cut)
    area = circle_area(g.bore)
    clearance = clearance_of(sources, g) - deck_cut + g.crown.rim_cut(crown_cut)
    model = chamber_model(build, sources) if head_cut else None
    chamber, beyond = _chamber(sources, g, totals, model)
    if g.land_height < 0 or (crown_cut and g.land_height == 0 and g.land_diameter):
        beyond |= {"crown"}
    gasket = value_of(sources, "parts.gasket.volume") if g.as_volume else g.opening * g.thickness / 1000
    crown = (
        value_of(sources, "parts.piston.crown_volume", NOT_KNOWN) + g.crown.gained(crown_cut) + totals["bowl"]
    )
    crevice = g.land_area * g.land_height / 1000 if g.land_diameter else 0.0
    if "crown" in beyond:
        crevice = NOT_KNOWN
    terms = (
        chamber,
        gasket,
        area * clearance / 1000,
        crown,
        crevice,
        value_of(sources, "parts.head.other_volume"),
    )
    volume = sum(terms)
    swept = value_of(sources, "parts.block.swept_volume") if g.swept_as_volume else area * g.stroke / 1000
    trapped, motion = 0.0, _AT_REST
    closes = g.closes if not math.isnan(g.stroke * g.rod) else None
    if closes is not None:
        motion = drop_and_slopes(g.stroke, g.rod, 180 + closes)
        trapped = area * motion[0] / 1000
    ratio = effective = None
    if volume > 0:
        ratio = _known(ratio_of(swept, volume))
        if closes is not None and ratio is not None:
            effective = _known(ratio_of(trapped, volume))
    slopes = slopes_of(g, area, clearance, motion)
    areas = Areas(area, g.pocket, g.land_area, g.opening, g.crown)
    if cuts:
        slopes += cut_slopes_of(g, area, deck_cut, crown_cut)
    doubtful = source_doubts(sources, slopes)
    if cuts:
        doubtful += operation_doubts(cuts, areas, model, totals)
        doubtful += height_doubts(sources, cuts, areas)
        if model is not None and "head" not in beyond:
            doubtful += head_doubts(sources, model, head_cut, build)
    if not g.land_diameter and build.unstated_doubt == "house" and not math.isnan(g.bore):
        doubtful.append(unknown_land(g.bore))
    if build.is_measured or build.cuts.passes or any(op.to_height is not None for _, op in cuts):
        doubtful = merged(doubtful)
    doubts, contributions = propagate(doubtful, volume, ratio, effective)
    if math.isnan(clearance + g.thickness + swept + volume):
        # What is not known has no doubt either, though some of what it waits for has.
        results = (clearance, clearance + g.thickness, swept, volume, ratio, effective)
        doubts = Doubts(
            *(
                Spread(NOT_KNOWN) if result is None or math.isnan(result) else doubt
                for result, doubt in zip(results, doubts, strict=True)
            )
        )
    return Outcome(
        _known(clearance),
        _known(clearance + g.thickness),
        _known(swept),
        _known(volume),
        ratio,
        effective,
        Terms(*(_known(term) for term in terms)),
        doubts,
        contributions,
        _known(g.thickness),
        areas,
        head_cut,
        crown_cut,
        deck_cut,
        frozenset(beyond),
    )


def _known(value: float) -> float | None:
    """A result as it is handed out: None where a figure that it needs is not there."""
    return None if math.isnan(value) else value


def _chamber(
    sources: dict[str, Source], g: Geometry, totals: dict[str, float], model: ChamberModel | None
) -> tuple[float, set[str]]:
    """The chamber under its cuts in cc, and which cut ends it: no room is left of it that could be milled."""
    chamber = value_of(sources, "parts.head.chamber_volume", NOT_KNOWN) + totals["open_chamber"]
    if totals["head_cut"]:
        if model is None:
            chamber = NOT_KNOWN
        elif totals["head_cut"] > model.deepest:
            return NOT_KNOWN, {"head"}
        else:
            chamber -= model.removed(totals["head_cut"])
            if chamber < 0:
                return NOT_KNOWN, {"head"}
    chamber -= g.pocket * totals["deck_cut"] / 1000
    return (NOT_KNOWN, {"deck"}) if chamber < 0 and g.pocket and totals["deck_cut"] else (chamber, set())


_AT_REST = (0.0, 0.0, 0.0, 0.0)
