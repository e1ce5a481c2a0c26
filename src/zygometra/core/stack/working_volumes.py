"""The working of the volumes: swept, chamber, gasket, deck, crown, crevice, and their sum."""

from __future__ import annotations

import math

from ..build.model import Build
from ..digits import UNKNOWN, figure, volume
from ..usual_figures import USUAL_OPENING
from ..wording import Reader
from .arithmetic import cylinder_volume
from .assumed import is_assumed
from .in_hole import PLACES
from .kernel import flat_cut, kept_by_cone, narrowed
from .results import Hole
from .sources import chamber_model
from .working_steps import Given, WorkingStep, band_of, given_of, value_in


# long: the steps of one derivation, in their order
def volumes(build: Build, hole: Hole, reader: Reader) -> list[WorkingStep]:
    """Return the steps of the volumes of one hole: swept, then each term of the clearance volume, then their sum.

    Parameters
    ----------
    build : Build
        The build.
    hole : Hole
        One hole of one state.
    reader : Reader
        Units and words.
    """
    outcome, terms = hole.outcome, hole.outcome.terms

    steps = [_swept_step(hole, reader), _chamber_step(build, hole, reader), _gasket_step(hole, reader)]
    steps.append(
        WorkingStep(
            "deck",
            "deck volume",
            formula="V_deck = A·c",
            figures=f"{_square(outcome.bore_area)} · {reader.length(outcome.deck_clearance)}",
            answer=volume(terms.deck),
            band="",
            given=(),
            note="Negative where the piston stands proud: it takes room away."
            if terms.deck is not None and terms.deck < 0
            else "",
        )
    )
    steps.append(_crown_step(hole, reader))
    steps.append(_crevice_step(hole, reader))
    if (edge := _edge_step(hole, reader)) is not None:
        steps.append(edge)
    steps.append(_clearance_step(hole, reader))
    return steps


def _square(area: float) -> str:
    """An area in cm²; a dash where it is not known."""
    return f"{UNKNOWN} cm²" if math.isnan(area) else f"{area / 100:.4f} cm²"


def _swept_step(hole: Hole, reader: Reader) -> WorkingStep:
    outcome, get = hole.outcome, hole.sources.get
    bore, stroke, given = get("parts.block.bore"), get("parts.crank.stroke"), get("parts.block.swept_volume")
    answer, band = volume(outcome.swept), band_of(hole, "swept", "cc", reader)
    if given is not None and (bore is None or stroke is None):
        figures = reader.quantity(given.quantity)
        return WorkingStep(
            "swept",
            "swept volume",
            formula="Vs as given",
            figures=figures,
            answer=answer,
            band=band,
            given=given_of(given, reader),
        )
    diameter, travel = (
        reader.length(value_in(hole, path)) for path in ("parts.block.bore", "parts.crank.stroke")
    )
    return WorkingStep(
        "swept",
        "swept volume",
        formula="Vs = π/4·B²·S",
        figures=f"π/4 · ({diameter})² · {travel}",
        answer=answer,
        band=band,
        given=given_of(bore, reader) + given_of(stroke, reader),
        note=f"A = π/4·B² = {_square(outcome.bore_area)}",
    )


