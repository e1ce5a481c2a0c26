"""The arithmetic of one hole: clearance, volumes, ratio, and the slopes that carry its doubt.

Lengths in mm, areas in mm², volumes in cc. Planned operations are terms in it, so
that today's state and the planned one go through the same lines. A figure that is not
there is "not a number" in here: it spoils just the results that need it, and those are
handed out as None.
"""

from __future__ import annotations

import math
from typing import NamedTuple

from ..build.lever_table import AMOUNTS, LEVER
from ..build.model import GASKET_FIGURES, Bank, Build, Gasket, Operation
from .arithmetic import QUARTER_PI, circle_area, deck_clearance, ratio_of
from .chamber import ChamberModel, DraftedChamber, RateChamber, StepFilledChamber
from .crown import Crown, crown_of
from .motion import drop_and_slopes
from .results import Contribution, Doubts, Hole, Outcome, Source, Terms
from .slopes import Areas, volume_slope
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
    cuts = tuple((path, op) for path, op in labelled if op.acts_on(bank.name, number))
    for path, op in cuts:
        if op.gasket is not None:
            sources = _with_gasket(sources, path, op.gasket)
    outcome = _outcome(sources, cuts, build)
    return Hole(number, bank.name, sources, cuts, outcome)


def _with_gasket(sources: dict[str, Source], path: str, gasket: Gasket) -> dict[str, Source]:
    """The figures with another gasket: what it does not say stays, unless its own figures say it otherwise."""
    sources = dict(sources)
    # A round gasket in place of one whose opening was given as an area, and the like.
    given = {name for name in GASKET_FIGURES if getattr(gasket, name) is not None}
    lapsed = set()
    if "bore" in given or "volume" in given:
        lapsed |= {"opening_area", "bore"}
    if given - {"volume"}:
        lapsed.add("volume")
    if "opening_area" in given:
        lapsed.add("bore")
    for name in lapsed - given:
        sources.pop(f"parts.gasket.{name}", None)
    for name in given:
        sources[f"parts.gasket.{name}"] = Source(f"{path}.gasket.{name}", getattr(gasket, name))
    return sources


def _amounts(cuts: tuple[tuple[str, Operation], ...]) -> dict[str, float]:
    totals = dict(_NO_CUTS)
    for _path, op in cuts:
        if op.amount is not None:
            totals[op.op] += op.amount.value
    return totals


_NO_CUTS: dict[str, float] = {lever.key: 0.0 for lever in AMOUNTS}

# One source's slopes before they meet its doubt: place, then clearance, what the
# gasket adds to quench, swept, clearance volume, trapped volume.
_Slopes = tuple[str, float, float, float, float, float]


class _Geometry(NamedTuple):
    """The floats of one hole that both the results and their slopes are made of."""

    bore: float
    stroke: float
    rod: float
    thickness: float
    gasket_bore: float
    opening: float
    opening_known: bool
    as_volume: bool
    swept_as_volume: bool
    mocked_up: bool
    land_diameter: float
    land_height: float
    land_area: float
    crown: Crown
    dish_gone: bool
    pocket: float
    closes: float | None


def _geometry(sources: dict[str, Source], crown_cut: float) -> _Geometry:
    get = sources.get
    bore, stroke = (
        value_of(sources, path, _NOT_KNOWN) for path in ("parts.block.bore", "parts.crank.stroke")
    )
    land, height = get("parts.piston.top_land_diameter"), get("parts.piston.top_land_height")
    crown = _crown(sources)
    diameter = land_height = land_area = 0.0
    if land is not None and height is not None:
        diameter = land[1].value
        land_area = circle_area(bore) - circle_area(diameter)
        land_height = height[1].value - crown.rim_cut(crown_cut)
    closes = get("cam.intake_closes")
    thickness = value_of(sources, "parts.gasket.thickness", _NOT_KNOWN)
    gasket_bore = value_of(sources, "parts.gasket.bore", _NOT_KNOWN)
    opening = value_of(sources, "parts.gasket.opening_area", circle_area(gasket_bore))
    return _Geometry(
        bore,
        stroke,
        value_of(sources, "parts.rod.length", _NOT_KNOWN),
        thickness,
        gasket_bore,
        opening,
        "parts.gasket.opening_area" in sources,
        # A volume stands in only where the dimensions do not give it.
        math.isnan(opening * thickness) and "parts.gasket.volume" in sources,
        math.isnan(bore * stroke) and "parts.block.swept_volume" in sources,
        "mock-up.deck_clearance" in sources,
        diameter,
        land_height,
        land_area,
        crown,
        crown.rim_cut(crown_cut) > crown.dish_depth,
        value_of(sources, "parts.block.pocket_area"),
        None if closes is None else closes[1].value,
    )


