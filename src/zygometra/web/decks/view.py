"""What the bench of the decks shows."""

from __future__ import annotations

import itertools
import secrets
from collections.abc import Mapping
from typing import Any

from zygometra.core.digits import figure
from zygometra.core.faces.facing import GASKET_KINDS, TARGETS
from zygometra.core.faces.model import SET_UPS, Plane
from zygometra.core.measuring.faces import Face, aims_of_clearance, deck_difference, decks
from zygometra.store import gauges

from ..build.bench import Bench, is_begun
from ..build.practice import may_simulate
from ..db import db
from ..measure.face_view import (
    ACROSS,
    ALONG,
    FaceLine,
    cut_rows,
    drawing_of,
    shape_facts,
    shim_words,
    short_cuts,
    slope_words,
    verdict_words,
)
from ..measure.surveys import ROWS, grid_of, made
from ..measure.view import CAUTIONS
from ..mockup.view import as_typed
from .form import LENGTHS, TARGET_WORDS, form_of


def faces_of(bench: Bench) -> dict[str, Face]:
    """Return what the surveyed decks come to, worked out once for what is kept."""
    key = ("decks", tuple(bench.stored.shop_rules.items()))
    return bench.kept.once(key, lambda: decks(bench.kept.build, bench.rules, bench.kept.now))


def progress_words(bench: Bench) -> tuple[str, str]:
    """Return how far the decks are, for the row of benches."""
    faces = faces_of(bench)
    banks = [bank.name for bank in bench.build.banks]
    if not faces:
        return "due", "not surveyed"
    states = {name: verdict_words(face.found) for name, face in faces.items()}
    if any(state == "blocked" for state, _ in states.values()):
        return "blocked", "cannot be saved"
    if len(faces) < len(banks):
        return "part", f"{len(faces)} of {len(banks)} surveyed"
    return "done", "surveyed"


def view(bench: Bench, asked: Mapping[str, str]) -> dict[str, Any]:
    """Return what the bench shows.

    Parameters
    ----------
    bench : Bench
        The build.
    asked : Mapping
        ``bank``: whose grid is open.
    """
    faces = faces_of(bench)
    banks = [bank.name for bank in bench.build.banks]
    bank = asked.get("bank", "")
    bank = bank if bank in banks else next((name for name in banks if name not in faces), banks[0])
    register = gauges.register(db())
    return {
        "faces": [_face(bench, name, face) for name, face in faces.items()],
        "between": _between(bench, faces),
        "banks": [(name, f"bank {name}" if bench.several_banks else "deck") for name in banks],
        "bank": bank,
        "grid": grid_of(bench, bank),
        "rows": ROWS,
        "gauges": [("", "none that is named"), *((n, n) for n in register.gauges)],
        "made": made(bench, "deck"),
        "decided": form_of(bench.document),
        "choices": {
            "gasket_kind": [("", "not chosen"), *((k, k) for k in GASKET_KINDS)],
            "set_up": [("", "not named"), *((k, k) for k in SET_UPS)],
            "target": [(k, TARGET_WORDS[k]) for k in TARGETS],
        },
        "lengths": LENGTHS,
        "instead": _instead(bench),
        "probe": may_simulate(bench)
        and any(
            "probe" in raw.get("kind", "") and raw.get("x-simulated") for raw in register.entries.values()
        ),
        "key": f"survey-{secrets.token_hex(8)}",
        "may_plan": bool(plan_cuts(bench)),
        "cautions": CAUTIONS,
    }


def _instead(bench: Bench) -> str:
    """Why a deck is just cleaned although something else was chosen; empty where it is not so."""
    facing = bench.build.facing
    if facing.target == "height" and facing.height is None:
        return "No finished height is named: the decks are just cleaned."
    if facing.target == "clearance" and not aims_of_clearance(bench.kept.build):
        return "No deck clearance or quench is aimed at: the decks are just cleaned. Set a window in Aim."
    return ""


def _face(bench: Bench, name: str, face: Face) -> dict[str, Any]:
    found, reader = face.found, bench.reader
    state, verdict = verdict_words(found)
    called = f"bank {name}" if bench.several_banks else "the deck"
    depths: dict[Any, float] = {key: d.mm for key, d in found.cut.corners.items()}
    depths |= {number: d.mm for number, d in found.cut.cylinders.items()}
    finished = Plane(0.0, found.cut.left_slope.along or 0.0, found.cut.left_slope.across or 0.0)
    cuts = short_cuts(found, depths, reader)
    drawing, factor = drawing_of(
        bench, face, cuts=cuts, about=finished, label=f"Deck of {called} from above, with its cuts"
    )
    return {
        "name": name,
        "called": called,
        "state": state,
        "verdict": verdict,
        "drawing": drawing,
        "factor": factor,
        "facts": [*_plane_facts(bench, face), *shape_facts(found.survey, found, reader)],
        "cut": _cut_facts(bench, face),
        "rows": cut_rows(found, reader),
        "bores": [
            (
                b.number,
                f"{b.x:.3f}",
                figure(b.y, 3),
                f"{b.diameter:.3f}",
                f"{b.out_of_round:.3f}",
            )
            for b in face.survey.bores
        ],
        "stop": found.cut.least.mm < -1e-9,
        "feeds_no_hole": not found.survey.cylinders,
    }