# long: what it puts together is told field by field, a line each
def _gasket_step(hole: Hole, reader: Reader) -> WorkingStep:
    outcome, get = hole.outcome, hole.sources.get
    opening = get("parts.gasket.opening_area")
    thickness, answer = reader.length(outcome.gasket_thickness), volume(outcome.terms.gasket)
    if opening is not None:
        formula, figures = "V_gasket = A_gasket·t", f"{outcome.gasket_area:.0f} mm² · {thickness}"
        return WorkingStep(
            "gasket",
            "gasket volume",
            formula=formula,
            figures=figures,
            answer=answer,
            band="",
            given=given_of(opening, reader),
        )
    bore, given = get("parts.gasket.bore"), get("parts.gasket.volume")
    if given is not None and (bore is None or outcome.gasket_thickness is None):
        figures = reader.quantity(given.quantity)
        note = "The volume as it was given; with the gasket's bore it would follow from the thickness."
        return WorkingStep(
            "gasket",
            "gasket volume",
            formula="V_gasket as given",
            figures=figures,
            answer=answer,
            band="",
            given=given_of(given, reader),
            note=note,
        )
    across = reader.length(value_in(hole, "parts.gasket.bore"))
    formula, figures = "V_gasket = π/4·G²·t", f"π/4 · ({across})² · {thickness}"
    if bore is not None and is_assumed(bore):
        wider, within = (reader.limit(mm) for mm in USUAL_OPENING)
        note = f"Nobody told its bore: the cylinder's and {wider} ± {within} stands in, from the bore up."
        bore_there = given_of(get("parts.block.bore"), reader)
        return WorkingStep(
            "gasket",
            "gasket volume",
            formula=f"V_gasket = π/4·(B + {wider})²·t",
            figures=figures,
            answer=answer,
            band="",
            given=bore_there,
            note=note,
        )
    return WorkingStep(
        "gasket",
        "gasket volume",
        formula=formula,
        figures=figures,
        answer=answer,
        band="",
        given=given_of(bore, reader),
    )


def _chamber_step(build: Build, hole: Hole, reader: Reader) -> WorkingStep:
    outcome = hole.outcome
    source = hole.sources.get("parts.head.chamber_volume")
    given = given_of(source, reader)
    formula, figures, note = "V_chamber", UNKNOWN if source is None else reader.quantity(source.quantity), ""
    opened = sum(op.amount.value for _, op in hole.cuts if op.op == "open_chamber" and op.amount)
    if outcome.head_cut:
        model = chamber_model(build, hole.sources)
        known = model is not None and outcome.head_cut <= model.deepest
        removed = model.removed(outcome.head_cut) if model is not None and known else None
        formula += " − milled"
        figures += f" − {volume(removed)}"
        for name in ("opening_area", "opening_perimeter", "wall_draft", "removal_rate"):
            given += given_of(hole.sources.get(f"parts.head.{name}"), reader)
        note = (
            f"A head cut h of {reader.length(outcome.head_cut)} takes A_open·h − ½·p·tan α·h²."
            if "parts.head.removal_rate" not in hole.sources and not build.step_fills
            else f"A head cut of {reader.length(outcome.head_cut)} at the rate that is known."
        )
    if opened:
        formula += " + opened"
        figures += f" + {volume(opened)}"
    pocket = hole.sources.get("parts.block.pocket_area")
    if pocket is not None and outcome.deck_cut:
        formula += " − A_pocket·deck cut"
        figures += f" − {volume(pocket.quantity.value * outcome.deck_cut / 1000)}"
        given += given_of(pocket, reader)
    return WorkingStep(
        "chamber",
        "chamber volume",
        formula=formula,
        figures=figures,
        answer=volume(outcome.terms.chamber),
        band="",
        given=given,
        note=note,
    )