def _crown(sources: dict[str, Source]) -> Crown:
    """The crown as a flat cut meets it; of what stands above the rim only what somebody said."""
    above = value_of(sources, "parts.piston.above_rim")
    area = value_of(sources, "parts.piston.above_rim_area", _NOT_KNOWN) if above > 0 else 0.0
    volume = value_of(sources, "parts.piston.crown_volume", _NOT_KNOWN)
    return crown_of(above, area, value_of(sources, "parts.piston.dish_area"), volume)


def _clearance(sources: dict[str, Source], g: _Geometry) -> float:
    """Deck clearance before any cut: the mock-up's reading, or the stack."""
    if g.mocked_up:
        return sources["mock-up.deck_clearance"][1].value
    height = value_of(sources, "parts.block.deck_height", _NOT_KNOWN)
    return deck_clearance(
        height, g.stroke, g.rod, value_of(sources, "parts.piston.compression_height", _NOT_KNOWN)
    )


# long: the stack's arithmetic in its order: each line wants those before it
def _outcome(sources: dict[str, Source], cuts: tuple[tuple[str, Operation], ...], build: Build) -> Outcome:
    """The arithmetic of one hole. Lengths mm, areas mm², volumes cc."""
    totals = _amounts(cuts) if cuts else _NO_CUTS
    deck_cut, head_cut, crown_cut = totals["deck_cut"], totals["head_cut"], totals["crown_cut"]
    g = _geometry(sources, crown_cut)
    area = circle_area(g.bore)
    clearance = _clearance(sources, g) - deck_cut + g.crown.rim_cut(crown_cut)
    model = chamber_model(build, sources) if head_cut else None
    chamber, beyond = _chamber(sources, g, totals, model)
    if g.land_height < 0 or (crown_cut and g.land_height == 0 and g.land_diameter):
        beyond |= {"crown"}
    gasket = value_of(sources, "parts.gasket.volume") if g.as_volume else g.opening * g.thickness / 1000
    crown = value_of(sources, "parts.piston.crown_volume", _NOT_KNOWN) + g.crown.gained(crown_cut)
    crevice = g.land_area * g.land_height / 1000 if g.land_diameter else 0.0
    if "crown" in beyond:
        crevice = _NOT_KNOWN
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
    slopes = _slopes(g, area, clearance, motion)
    areas = Areas(area, g.pocket, g.land_area, g.opening, g.crown)
    if cuts:
        slopes += _cut_slopes(g, area, deck_cut, crown_cut)
    doubtful = _source_doubts(sources, slopes)
    if cuts:
        doubtful += _operation_doubts(cuts, areas, model, totals)
        if model is not None and "head" not in beyond:
            doubtful += _head_doubts(sources, model, head_cut, build)
    doubts, contributions = _propagate(doubtful, volume, ratio, effective)
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
    sources: dict[str, Source], g: _Geometry, totals: dict[str, float], model: ChamberModel | None
) -> tuple[float, set[str]]:
    """The chamber under its cuts in cc, and which cut ends it: no room is left of it that could be milled."""
    chamber = value_of(sources, "parts.head.chamber_volume", _NOT_KNOWN) + totals["open_chamber"]
    if totals["head_cut"]:
        if model is None:
            chamber = _NOT_KNOWN
        elif totals["head_cut"] > model.deepest:
            return _NOT_KNOWN, {"head"}
        else:
            chamber -= model.removed(totals["head_cut"])
            if chamber < 0:
                return _NOT_KNOWN, {"head"}
    chamber -= g.pocket * totals["deck_cut"] / 1000
    return (_NOT_KNOWN, {"deck"}) if chamber < 0 and g.pocket and totals["deck_cut"] else (chamber, set())


_NOT_KNOWN = math.nan
_AT_REST = (0.0, 0.0, 0.0, 0.0)


