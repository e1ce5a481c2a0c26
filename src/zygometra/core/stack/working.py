"""The working of a result: formula, figures put in with their basis, answer.

Data, so that page, print and command line show the same derivation.
"""

from __future__ import annotations

import math
from typing import NamedTuple

from ..build.model import Build
from ..fields import field_at
from ..place import Place, Scope
from ..quantity import coverage
from ..wording import Reader, figure, ratio_text, volume
from .results import Hole, Source
from .sources import chamber_model


class Given(NamedTuple):
    """One figure put into a formula, in the reader's units."""

    symbol: str
    label: str
    value: str
    basis: str
    doubt: str
    path: str


class Step(NamedTuple):
    """One line of the derivation."""

    key: str
    label: str
    formula: str
    figures: str
    answer: str
    band: str
    given: tuple[Given, ...]
    note: str = ""


def _given(source: Source | None, reader: Reader) -> tuple[Given, ...]:
    if source is None:
        return ()
    quantity = source.quantity
    name = source.path
    if Place.parse(name).scope is Scope.PLAN:
        symbol, label = "t", "gasket to fit"
        if name.endswith(".bore"):
            symbol, label = "G", "bore of the gasket to fit"
    else:
        field = field_at(name)
        symbol, label = field.symbol, field.label
    basis = quantity.basis if quantity.basis_stated or quantity.readings else "basis not stated"
    doubt = {
        "stated": "doubt as stated",
        "tolerance": "tolerance",
        "readings": f"{len(quantity.readings)} readings",
        "house": "house default doubt",
        "none": "doubt taken as nought",
    }[quantity.doubt]
    return (Given(symbol, label, reader.quantity(quantity), basis, doubt, name),)


def working(build: Build, hole: Hole, reader: Reader) -> tuple[Step, ...]:
    """Return the derivation of every result of one hole.

    Parameters
    ----------
    build : Build
        The build that was evaluated.
    hole : Hole
        One hole of one of its states.
    reader : Reader
        Whose units and words are used.

    Returns
    -------
    tuple of Step
        In the order of the arithmetic: clearance, quench, the volumes, ratio and,
        where the cam is known, effective ratio.
    """
    return (
        *_gaps(hole, reader),
        *_volumes(build, hole, reader),
        *_ratios(hole, reader),
    )


def _band(hole: Hole, name: str, write: str, reader: Reader) -> str:
    u, dof = getattr(hole.outcome.doubts, name)
    if u == 0:
        return ""
    half = coverage(dof) * u
    if write == "length":
        return f"± {reader.band(half)} (95 %)"
    digits = max(0, min(3, 1 - math.floor(math.log10(half)))) if half > 0 else 0
    return f"± {figure(half, digits)}{' cc' if write == 'cc' else ''} (95 %)"


def _gaps(hole: Hole, reader: Reader) -> list[Step]:
    outcome, get = hole.outcome, hole.sources.get

    def length(mm: float) -> str:
        return reader.length(mm)

    cuts = ""
    cut_figures = ""
    if outcome.deck_cut:
        cuts += " − deck cut"
        cut_figures += f" − {length(outcome.deck_cut)}"
    if outcome.crown_cut:
        cuts += " + crown cut"
        cut_figures += f" + {length(outcome.crown_cut)}"
    mock_up = get("mock-up.deck_clearance")
    if mock_up is not None:
        formula, figures = f"c = mock-up reading{cuts}", f"{length(mock_up.quantity.value)}"
        given = _given(mock_up, reader)
        note = "Read on the assembled parts; it replaces the paper stack for this hole."
    else:
        H, S, L, P = (
            get(path)
            for path in (
                "parts.block.deck_height",
                "parts.crank.stroke",
                "parts.rod.length",
                "parts.piston.compression_height",
            )
        )
        assert H
        assert S
        assert L
        assert P
        formula = f"c = H − (S/2 + L + P){cuts}"
        figures = (
            f"{length(H.quantity.value)} − ({length(S.quantity.value)} / 2 + "
            f"{length(L.quantity.value)} + {length(P.quantity.value)})"
        )
        given = tuple(g for source in (H, S, L, P) for g in _given(source, reader))
        note = "Pin offset is left out: below 0.01 mm at top dead centre for ordinary offsets."
    quench = reader.quench
    thickness = get("parts.gasket.thickness")
    return [
        Step(
            "deck_clearance",
            "deck clearance",
            formula,
            figures + cut_figures,
            reader.clearance(outcome.deck_clearance),
            _band(hole, "deck_clearance", "length", reader),
            given,
            note,
        ),
        Step(
            "quench",
            quench,
            f"{quench} = c + t",
            f"{length(outcome.deck_clearance)} + {length(outcome.gasket_thickness)}",
            length(outcome.quench),
            _band(hole, "quench", "length", reader),
            _given(thickness, reader),
        ),
    ]


