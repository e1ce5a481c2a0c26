"""What the bench of verifying and signing shows."""

from __future__ import annotations

import secrets
from collections.abc import Callable, Mapping
from datetime import date
from typing import Any, NamedTuple

from zygometra.core.build.cut_log import VerifiedCut
from zygometra.core.cutting.agreement import changed
from zygometra.core.cutting.signing import Stands, against_signature, still_to_cut
from zygometra.core.cutting.verify import (
    RESULTS,
    Came,
    CutCame,
    HoleCame,
    compared,
    cuts_came,
    figures_achieved,
)
from zygometra.core.digits import MINUS, figure, ratio_text
from zygometra.core.fields import place_label
from zygometra.core.gates import LONGEST_REASON
from zygometra.core.measuring.logbook import Found
from zygometra.core.measuring.signed import Accepted
from zygometra.core.stack import cut_sheet

from ..build.bench import Bench, engine_line
from ..cutlog.made import made_words
from ..cutlog.view import called
from ..people import person
from ..words import counted
from ..work.view import gates_of, standings_of
from .memory import memory_words

ABOUT = "finished engine"
CAUTIONS = (
    "Piston to head and to valve: turn the engine through by hand with everything at its torque before it is started.",
    "A signature says who measured and decided; it takes the place of no part maker's figure and no local rule.",
)


class Signature(NamedTuple):
    """A signature under the finished engine: who, when, why, and what moved since."""

    by: str
    at: str
    reason: str
    fails: tuple[str, ...]
    moved: tuple[str, ...]


def signatures(bench: Bench) -> list[Signature]:
    """Return who signed for the finished engine, the newest first, each with what changed since."""
    if bench.evaluation is None:
        return []
    own = [one for one in bench.kept.facts.signed.accepted if one.about == ABOUT]
    # Asked on every page: where nobody signed, nothing is worked out.
    now = figures_achieved(bench.build) if own else {}
    return [_signature(one, now) for one in reversed(own)]


def _signature(one: Accepted, now: Mapping[str, float | None]) -> Signature:
    return Signature(
        by=one.by,
        at=one.at,
        reason=one.reason,
        fails=one.fails,
        moved=tuple(_label(place) for place in changed(one.covers, now)),
    )


def _label(place: str) -> str:
    """A figure of a finished engine in words, such as ``quench, hole 3``."""
    _, number, name = place.split(".", 2)
    return f"{name.replace('_', ' ')}, hole {number}"


def progress_words(bench: Bench) -> tuple[str, str]:
    """Return how far signing is, for the row of benches."""
    signed = signatures(bench)
    if signed and signed[0].moved:
        return "part", "the signature lapsed"
    if signed:
        return "done", f"signed by {signed[0].by}"
    if not bench.build.cuts.passes:
        return "due", "nothing cut yet"
    return "due", "not signed yet"


def view(bench: Bench, *, fault: str = "", typed: Mapping[str, str] | None = None) -> dict[str, Any]:
    """Return what the bench shows; nothing of figures where the build cannot be evaluated."""
    shared = {
        "fault": fault,
        "typed": typed or {},
        "longest": LONGEST_REASON,
        "keys": {name: f"{name}-{secrets.token_hex(8)}" for name in ("sign", "verified")},
        "cautions": CAUTIONS,
    }
    if bench.evaluation is None:
        return shared | {"rows": []}
    stand = standing_against(bench)
    against = [one.says.written(bench.reader) for one in stand]
    to_cut = still_to_cut(bench.build, bench.rules)
    return shared | {
        "bars": [one.says.written(bench.reader) for one in stand if one.is_final],
        "made": made_words(bench),
        "rows": [_row(bench, one, uncut=one.number in to_cut) for one in compared(bench.build)],
        "heads": _heads(bench),
        "cuts": [_cut(bench, one) for one in cuts_came(bench.build)],
        "against": against,
        "signatures": signatures(bench),
        "cut": bool(bench.build.cuts.passes),
    }


def standing_against(bench: Bench) -> tuple[Stands, ...]:
    """Return what stands against signing for the finished engine."""
    assert bench.evaluation is not None
    return against_signature(
        bench.build, bench.evaluation, rules=bench.rules, gates=standings_of(bench), findings=bench.findings
    )


def _heads(bench: Bench) -> list[str]:
    reader = bench.reader
    names = (f"{reader.deck} clearance", reader.quench, "ratio")
    return [
        "Hole",
        *(f"#{head}" for name in names for head in (f"{name.capitalize()} meant", "came out")),
        "Says",
    ]