# long: a table: a line is what one figure moves
def _slopes(
    g: _Geometry,
    area: float,
    clearance: float,
    motion: tuple[float, float, float, float],
) -> list[_Slopes]:
    """The slopes of the results on every figure, per base unit of the figure."""
    travel, by_stroke, by_rod, by_angle = motion
    per_mm = area / 1000
    by_bore = 2 * QUARTER_PI * g.bore / 1000
    by_swept = 0.0 if g.swept_as_volume else 1.0
    by_thickness = 0.0 if g.as_volume else g.opening / 1000
    half = 0.0 if g.mocked_up else 0.5
    rows: list[_Slopes] = [
        ("parts.crank.stroke", -half, 0.0, per_mm if by_swept else 0.0, -half * per_mm, per_mm * by_stroke),
        ("parts.rod.length", -2 * half, 0.0, 0.0, -2 * half * per_mm, per_mm * by_rod),
        (
            "parts.block.bore",
            0.0,
            0.0,
            by_bore * g.stroke if by_swept else 0.0,
            by_bore * (clearance + g.land_height),
            by_bore * travel,
        ),
        ("parts.gasket.thickness", 0.0, 1.0, 0.0, by_thickness, 0.0),
        ("parts.head.chamber_volume", 0.0, 0.0, 0.0, 1.0, 0.0),
        ("parts.head.other_volume", 0.0, 0.0, 0.0, 1.0, 0.0),
        # Once the dish is cut through the flat is left, whatever the crown held.
        ("parts.piston.crown_volume", 0.0, 0.0, 0.0, 0.0 if g.dish_gone else 1.0, 0.0),
    ]
    if g.mocked_up:
        rows.append(("mock-up.deck_clearance", 1.0, 0.0, 0.0, per_mm, 0.0))
    else:
        rows.append(("parts.block.deck_height", 1.0, 0.0, 0.0, per_mm, 0.0))
        rows.append(("parts.piston.compression_height", -1.0, 0.0, 0.0, -per_mm, 0.0))
    if g.swept_as_volume:
        rows.append(("parts.block.swept_volume", 0.0, 0.0, 1.0, 0.0, 0.0))
    if g.as_volume:
        rows.append(("parts.gasket.volume", 0.0, 0.0, 0.0, 1.0, 0.0))
    elif g.opening_known:
        rows.append(("parts.gasket.opening_area", 0.0, 0.0, 0.0, g.thickness / 1000, 0.0))
    else:
        by_opening = 2 * QUARTER_PI * g.gasket_bore * g.thickness / 1000
        rows.append(("parts.gasket.bore", 0.0, 0.0, 0.0, by_opening, 0.0))
    if g.land_diameter:
        by_land = -2 * QUARTER_PI * g.land_diameter * g.land_height / 1000
        rows.append(("parts.piston.top_land_height", 0.0, 0.0, 0.0, g.land_area / 1000, 0.0))
        rows.append(("parts.piston.top_land_diameter", 0.0, 0.0, 0.0, by_land, 0.0))
    if g.closes is not None:
        rows.append(("cam.intake_closes", 0.0, 0.0, 0.0, 0.0, per_mm * by_angle))
    return rows


def _cut_slopes(g: _Geometry, area: float, deck_cut: float, crown_cut: float) -> list[_Slopes]:
    """The slopes on the areas and heights that only a cut brings in."""
    crown = g.crown
    rim = crown.rim_cut(crown_cut)
    rows: list[_Slopes] = [("parts.block.pocket_area", 0.0, 0.0, 0.0, -deck_cut / 1000, 0.0)]
    if not g.dish_gone:
        rows.append(("parts.piston.dish_area", 0.0, 0.0, 0.0, -rim / 1000, 0.0))
    if crown.above_rim:
        by_area = 0.0 if g.dish_gone else min(crown_cut, crown.above_rim) / 1000
        rows.append(("parts.piston.above_rim_area", 0.0, 0.0, 0.0, by_area, 0.0))
    if crown.above_rim and rim > 0:
        opened = 0.0 if g.dish_gone else crown.above_area + crown.dish_area
        rows.append(("parts.piston.above_rim", -1.0, 0.0, 0.0, (opened - area + g.land_area) / 1000, 0.0))
    return rows


def _source_doubts(sources: dict[str, Source], rows: list[_Slopes]) -> list[Contribution]:
    """Meet the slopes with the doubts of the figures that were used."""
    found = []
    for place, clearance, gasket, swept, volume, trapped in rows:
        source = sources.get(place)
        if source is not None:
            path, quantity = source
            if quantity.u > 0:
                found.append(
                    (
                        path,
                        quantity.u,
                        quantity.dof,
                        quantity.each,
                        clearance,
                        clearance + gasket,
                        swept,
                        volume,
                        trapped,
                    )
                )
    return found