def _plane_facts(bench: Bench, face: Face) -> list[FaceLine]:
    found, reader = face.found, bench.reader
    _, along_u, across_u = found.plane_u
    middle = reader.length(found.middle.mm, found.middle.u)
    beside = ""
    if found.survey.drawing_height is not None:
        off = found.middle.mm - found.survey.drawing_height
        way = "over" if off >= 0 else "under"
        drawn = reader.limit(found.survey.drawing_height)
        beside = f"{reader.length(abs(off), found.middle.u)} {way} the drawing's {drawn}"
    return [
        FaceLine("Height on the line of the holes", middle, beside),
        FaceLine("Slope along", slope_words(found.plane.along, along_u, reader, ALONG)),
        FaceLine("Slope across", slope_words(found.plane.across, across_u, reader, ACROSS)),
    ]


def _cut_facts(bench: Bench, face: Face) -> list[FaceLine]:
    found, reader = face.found, bench.reader
    cut = found.cut
    out = [
        FaceLine("Finished height", reader.length(cut.finished_height.mm, cut.finished_height.u)),
        FaceLine("Least and most taken", f"{reader.length(cut.least.mm)} to {reader.length(cut.most.mm)}"),
        FaceLine("Highest finish that cleans it all", reader.length(found.highest.mm, found.highest.u)),
    ]
    if shim := shim_words(cut.shim, reader):
        out.append(FaceLine("Shim, swept level on its face", shim))
    if rail := shim_words(cut.rail_shim, reader):
        out.append(FaceLine("Shim, standing on its rails", rail))
    if found.survey.set_up == "pan rail":
        along = slope_words(cut.left_slope.along, None, reader, ALONG)
        across = slope_words(cut.left_slope.across, None, reader, ACROSS)
        out.append(FaceLine("What the pan rail leaves", f"along {along}; across {across}"))
    return out


def _between(bench: Bench, faces: Mapping[str, Face]) -> list[str]:
    """Bank against bank, in words."""
    out = []
    for (first, one), (second, other) in itertools.pairwise(faces.items()):
        ends = deck_difference(one, other)
        if ends is None:
            continue
        words = []
        for end, where in zip(ends, ("first", "last"), strict=True):
            way = "higher" if end.mm >= 0 else "lower"
            words.append(f"{bench.reader.length(abs(end.mm), end.u)} {way} at the {where} hole")
        out.append(f"Bank {first} stands {', '.join(words)} than bank {second}.")
    return out


def plan_cuts(bench: Bench) -> list[dict[str, Any]]:
    """Return the deck cuts that are asked for, as a plan has them; empty where a deck is not reached."""
    if is_begun(bench, "deck_cut"):
        return []
    ops = []
    for name, face in faces_of(bench).items():
        depths = list(face.found.cut.cylinders.values())
        if not depths or face.found.cut.least.mm < -1e-9 or face.found.verdict == "cannot be saved":
            return []
        op: dict[str, Any] = {"op": "deck_cut"} | ({"bank": name} if bench.several_banks else {})
        if (height := named_height(bench)) is not None:
            # A plane that somebody named is kept to the letter: no step rounds it, no line tilts it.
            ops.append(op | {"to_height": height})
            continue
        first, last = (as_typed(max(depth.mm, 0.0), bench.reader) for depth in (depths[0], depths[-1]))
        ops.append(op | ({"amount": first} if first == last else {"first": first, "last": last}))
    return ops


def named_height(bench: Bench) -> str | None:
    """Return the height that decks are to be cut to, as it was typed; None where none is, or not by the crank."""
    facing = bench.build.facing
    if facing.target != "height" or facing.height is None or facing.set_up == "pan rail":
        return None
    typed = (bench.document.get("facing") or {}).get("height")
    return str(typed) if isinstance(typed, str) else f"{facing.height:.10g} mm"


def with_cuts(bench: Bench, cuts: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Return the plan with the cuts of surveyed decks in place of those that stand there for them.

    A cut that stood for all banks goes on for those that were not surveyed.
    """
    every = [bank.name for bank in bench.build.banks]
    cut = {op.get("bank", every[0]) for op in cuts}
    planned = list(cuts)
    for op in bench.document.get("planned") or []:
        if op["op"] != "deck_cut":
            planned.append(op)
        elif op.get("bank") is None:
            planned += [{**op, "bank": name} for name in every if name not in cut]
        elif op["bank"] not in cut:
            planned.append(op)
    return planned