def _volumes(build: Build, hole: Hole, reader: Reader) -> list[Step]:
    outcome, get = hole.outcome, hole.sources.get
    terms = outcome.terms

    def length(mm: float) -> str:
        return reader.length(mm)

    bore, stroke = get("parts.block.bore"), get("parts.crank.stroke")
    assert bore
    assert stroke
    area = f"A = π/4·B² = {outcome.bore_area / 100:.4f} cm²"
    steps = [
        Step(
            "swept",
            "swept volume",
            "Vs = π/4·B²·S",
            f"π/4 · ({length(bore.quantity.value)})² · {length(stroke.quantity.value)}",
            volume(outcome.swept),
            _band(hole, "swept", "cc", reader),
            _given(bore, reader) + _given(stroke, reader),
            area,
        ),
        _chamber_step(build, hole, reader),
    ]
    opening, gasket_bore = get("parts.gasket.opening_area"), get("parts.gasket.bore")
    if opening is not None:
        steps.append(
            Step(
                "gasket",
                "gasket volume",
                "V_gasket = A_gasket·t",
                f"{outcome.gasket_area:.0f} mm² · {length(outcome.gasket_thickness)}",
                volume(terms.gasket),
                "",
                _given(opening, reader),
            )
        )
    else:
        assert gasket_bore
        steps.append(
            Step(
                "gasket",
                "gasket volume",
                "V_gasket = π/4·G²·t",
                f"π/4 · ({length(gasket_bore.quantity.value)})² · {length(outcome.gasket_thickness)}",
                volume(terms.gasket),
                "",
                _given(gasket_bore, reader),
            )
        )
    steps.append(
        Step(
            "deck",
            "deck volume",
            "V_deck = A·c",
            f"{outcome.bore_area / 100:.4f} cm² · {length(outcome.deck_clearance)}",
            volume(terms.deck),
            "",
            (),
            "Negative where the piston stands proud: it takes room away." if terms.deck < 0 else "",
        )
    )
    steps.append(_crown_step(hole, reader))
    steps.append(_crevice_step(hole, reader))
    parts = [terms.chamber, terms.gasket, terms.deck, terms.crown, terms.crevice]
    formula = "Vc = V_chamber + V_gasket + V_deck + V_crown + V_crevice"
    given: tuple[Given, ...] = ()
    if terms.other:
        parts.append(terms.other)
        formula += " + V_other"
        given = _given(get("parts.head.other_volume"), reader)
    steps.append(
        Step(
            "clearance",
            "clearance volume",
            formula,
            " + ".join(figure(part, 2) for part in parts).replace("+ −", "− "),
            volume(outcome.clearance),
            _band(hole, "clearance", "cc", reader),
            given,
        )
    )
    return steps


def _chamber_step(build: Build, hole: Hole, reader: Reader) -> Step:
    outcome = hole.outcome
    source = hole.sources["parts.head.chamber_volume"]
    given = _given(source, reader)
    formula, figures, note = "V_chamber", reader.quantity(source.quantity), ""
    opened = sum(op.amount.value for _, op in hole.cuts if op.op == "open_chamber" and op.amount)
    if outcome.head_cut:
        removed = chamber_model(build, hole.sources).removed(outcome.head_cut)
        formula += " − milled"
        figures += f" − {volume(removed)}"
        for name in ("opening_area", "opening_perimeter", "wall_draft", "removal_rate"):
            given += _given(hole.sources.get(f"parts.head.{name}"), reader)
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
        given += _given(pocket, reader)
    return Step("chamber", "chamber volume", formula, figures, volume(outcome.terms.chamber), "", given, note)


