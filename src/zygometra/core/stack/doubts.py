"""The doubt of one hole's results: slopes written by hand, met with the doubts of the figures that were used."""

from __future__ import annotations

import math

from ..build.lever_table import LEVER
from ..build.model import Build, Operation
from ..usual_figures import USUAL_LAND
from .arithmetic import QUARTER_PI
from .chamber import ChamberModel, fill_slopes, removed_slopes
from .geometry import NOT_KNOWN, Geometry
from .results import Contribution, Doubts, Source, Spread
from .slopes import Areas, volume_slope

# One source's slopes before they meet its doubt: place, then clearance, what the
# gasket adds to quench, swept, clearance volume, trapped volume.
Slopes = tuple[str, float, float, float, float, float]


# long: a table: a line is what one figure moves
def slopes_of(
    g: Geometry,
    area: float,
    clearance: float,
    motion: tuple[float, float, float, float],
) -> list[Slopes]:
    """Return the slopes of the results on every figure, per base unit of the figure.

    Parameters
    ----------
    g : Geometry
        Floats of the hole.
    area : float
        Of the bore, in mm².
    clearance : float
        Under the plan, in mm.
    motion : tuple of float
        The piston's drop at intake closing in mm, and its slopes on stroke, rod (mm per mm) and angle (mm per degree).
    """
    travel, by_stroke, by_rod, by_angle = motion
    per_mm = area / 1000
    by_bore = 2 * QUARTER_PI * g.bore / 1000
    by_swept = 0.0 if g.swept_as_volume else 1.0
    by_thickness = 0.0 if g.as_volume else g.opening / 1000
    half = 0.0 if g.mocked_up else 0.5
    rows: list[Slopes] = [
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


def cut_slopes_of(g: Geometry, area: float, deck_cut: float, crown_cut: float) -> list[Slopes]:
    """Return the slopes on the areas and heights that only a cut brings in, per base unit of each.

    Parameters
    ----------
    g : Geometry
        Floats of the hole.
    area : float
        Of the bore, in mm².
    deck_cut, crown_cut : float
        Planned in all, in mm.
    """
    crown = g.crown
    rim = crown.rim_cut(crown_cut)
    rows: list[Slopes] = [("parts.block.pocket_area", 0.0, 0.0, 0.0, -deck_cut / 1000, 0.0)]
    if not g.dish_gone:
        rows.append(("parts.piston.dish_area", 0.0, 0.0, 0.0, -rim / 1000, 0.0))
    if crown.above_rim:
        by_area = 0.0 if g.dish_gone else min(crown_cut, crown.above_rim) / 1000
        rows.append(("parts.piston.above_rim_area", 0.0, 0.0, 0.0, by_area, 0.0))
    if crown.above_rim and rim > 0:
        opened = 0.0 if g.dish_gone else crown.above_area + crown.dish_area
        rows.append(("parts.piston.above_rim", -1.0, 0.0, 0.0, (opened - area + g.land_area) / 1000, 0.0))
    return rows


def source_doubts(sources: dict[str, Source], rows: list[Slopes]) -> list[Contribution]:
    """Meet slopes with the doubts of the figures that were used.

    Parameters
    ----------
    sources : dict
        The figures that count in the hole.
    rows : list
        A place and the slopes of the results on it.
    """
    found: list[Contribution] = []
    for place, clearance, gasket, swept, volume, trapped in rows:
        source = sources.get(place)
        if source is None or source.quantity.u == 0:
            continue
        quantity = source.quantity
        slopes = (clearance, clearance + gasket, swept, volume, trapped)
        if quantity.terms:
            found += [(key, u, dof, False, *slopes, pool, flat) for key, u, dof, pool, flat in quantity.terms]
        else:
            key = source.doubt_key
            found.append((key, quantity.u, quantity.dof, quantity.each, *slopes, None, quantity.rectangular))
    return found


def unknown_land(bore: float) -> Contribution:
    """Return the doubt of a ring around the top land that counts as nought because nobody knows it.

    Parameters
    ----------
    bore : float
        In mm.

    Notes
    -----
    Half-width π·B·gap·height of a usual land: what is taken as nought could as well be there (handbook of
    the trade, volumes and ratio). All holes share it.
    """
    gap, height = USUAL_LAND
    u = math.pi * bore * gap * height / 1000 / math.sqrt(3)
    return ("~land of unknown size", u, math.inf, False, 0.0, 0.0, 0.0, 1.0, 0.0, None, True)


def merged(contributions: list[Contribution]) -> list[Contribution]:
    """Join what one source moves in several ways: a gauge that read two figures of the hole.

    Parameters
    ----------
    contributions : list
        Of one hole; a key may stand several times.

    Returns
    -------
    list
        Each key once; where it was joined, u is 1 and the slopes are what one u moves.
    """
    by_key: dict[str, Contribution] = {}
    for item in contributions:
        before = by_key.get(item[0])
        if before is None:
            by_key[item[0]] = item
            continue
        (_, u1, dof, each, c1, q1, s1, v1, t1, pool, flat), (_, u2, _, _, c2, q2, s2, v2, t2, _, _) = (
            before,
            item,
        )
        by_key[item[0]] = (
            item[0],
            1.0,
            dof,
            each,
            c1 * u1 + c2 * u2,
            q1 * u1 + q2 * u2,
            s1 * u1 + s2 * u2,
            v1 * u1 + v2 * u2,
            t1 * u1 + t2 * u2,
            pool,
            flat,
        )
    return list(by_key.values())


def operation_doubts(
    cuts: tuple[tuple[str, Operation], ...],
    areas: Areas,
    model: ChamberModel | None,
    totals: dict[str, float],
) -> list[Contribution]:
    """Return how far each planned amount may be missed, and what that moves.

    Parameters
    ----------
    cuts : tuple
        The operations that act on the hole, each with its place.
    areas : Areas
        Of the hole, in mm².
    model : ChamberModel or None
        What milling takes; None where that is not known.
    totals : dict
        Of each lever, in mm or cc.
    """
    found: list[Contribution] = []
    for path, op in cuts:
        amount = op.amount
        if amount is None or amount.u == 0:
            continue
        lever, total = LEVER[op.op], totals[op.op]
        milled = 0.0
        if op.op == "head_cut":
            milled = model.rate(total) if model is not None and total <= model.deepest else NOT_KNOWN
        by_volume = volume_slope(op.op, areas, milled, total)
        moves = op.op != "crown_cut" or total >= areas.crown.above_rim
        clearance, quench = (lever.clearance, lever.quench) if moves else (0.0, 0.0)
        slopes = (clearance, quench, 0.0, by_volume, 0.0)
        found.append((path, amount.u, amount.dof, amount.each, *slopes, None, amount.rectangular))
    return found


def height_doubts(
    sources: dict[str, Source], cuts: tuple[tuple[str, Operation], ...], areas: Areas
) -> list[Contribution]:
    """Return what the doubt of a deck height moves where the deck is cut to a named height.

    Parameters
    ----------
    sources : dict
        The figures that count in the hole.
    cuts : tuple
        The operations that act on it, each with its place.
    areas : Areas
        Of the hole, in mm².

    Notes
    -----
    The cut is d = H − H*: with the stack c = H − K the height cancels, beside a clearance that was read it counts.
    """
    named = sum(op.to_height is not None for _, op in cuts)
    if not named:
        return []
    lever = LEVER["deck_cut"]
    by_volume = volume_slope("deck_cut", areas)
    row = ("parts.block.deck_height", named * lever.clearance, 0.0, 0.0, named * by_volume, 0.0)
    return source_doubts(sources, [row])


def head_doubts(
    sources: dict[str, Source], model: ChamberModel, cut: float, build: Build
) -> list[Contribution]:
    """Return the doubt of what a head cut takes, by the way it is known.

    Parameters
    ----------
    sources : dict
        The figures that count in the hole.
    model : ChamberModel
        What milling takes.
    cut : float
        Planned in all, in mm.
    build : Build
        For its fills in steps.
    """
    rows = [(path, 0.0, 0.0, 0.0, -slope, 0.0) for path, slope in removed_slopes(model, cut)]
    found = source_doubts(sources, rows)
    for path, slope, quantity in fill_slopes(model, cut, build.step_fills):
        slopes = (0.0, 0.0, 0.0, -slope, 0.0)
        found.append((path, quantity.u, quantity.dof, quantity.each, *slopes, None, quantity.rectangular))
    return found


# long: six results summed side by side in one pass: it is asked at every step of a lever
def propagate(
    contributions: list[Contribution], volume: float, ratio: float | None, effective: float | None
) -> tuple[Doubts, tuple[Contribution, ...]]:
    """Sum squares, and Welch and Satterthwaite's fourth powers where readings are few.

    Parameters
    ----------
    contributions : list
        Each source's doubt and the slopes of the results on it.
    volume : float
        Clearance volume in cc.
    ratio, effective : float or None
        Of the hole; no unit.

    Returns
    -------
    Doubts
        Of every result.
    tuple
        The contributions.

    Notes
    -----
    dCR = (dVs − (CR − 1)·dVc)/Vc, the ratio (Vs + Vc)/Vc differentiated, and likewise for
    the effective ratio; u² = Σ (slope·u)² (first-order propagation). Effective degrees of freedom
    u⁴/Σ(v²/ν) (Welch and Satterthwaite), after everything that rests on one scatter was added up.
    """
    over = 0.0 if ratio is None else ratio - 1
    trapped_over = 0.0 if effective is None else effective - 1
    c2 = q2 = s2 = v2 = r2 = e2 = 0.0
    # The largest rectangular part of each, and what rests on few degrees of freedom.
    cb = qb = sb = vb = rb = eb = 0.0
    few: dict[str, tuple[float, list[float]]] = {}
    for key, u, dof, _each, clearance, quench, d_swept, d_volume, d_trapped, pool, flat in contributions:
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
        if flat:
            cb, qb, sb = (c if c > cb else cb), (q if q > qb else qb), (s if s > sb else sb)
            vb, rb, eb = (v if v > vb else vb), (r if r > rb else rb), (e if e > eb else eb)
        elif dof != math.inf:
            at = few.setdefault(pool or key, (dof, [0.0] * 6))[1]
            for i, part in enumerate((c, q, s, v, r, e)):
                at[i] += part
    root = math.sqrt
    scale = volume if volume > 0 else math.inf
    squares, flats = (c2, q2, s2, v2, r2, e2), (cb, qb, sb, vb, rb, eb)
    spreads = [
        Spread(
            root(all_of), _effective(i, all_of, few) if few else math.inf, part / all_of if all_of else 0.0
        )
        for i, (all_of, part) in enumerate(zip(squares, flats, strict=True))
    ]
    for i in (4, 5):
        spreads[i] = spreads[i]._replace(u=spreads[i].u / scale)
    return Doubts(*spreads), tuple(contributions)


def _effective(result: int, all_of: float, few: dict[str, tuple[float, list[float]]]) -> float:
    """Effective degrees of freedom of one result."""
    fourth = math.fsum(parts[result] * parts[result] / dof for dof, parts in few.values())
    return all_of * all_of / fourth if fourth else math.inf