def _row(bench: Bench, one: HoleCame, *, uncut: bool) -> dict[str, Any]:
    write: dict[str, Callable[..., str]] = {
        "compression_ratio": ratio_text,
        "deck_clearance": bench.reader.clearance,
        "quench": bench.reader.length,
    }
    cells = []
    for name in RESULTS:
        came: Came = one.results[name]
        state = "" if came.agrees is None else "is-as-meant" if came.agrees else "is-off"
        cells.append((_written(write[name], came.meant, came.meant_half), ""))
        cells.append((_written(write[name], came.achieved, came.achieved_half), state))
    off = [name.replace("_", " ") for name in RESULTS if one.results[name].agrees is False]
    unknown = [name.replace("_", " ") for name in one.not_known]
    cut = ", ".join(op.replace("_", " ") for op in one.unplanned)
    if not one.read_again:
        says = "not read again"
    elif uncut:
        says = "not cut yet" + (f"; off: {', '.join(off)}" if off else "")
    elif cut:
        says = f"cut with no plan: {cut}"
    elif off:
        says = f"off: {', '.join(off)}"
    else:
        # What nobody knows is not as it was meant.
        says = f"not known: {', '.join(unknown)}" if unknown else "as meant"
    return {"number": one.number, "cells": cells, "says": says, "off": says != "as meant"}


def _written(write: Callable[..., str], value: float | None, half: float) -> str:
    return "not known" if value is None else write(value, half / 2)


def _cut(bench: Bench, one: CutCame) -> dict[str, Any]:
    reader = bench.reader
    void = bench.build.logbook.void if bench.build.logbook else {}
    kept = bench.kept.facts.of(VerifiedCut)
    known = [own.id for own in kept if own.place == one.place and own.id not in void]
    return {
        "place": one.place,
        "title": called(bench, one.place),
        "machine": one.shop or one.machine,
        "asked": reader.length(one.asked),
        "achieved": reader.length(one.achieved, one.u),
        "missed": _signed(one.missed, reader.length(abs(one.missed), one.u)),
        "band": reader.band(2 * one.u) if one.u else "",
        "holes": counted(one.holes, "hole"),
        "kept": known[-1] if known else "",
        "tends": memory_words(bench, one.shop or one.machine, one.place.op),
    }


def build_sheet(bench: Bench) -> dict[str, Any]:
    """Return what the sheet of the finished engine shows."""
    assert bench.evaluation is not None
    document = bench.document
    bores = _measured(bench)
    return view(bench) | {
        "document": document,
        "engine": engine_line(bench.build, document, bench.evaluation.now),
        "version_of_build": bench.stored.version,
        "fact": bench.kept.facts.seq,
        "is_simulated": bench.is_simulated,
        "today": date.today().isoformat(),
        "maker": person(),
        "holes": _as_built(bench),
        "hole_heads": _as_built_heads(bench),
        "measured": bores,
        "basis": cut_sheet.figures_behind(bench.evaluation, bench.reader),
        "gates": [gate for gate in gates_of(bench) if gate.signed is not None],
        "found": bench.kept.facts.of(Found),
    }


def _as_built_heads(bench: Bench) -> list[str]:
    reader = bench.reader
    return [
        "Hole",
        f"{reader.deck.capitalize()} clearance",
        reader.quench.capitalize(),
        "Chamber",
        "Ratio",
        "95 %",
    ]


def _as_built(bench: Bench) -> list[tuple[str, ...]]:
    assert bench.evaluation is not None
    reader, rows = bench.reader, list[tuple[str, ...]]()
    for hole in sorted(bench.evaluation.now.holes, key=lambda one: one.number):
        o = hole.outcome
        ratio = o.doubts.compression_ratio
        rows.append(
            (
                str(hole.number),
                reader.clearance(o.deck_clearance, o.doubts.deck_clearance.u),
                reader.length(o.quench, o.doubts.quench.u),
                "" if o.terms.chamber is None else f"{figure(o.terms.chamber, 2)} cc",
                ratio_text(o.compression_ratio, ratio.u),
                f"± {figure(ratio.half, 2)}" if ratio.u > 0 else "",
            )
        )
    return rows


def _measured(bench: Bench) -> list[tuple[str, str, str]]:
    """Figures that were measured hole by hole and are no result: bores, lengths, heights."""
    rows = []
    for place in sorted(bench.read_places):
        quantity = bench.build.figures.get(place)
        if quantity is not None:
            rows.append((place_label(place), bench.reader.quantity(quantity), quantity.basis))
    return rows


def _signed(value: float, written: str) -> str:
    """A difference with its sign; what is written as nought has none."""
    is_nought = not any(one in "123456789" for one in written)
    return written if is_nought else f"{'+' if value > 0 else MINUS}{written}"