def _operation_doubts(
    cuts: tuple[tuple[str, Operation], ...],
    areas: Areas,
    model: ChamberModel | None,
    totals: dict[str, float],
) -> list[Contribution]:
    """How far each planned amount may be missed, and what that moves."""
    found: list[Contribution] = []
    for path, op in cuts:
        amount = op.amount
        if amount is None or amount.u == 0:
            continue
        lever, total = LEVER[op.op], totals[op.op]
        milled = 0.0
        if op.op == "head_cut":
            milled = model.rate(total) if model is not None and total <= model.deepest else _NOT_KNOWN
        by_volume = volume_slope(op.op, areas, milled, total)
        moves = op.op != "crown_cut" or total >= areas.crown.above_rim
        clearance, quench = (lever.clearance, lever.quench) if moves else (0.0, 0.0)
        found.append((path, amount.u, amount.dof, amount.each, clearance, quench, 0.0, by_volume, 0.0))
    return found


def _head_doubts(
    sources: dict[str, Source], model: ChamberModel, cut: float, build: Build
) -> list[Contribution]:
    """The doubt of what a head cut takes, by the way it is known."""
    if isinstance(model, DraftedChamber):
        alpha = math.radians(model.wall_draft)
        by_draft = math.radians(1) * model.opening_perimeter / math.cos(alpha) ** 2
        head = "parts.head."
        return _source_doubts(
            sources,
            [
                (head + "opening_area", 0.0, 0.0, 0.0, -cut / 1000, 0.0),
                (head + "opening_perimeter", 0.0, 0.0, 0.0, 0.5 * math.tan(alpha) * cut**2 / 1000, 0.0),
                (head + "wall_draft", 0.0, 0.0, 0.0, 0.5 * by_draft * cut**2 / 1000, 0.0),
            ],
        )
    if isinstance(model, RateChamber):
        return _source_doubts(sources, [("parts.head.removal_rate", 0.0, 0.0, 0.0, -cut, 0.0)])
    assert isinstance(model, StepFilledChamber)
    found: list[Contribution] = []
    for i, (fill, by) in enumerate(zip(build.step_fills, model.slopes(cut), strict=True)):
        for name, quantity, slope in zip(("depth", "below"), fill, by, strict=True):
            if quantity.u > 0 and slope:
                path = f"parts.head.step_fills.{i}.{name}"
                found.append((path, quantity.u, quantity.dof, quantity.each, 0.0, 0.0, 0.0, -slope, 0.0))
    return found


def _propagate(
    contributions: list[Contribution], volume: float, ratio: float | None, effective: float | None
) -> tuple[Doubts, tuple[Contribution, ...]]:
    """Sum the squares, and Welch and Satterthwaite's fourth powers where readings are few.

    dCR = (dVs − (CR − 1)·dVc)/Vc, and likewise for the effective ratio.
    """
    c2 = q2 = s2 = v2 = r2 = e2 = c4 = q4 = s4 = v4 = r4 = e4 = 0.0
    over = 0.0 if ratio is None else ratio - 1
    trapped_over = 0.0 if effective is None else effective - 1
    inf = math.inf
    for _path, u, dof, _each, clearance, quench, d_swept, d_volume, d_trapped in contributions:
        uu = u * u
        c = clearance * clearance * uu
        q = quench * quench * uu
        s = d_swept * d_swept * uu
        v = d_volume * d_volume * uu
        slope = d_swept - over * d_volume
        r = slope * slope * uu
        slope = d_trapped - trapped_over * d_volume
        e = slope * slope * uu
        c2 += c
        q2 += q
        s2 += s
        v2 += v
        r2 += r
        e2 += e
        if dof != inf:
            c4 += c * c / dof
            q4 += q * q / dof
            s4 += s * s / dof
            v4 += v * v / dof
            r4 += r * r / dof
            e4 += e * e / dof
    root = math.sqrt
    scale = volume if volume > 0 else inf
    return Doubts(
        (root(c2), c2 * c2 / c4 if c4 else inf),
        (root(q2), q2 * q2 / q4 if q4 else inf),
        (root(s2), s2 * s2 / s4 if s4 else inf),
        (root(v2), v2 * v2 / v4 if v4 else inf),
        (root(r2) / scale, r2 * r2 / r4 if r4 else inf),
        (root(e2) / scale, e2 * e2 / e4 if e4 else inf),
    ), tuple(contributions)
