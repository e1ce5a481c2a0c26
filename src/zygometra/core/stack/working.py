"""The working of a result: formula, figures put in with their basis, answer.

Data, so that page, print and command line show the same derivation.
"""

from __future__ import annotations

from ..build.model import Build
from ..digits import UNKNOWN, ratio_text, volume
from ..wording import Reader
from .missing import STACK
from .results import Hole
from .working_steps import Given, WorkingStep, band_of, given_of, value_in
from .working_volumes import volumes


def working(build: Build, hole: Hole, reader: Reader) -> tuple[WorkingStep, ...]:
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
        *volumes(build, hole, reader),
        *_ratios(hole, reader),
    )


def _gaps(hole: Hole, reader: Reader) -> list[WorkingStep]:
    outcome, get = hole.outcome, hole.sources.get

    def length(mm: float | None) -> str:
        return reader.length(mm)

    cuts = ""
    cut_figures = ""
    if outcome.deck_cut:
        cuts += " − deck cut"
        cut_figures += f" − {length(outcome.deck_cut)}"
    if outcome.crown_cut:
        above = outcome.areas.crown.above_rim
        cuts += " + (crown cut − z)" if above else " + crown cut"
        cut_figures += f" + {length(outcome.areas.crown.rim_cut(outcome.crown_cut))}"
    formula, figures, given, note = _mocked_up(hole, reader) or _on_paper(hole, reader)
    quench = reader.quench
    thickness = get("parts.gasket.thickness")
    return [
        *_above_rim(hole, reader),
        WorkingStep(
            "deck_clearance",
            "deck clearance",
            formula=formula + cuts,
            figures=figures + cut_figures,
            answer=reader.clearance(outcome.deck_clearance),
            band=band_of(hole, "deck_clearance", "length", reader),
            given=given,
            note=note,
        ),
        WorkingStep(
            "quench",
            quench,
            formula=f"{quench} = c + t",
            figures=f"{length(outcome.deck_clearance)} + {length(outcome.gasket_thickness)}",
            answer=length(outcome.quench),
            band=band_of(hole, "quench", "length", reader),
            given=given_of(thickness, reader),
        ),
    ]


def _above_rim(hole: Hole, reader: Reader) -> list[WorkingStep]:
    """What stands above the rim, where somebody said that something does."""
    told, cut = hole.sources.get("parts.piston.above_rim"), hole.outcome.crown_cut
    if told is None or not told.quantity.value:
        return []
    taken = f" − {reader.length(cut)}" if cut else ""
    return [
        WorkingStep(
            "above_rim",
            "above the rim",
            formula="z − crown cut, nought at the least" if cut else "z",
            figures=f"{reader.length(told.quantity.value)}{taken}",
            answer=reader.length(hole.above_rim),
            band="",
            given=given_of(told, reader),
            note="A flat cut takes this first: until the tool reaches the rim, clearance and gap do not move.",
        )
    ]


_Derived = tuple[str, str, tuple[Given, ...], str]


def _mocked_up(hole: Hole, reader: Reader) -> _Derived | None:
    """The clearance before any cut, as it was read on a mock-up; None where it was not."""
    read = hole.sources.get("mock-up.deck_clearance")
    if read is None:
        return None
    note = "Read on the assembled parts; it replaces the paper stack for this hole."
    return "c = mock-up reading", reader.length(read.quantity.value), given_of(read, reader), note


def _on_paper(hole: Hole, reader: Reader) -> _Derived:
    """The clearance before any cut, from the parts."""
    height, stroke, rod, piston = (reader.length(value_in(hole, path)) for path in STACK)
    given = tuple(g for path in STACK for g in given_of(hole.sources.get(path), reader))
    note = "Pin offset is left out: below 0.01 mm at top dead centre for ordinary offsets."
    return "c = H − (S/2 + L + P)", f"{height} − ({stroke} / 2 + {rod} + {piston})", given, note


# long: two steps of a derivation, and what stands where there is none
def _ratios(hole: Hole, reader: Reader) -> list[WorkingStep]:
    outcome = hole.outcome
    if outcome.clearance is None or (outcome.swept is None and outcome.clearance > 0):
        return [_waiting(hole)]
    if outcome.compression_ratio is None:
        return [
            WorkingStep(
                "compression_ratio",
                "compression ratio",
                formula="(Vs + Vc)/Vc",
                figures="no room above the piston",
                answer="—",
                band="",
                given=(),
                note="An impossible engine: the terms of the clearance volume sum to "
                f"{volume(outcome.clearance)}.",
            )
        ]
    steps = [
        WorkingStep(
            "compression_ratio",
            "compression ratio",
            formula="(Vs + Vc)/Vc",
            figures=f"({volume(outcome.swept)} + {volume(outcome.clearance)}) / {volume(outcome.clearance)}",
            answer=ratio_text(outcome.compression_ratio),
            band=band_of(hole, "compression_ratio", "ratio", reader),
            given=(),
        ),
    ]
    closes = hole.sources.get("cam.intake_closes")
    if outcome.effective is not None and closes is not None:
        lift = hole.sources.get("cam.at_lift")
        trapped = (outcome.effective - 1) * outcome.clearance
        steps.append(
            WorkingStep(
                "effective",
                "effective ratio",
                formula="(A·x(180° + θ) + Vc)/Vc",
                figures=f"({volume(trapped)} + {volume(outcome.clearance)}) / {volume(outcome.clearance)}",
                answer=ratio_text(outcome.effective),
                band=band_of(hole, "effective", "ratio", reader),
                given=given_of(closes, reader) + given_of(lift, reader),
                note="x is how far the piston has still to rise when the intake closes. "
                + (
                    "The lift belongs to the figure."
                    if lift is not None
                    else "The lift at which the closing is quoted is not stated."
                ),
            )
        )
    return steps


def _waiting(hole: Hole) -> WorkingStep:
    """The step of a ratio that is not known yet."""
    ended = {
        "head": "The head is cut past the end of its chamber",
        "crown": "The crown is cut through its top land",
        "deck": "The deck is cut past the end of the valve pocket",
    }
    note = "; ".join(ended[what] for what in sorted(hole.outcome.beyond)) or "A figure is not known yet"
    formula, figures = "(Vs + Vc)/Vc", f"Vs {volume(hole.outcome.swept)}, Vc {volume(hole.outcome.clearance)}"
    return WorkingStep(
        "compression_ratio",
        "compression ratio",
        formula=formula,
        figures=figures,
        answer=UNKNOWN,
        band="",
        given=(),
        note=f"{note}.",
    )


def as_text(steps: tuple[WorkingStep, ...]) -> str:
    """Write a derivation as plain text.

    Parameters
    ----------
    steps : tuple of WorkingStep
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