def _crown_step(hole: Hole, reader: Reader) -> Step:
    outcome = hole.outcome
    source = hole.sources["parts.piston.crown_volume"]
    formula, figures = "V_crown", reader.quantity(source.quantity)
    given = _given(source, reader)
    dish = hole.sources.get("parts.piston.dish_area")
    if outcome.crown_cut and dish is not None and dish.quantity.value:
        formula += " − A_dish·crown cut"
        figures += f" − {volume(dish.quantity.value * outcome.crown_cut / 1000)}"
        given += _given(dish, reader)
    return Step(
        "crown",
        "crown volume",
        formula,
        figures,
        volume(outcome.terms.crown),
        "",
        given,
        "Positive adds room (dish, pockets), negative takes it away (dome).",
    )


def _crevice_step(hole: Hole, reader: Reader) -> Step:
    outcome, get = hole.outcome, hole.sources.get
    land, top_land = get("parts.piston.top_land_diameter"), get("parts.piston.top_land_height")
    if land is None or top_land is None:
        return Step(
            "crevice",
            "crevice volume",
            "V_crevice",
            "not known",
            volume(0.0),
            "",
            (),
            "Top land diameter or height is not known: taken as nought.",
        )
    height = top_land.quantity.value - outcome.crown_cut
    return Step(
        "crevice",
        "crevice volume",
        "V_crevice = π/4·(B² − D²)·h",
        f"{outcome.land_area / 100:.4f} cm² · {reader.length(height)}",
        volume(outcome.terms.crevice),
        "",
        _given(land, reader) + _given(top_land, reader),
    )


def _ratios(hole: Hole, reader: Reader) -> list[Step]:
    outcome = hole.outcome
    if outcome.compression_ratio is None:
        return [
            Step(
                "compression_ratio",
                "compression ratio",
                "(Vs + Vc)/Vc",
                "no room above the piston",
                "—",
                "",
                (),
                "An impossible engine: the terms of the clearance volume sum to "
                f"{volume(outcome.clearance)}.",
            )
        ]
    steps = [
        Step(
            "compression_ratio",
            "compression ratio",
            "(Vs + Vc)/Vc",
            f"({volume(outcome.swept)} + {volume(outcome.clearance)}) / {volume(outcome.clearance)}",
            ratio_text(outcome.compression_ratio),
            _band(hole, "compression_ratio", "ratio", reader),
            (),
        ),
    ]
    closes = hole.sources.get("cam.intake_closes")
    if outcome.effective is not None and closes is not None:
        lift = hole.sources.get("cam.at_lift")
        trapped = (outcome.effective - 1) * outcome.clearance
        steps.append(
            Step(
                "effective",
                "effective ratio",
                "(A·x(180° + θ) + Vc)/Vc",
                f"({volume(trapped)} + {volume(outcome.clearance)}) / {volume(outcome.clearance)}",
                ratio_text(outcome.effective),
                _band(hole, "effective", "ratio", reader),
                _given(closes, reader) + _given(lift, reader),
                "x is how far the piston has still to rise when the intake closes. "
                + (
                    "The lift belongs to the figure."
                    if lift is not None
                    else "The lift at which the closing is quoted is not stated."
                ),
            )
        )
    return steps


def as_text(steps: tuple[Step, ...]) -> str:
    """Write a derivation as plain text.

    Parameters
    ----------
    steps : tuple of Step
        From :func:`working`.

    Returns
    -------
    str
        One paragraph a step.
    """
    lines: list[str] = []
    for step in steps:
        lines.append(f"{step.label}")
        lines.append(f"    {step.formula}")
        lines.append(f"    = {step.figures}")
        lines.append(f"    = {step.answer}{'  ' + step.band if step.band else ''}")
        lines.extend(
            f"      {g.symbol:<10} {g.value:>14}  {g.basis}, {g.doubt}  ({g.path})" for g in step.given
        )
        if step.note:
            lines.append(f"      {step.note}")
        lines.append("")
    return "\n".join(lines)
