"""What the bench of heads and chambers shows."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any, NamedTuple

from flask import url_for

from zygometra.core.faces.bend import shape_of
from zygometra.core.findings.faces import CAM_BORES
from zygometra.core.measuring.agreement import agreement
from zygometra.core.measuring.faces import Face, heads
from zygometra.core.measuring.logbook import EMPTY, place_of
from zygometra.core.stack.chamber import BegunChamber, DraftedChamber, RateChamber, StepFilledChamber
from zygometra.core.stack.results import Hole
from zygometra.core.stack.sources import chamber_model
from zygometra.core.units import Kind
from zygometra.core.written import Volume
from zygometra.store import gauges

from ..build.bench import Bench
from ..db import db
from ..measure.face_view import (
    ACROSS,
    ALONG,
    FaceLine,
    drawing_of,
    shape_facts,
    shim_words,
    short_cuts,
    slope_words,
    verdict_words,
)
from ..measure.reading_words import agreement_words, mark_of
from ..measure.surveys import ROWS, grid_of, made
from .matching import MODES, MatchingQuery

_CHAMBER = "parts.head.chamber_volume"
# For how much milling what it takes is told, in mm.
_A_TENTH = 0.1
VALVE_GEAR = (
    ("", "not said"),
    ("pushrod", "pushrods"),
    ("overhead cam", "overhead cam"),
    ("valve in block", "valves in the block"),
)
CAUTIONS = (
    "Measuring liquid and solvent burn and want fresh air; mop up, and keep sparks away.",
    "A head is heavy and sharp: two hands, or a second person.",
    "Grinding dust: mask, glasses, extraction.",
    "Every volume is a plan until whoever cuts has filled it again.",
)


class ChamberRow(NamedTuple):
    """One chamber in the table."""

    number: int
    value: str
    band: str
    basis: str
    off: str
    times: str
    says: str
    address: str


def faces_of(bench: Bench) -> dict[tuple[str, str], Face]:
    """Return what the swept heads come to, worked out once for what is kept."""
    key = ("heads", tuple(bench.stored.shop_rules.items()))
    return bench.kept.once(key, lambda: heads(bench.kept.build, bench.rules))


def progress_words(bench: Bench) -> tuple[str, str]:
    """Return how far heads and chambers are, for the row of benches."""
    if any(finding.code == CAM_BORES.key for finding in bench.findings):
        return "blocked", "cam bores in doubt"
    if any(verdict_words(face.found)[0] == "blocked" for face in faces_of(bench).values()):
        return "blocked", "cannot be saved"
    state = bench.kept.now
    holes = state.holes if state is not None else ()
    read = sum(_basis(hole) == "measured" for hole in holes)
    if holes and read == len(holes):
        return "done", f"{read} chambers"
    return ("part", f"{read} of {len(holes)} chambers") if read else ("due", "no chamber filled")


def _basis(hole: Hole) -> str:
    source = hole.sources.get(_CHAMBER)
    return "" if source is None else source.quantity.basis


def view(bench: Bench, args: Mapping[str, str], asked: MatchingQuery) -> dict[str, Any]:
    """Return what the bench shows."""
    banks = [bank.name for bank in bench.build.banks]
    bank = args.get("bank", "")
    bank = bank if bank in banks else banks[0]
    register = gauges.register(db())
    return {
        "faces": [_face(bench, key, face) for key, face in faces_of(bench).items()],
        "banks": [(name, f"head {name}" if bench.several_banks else "head") for name in banks],
        "bank": bank,
        "held": args.get("held", ""),
        "grid": grid_of(bench, bank),
        "rows": ROWS,
        "gauges": [("", "none that is named"), *((n, n) for n in register.gauges)],
        "made": made(bench, "head"),
        "chambers": _chambers(bench),
        "milling": _milling_words(bench),
        "modes": MODES,
        "asked": asked,
        "may_swap": len(banks) == 2,
        "valve_gear": VALVE_GEAR,
        "gear": bench.build.valve_gear,
        "so_far": str((bench.document.get("facing") or {}).get("head_cut_so_far") or ""),
        "cam_doubt": [f for f in bench.findings if f.code == CAM_BORES.key],
        "key": f"survey-{secrets.token_hex(8)}",
        "cautions": CAUTIONS,
    }


def _face(bench: Bench, key: tuple[str, str], face: Face) -> dict[str, Any]:
    name, held = key
    found, reader = face.found, bench.reader
    plane = found.least_cut.plane
    depths: dict[Any, float] = dict(found.least_cut.corners)
    called = f"Head {name}" if bench.several_banks else "Head"
    if held:
        called += f", {held}"
    state, verdict = verdict_words(found)
    drawing, factor = drawing_of(
        bench,
        face,
        cuts=short_cuts(found, depths, reader),
        about=plane,
        label=f"{called} from above, its face up",
    )
    return {
        "called": called,
        "state": state,
        "verdict": verdict,
        "drawing": drawing,
        "factor": factor,
        "facts": shape_facts(found.survey, found, reader),
        "cut": _cut_facts(bench, face),
        "spring": _spring(bench, name, held),
    }


def _cut_facts(bench: Bench, face: Face) -> list[FaceLine]:
    found, reader = face.found, bench.reader
    least = found.least_cut
    out = [
        FaceLine(
            "Least cut that cleans it",
            reader.length(least.most.mm, least.most.u),
            "at its deepest, set up by that plane",
        ),
        FaceLine("That plane, along", slope_words(least.plane.along, least.slope_u.along, reader, ALONG)),
        FaceLine("That plane, across", slope_words(least.plane.across, least.slope_u.across, reader, ACROSS)),
    ]
    if words := shim_words(least.shim, reader):
        out.append(FaceLine("Shim to set it up", words))
    square = found.cut.most
    out.append(
        FaceLine("Cut square to its datum instead", reader.length(square.mm, square.u), "at its deepest")
    )
    return out


def _spring(bench: Bench, name: str, held: str) -> str:
    """How much of a bow is gone when the same head is clamped; empty but for the clamped sweep of two."""
    faces = faces_of(bench)
    free = faces.get((name, "free"))
    if held != "clamped" or free is None:
        return ""
    one, other = shape_of(free.found.survey), shape_of(faces[name, held].found.survey)
    if one is None or other is None:
        return ""
    gone = one.bow_along.mm - other.bow_along.mm
    return f"Clamping takes {bench.reader.length(abs(gone), one.bow_along.u)} of the bow out; unclamped it comes back."


def _chambers(bench: Bench) -> list[dict[str, Any]]:
    """Chambers head by head, with their mean and their spread."""
    state = bench.kept.now
    if state is None:
        return []
    out = []
    for bank in bench.build.banks:
        holes = [state.hole(number) for number in bank.cylinders]
        values = [
            h.outcome.terms.chamber
            for h in holes
            if _basis(h) == "measured" and h.outcome.terms.chamber is not None
        ]
        summary = ""
        if len(values) > 1:
            mean, apart = sum(values) / len(values), max(values) - min(values)
            summary = (
                f"mean {Volume(mean).written(bench.reader)}, {Volume(apart).written(bench.reader)} apart"
            )
        out.append({"name": bank.name, "rows": [_row(bench, hole) for hole in holes], "summary": summary})
    return out


def _milling_words(bench: Bench) -> str:
    """What is known of how much milling takes from a chamber."""
    state = bench.kept.now
    model = chamber_model(bench.build, dict(state.holes[0].sources)) if state is not None else None
    if model is None:
        return "not known: Figures take a rate, the opening's area, or fills in steps"
    first = Volume(model.removed(min(_A_TENTH, model.deepest))).written(bench.reader)
    how: dict[type, str] = {
        RateChamber: "by its rate",
        DraftedChamber: "by its opening and wall",
        StepFilledChamber: "by fills in steps",
        BegunChamber: "by fills in steps, from the face as it is now",
    }
    return f"{first} for the first {bench.reader.limit(_A_TENTH)}, {how[type(model)]}"


def _row(bench: Bench, hole: Hole) -> ChamberRow:
    reader = bench.reader
    source = hole.sources.get(_CHAMBER)
    address = url_for(
        "measure.read", build_id=bench.id, figure="chamber_volume", way="shots", place=f"h{hole.number}"
    )
    if source is None:
        return ChamberRow(
            number=hole.number,
            value="—",
            band="",
            basis="not known",
            off="",
            times="",
            says="",
            address=address,
        )
    quantity = source.quantity
    paper = (bench.build.paper or {}).get(_CHAMBER)
    off = ""
    if paper is not None and quantity.basis == "measured":
        by = quantity.value - paper.value
        off = f"{Volume(abs(by)).written(reader)} {'larger' if by >= 0 else 'smaller'}"
    used = bench.build.in_use
    series = used.series.get(place_of("chamber_volume", cylinder=hole.number)) if used is not None else None
    times = says = ""
    if series is not None:
        how = agreement(series.readings, bench.build.logbook or EMPTY)
        times, says = f"{len(series.readings)}× {mark_of(how)}", agreement_words(how, Kind.VOLUME, reader)
    band = f"± {Volume(1.96 * quantity.u).written(reader)}" if quantity.u else ""
    return ChamberRow(
        number=hole.number,
        value=Volume(quantity.value).written(reader),
        band=band,
        basis=quantity.basis,
        off=off,
        times=times,
        says=says,
        address=address,
    )