def _crown_step(hole: Hole, reader: Reader) -> WorkingStep:
    outcome = hole.outcome
    source = hole.sources.get("parts.piston.crown_volume")
    formula, figures = "V_crown", UNKNOWN if source is None else reader.quantity(source.quantity)
    given = given_of(source, reader)
    get, crown, cut = hole.sources.get, outcome.areas.crown, outcome.crown_cut
    dish, note = (
        get("parts.piston.dish_area"),
        "Positive adds room (dish, pockets), negative takes it away (dome).",
    )
    off = flat_cut(crown, cut)
    if cut and crown.above_rim:
        formula += " + A_above·min(crown cut, z)"
        figures += f" + {volume(cylinder_volume(crown.above_area, off.above))}"
        given += given_of(get("parts.piston.above_rim"), reader)
        given += given_of(get("parts.piston.above_rim_area"), reader)
    if off.rim and dish is not None and dish.quantity.value:
        formula += " − A_dish·crown cut"
        figures += f" − {volume(off.dish)}"
        given += given_of(dish, reader)
        if crown.to_cone is not None:
            less = volume(kept_by_cone(crown, off.rim))
            note = f"Straight walls; a cone of that opening and volume would lose {less} less: that is its doubt."
    elif (off.rim and crown.untold is not None) or (source is None and PLACES["dish_begun"] in hole.sources):
        formula += " − what the cut takes of the dish"
        figures = f"{figures}, less nobody knows what"
        note = "The rim is cut, and nobody told the opening of the dish (dish area): what is left of it is not known."
    if sunk := sum(op.amount.value for _, op in hole.cuts if op.op == "bowl" and op.amount):
        formula += " + bowl"
        figures += f" + {volume(sunk)}"
    return WorkingStep(
        "crown",
        "crown volume",
        formula=formula,
        figures=figures,
        answer=volume(outcome.terms.crown),
        band="",
        given=given,
        note=note,
    )


def _crevice_step(hole: Hole, reader: Reader) -> WorkingStep:
    outcome, get = hole.outcome, hole.sources.get
    land, top_land = get("parts.piston.top_land_diameter"), get("parts.piston.top_land_height")
    if land is None or top_land is None:
        return WorkingStep(
            "crevice",
            "crevice volume",
            formula="V_crevice",
            figures="not known",
            answer=volume(0.0),
            band="",
            given=(),
            note="Top land diameter or height is not known: taken as nought.",
        )
    height = top_land.quantity.value - outcome.areas.crown.rim_cut(outcome.crown_cut)
    return WorkingStep(
        "crevice",
        "crevice volume",
        formula="V_crevice = π/4·(B² − D²)·h",
        figures=f"{_square(outcome.land_area)} · {reader.length(height)}",
        answer=volume(outcome.terms.crevice),
        band="",
        given=given_of(land, reader) + given_of(top_land, reader),
    )


def _edge_step(hole: Hole, reader: Reader) -> WorkingStep | None:
    """The chamfer at the bore's upper edge; None where that is sharp."""
    f, other = hole.outcome.figures, hole.outcome.terms.other
    if f.edge_width is None:
        return None
    width, angle = (hole.sources.get(PLACES[name]) for name in ("edge_width", "edge_angle"))
    left = narrowed(f.edge_width, f.edge_angle, hole.outcome.deck_cut)
    return WorkingStep(
        "edge",
        "edge chamfer",
        formula="V_edge = π·w²·tan β·(B/2 + w/3)",
        figures=f"w {reader.length(left)}, β {figure(f.edge_angle, 1)}°",
        answer=volume(None if other is None else other - (f.other_volume or 0.0)),
        band="",
        given=given_of(width, reader) + given_of(angle, reader),
        note="A triangle turned about the bore's axis (Pappus); a deck cut leaves it narrower.",
    )


def _clearance_step(hole: Hole, reader: Reader) -> WorkingStep:
    outcome, terms = hole.outcome, hole.outcome.terms
    parts = [terms.chamber, terms.gasket, terms.deck, terms.crown, terms.crevice]
    formula = "Vc = V_chamber + V_gasket + V_deck + V_crown + V_crevice"
    given: tuple[Given, ...] = ()
    if other := outcome.figures.other_volume:
        parts.append(other)
        formula += " + V_other"
        given = given_of(hole.sources.get("parts.head.other_volume"), reader)
    if outcome.figures.edge_width is not None:
        parts.append(None if terms.other is None else terms.other - (other or 0.0))
        formula += " + V_edge"
    return WorkingStep(
        "clearance",
        "clearance volume",
        formula=formula,
        figures=" + ".join(figure(part, 2) for part in parts).replace("+ −", "− "),
        answer=volume(outcome.clearance),
        band=band_of(hole, "clearance", "cc", reader),
        given=given,
    )
