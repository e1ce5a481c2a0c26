"""What the log of a set shows: crowns or rods, piece by piece against the first."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any

from zygometra.core.build.cut_log import CutPlace
from zygometra.core.cutting.running import PassTooDeep, Running, check_pass, running
from zygometra.core.cutting.sets import Piece, set_standing
from zygometra.core.errors import QuantityError
from zygometra.core.typed import known_number
from zygometra.core.written import Both

from ..build.bench import Bench
from .view import CAUTIONS, NAMES, waiting


def piece_says(bench: Bench, now: Running, depth: float) -> dict[str, str]:
    """Return how a depth for a piece is understood, what is off in all after it, and what is left."""
    reader = bench.reader
    try:
        check_pass(now, depth, bench.rules)
    except PassTooDeep as error:
        return {"state": "stop", "says": error.says.written(reader)}
    except QuantityError as error:
        return {"state": "warn", "says": error.says.written(reader)}
    off = reader.length(now.done + depth, 0.001)
    says = f"{Both(depth).written(reader)} on hole {now.place.cylinder}: {off} in all"
    if now.left is not None:
        says += f", {reader.length(max(now.left - depth, 0.0), 0.001)} left of the plan"
    if (stands := _above_rim(bench, now.place)) is not None:
        says += f"; {reader.length(max(stands[0] - depth, 0.0), 0.001)} stays above the rim"
        if stands[1] is not None:
            says += f", {reader.length(stands[1])} wanted"
    return {"state": "good", "says": f"{says}."}


def _above_rim(bench: Bench, place: CutPlace) -> tuple[float, float | None] | None:
    """What stands above the rim of a crown now, and what is to stay by the plan; None where nothing ever did."""
    evaluation, told = bench.evaluation, bench.build.figures.get("parts.piston.above_rim")
    if place.op != "crown_cut" or place.cylinder is None or evaluation is None or told is None:
        return None
    now, meant = (state.hole(place.cylinder).above_rim for state in (evaluation.now, evaluation.planned))
    if not told.value or now is None:
        return None
    asked = any(op.op == "crown_cut" for op in bench.build.planned)
    return now, meant if asked else None


# long: what it puts together is told field by field, a line each
def set_view(
    bench: Bench, op: str, *, fault: str = "", typed: Mapping[str, str] | None = None, chosen: str = ""
) -> dict[str, Any]:
    """Return what the log of a set shows: its pieces, each against the first."""
    rules, reader = bench.rules, bench.reader
    standing = set_standing(
        bench.build.cuts,
        op,  # type: ignore[arg-type]
        cylinders=bench.build.cylinders,
        tolerance=rules["set_tolerance"],
        rules=rules,
    )
    rows = [_piece(bench, op, piece, standing.zero) for piece in standing.pieces]
    typed, stood = typed or {}, any(row["above"] for row in rows)
    following = next((row["cylinder"] for row in rows if row["state"] != "done"), rows[0]["cylinder"])
    # The piece that was last logged stays: its finished reading comes next.
    kept = known_number(chosen) in bench.build.cylinders
    return {
        "op": op,
        "title": NAMES[op],
        "pieces": rows,
        "heads": (
            *("Piece", "#Cut", "#Left"),
            *(("#Above the rim",) if stood else ()),
            *("#Stopped at", "#Last cut", "Finished at", "State"),
        ),
        "stood": stood,
        "says": [one.written(reader) for one in standing.says],
        "asked": next(
            (reader.length(o.amount.value) for o in bench.build.planned if o.op == op and o.amount), ""
        ),
        "tolerance": reader.length(rules["set_tolerance"]),
        "keys": {name: f"{name}-{secrets.token_hex(8)}" for name in ("pass",)},
        "chosen": typed.get("cylinder") or (chosen if kept else str(following)),
        "passes": _passes(bench, op),
        "pass_heads": ("Piece", "#Cut", "#Stopped at", "Finished at", "Who", "Take back"),
        "cylinders": [(str(n), f"hole {n}") for n in bench.build.cylinders],
        "fault": fault,
        "typed": typed,
        "cautions": CAUTIONS[:2],
        **waiting(bench, CutPlace(op, "", bench.build.cylinders[0]), begun=standing.zero is not None),  # type: ignore[arg-type]
    }


def _passes(bench: Bench, op: str) -> list[dict[str, str]]:
    """Every cut of the set as it was logged, the newest first."""
    reader = bench.reader
    own = [one for one in bench.build.cuts.passes if one.place.op == op]
    return [
        {
            "piece": f"hole {one.place.cylinder}",
            "cut": reader.length(one.depth, 0.001) if one.depth else "gauged",
            "stopped": "" if one.stopped is None else reader.length(one.stopped, 0.001),
            "finished": " / ".join(reader.length(at, 0.001) for at in one.finished),
            "who": ", ".join(filter(None, (one.by, one.at[:16].replace("T", " ")))),
            "id": one.id,
        }
        for one in sorted(own, key=lambda one: (one.at, one.order), reverse=True)
    ]


def _piece(bench: Bench, op: str, piece: Piece, zero: int | None) -> dict[str, Any]:
    """One piece as it is shown."""
    reader = bench.reader
    now = running(bench.build, CutPlace(op, "", piece.cylinder), bench.rules)  # type: ignore[arg-type]
    return {
        "cylinder": piece.cylinder,
        "state": piece.state,
        "cut": reader.length(piece.cut) if piece.cut else "",
        "left": reader.length(now.left) if now.left is not None else "",
        "above": _above_words(bench, now.place),
        "stopped": "" if piece.stopped is None else reader.length(piece.stopped),
        "last": "" if piece.last_cut is None else reader.length(piece.last_cut),
        "finished": " / ".join(reader.length(one) for one in piece.finished),
        "says": [one.written(reader) for one in piece.says],
        "is_zero": piece.cylinder == zero,
        "number": now.next_number,
    }


def _above_words(bench: Bench, place: CutPlace) -> str:
    """What stands above the rim of a crown, and what is wanted; empty where nothing ever stood there."""
    stands = _above_rim(bench, place)
    if stands is None:
        return ""
    now, meant = stands
    return bench.reader.length(now) + ("" if meant is None else f", {bench.reader.length(meant)} wanted")
