"""What the log of a set shows: crowns or rods, piece by piece against the first."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any

from zygometra.core.build.cut_log import CutPlace
from zygometra.core.cutting.running import running
from zygometra.core.cutting.sets import Piece, set_standing

from ..build.bench import Bench
from .view import CAUTIONS, NAMES, waiting


def set_view(
    bench: Bench, op: str, *, fault: str = "", typed: Mapping[str, str] | None = None
) -> dict[str, Any]:
    """Return what the log of a set shows: its pieces, each against the first."""
    rules, reader = bench.rules, bench.reader
    standing = set_standing(bench.build.cuts, op, bench.build.cylinders, rules["set_tolerance"], rules)  # type: ignore[arg-type]
    rows = [_piece(bench, op, piece, standing.zero) for piece in standing.pieces]
    typed = typed or {}
    following = next((row["cylinder"] for row in rows if row["state"] != "done"), rows[0]["cylinder"])
    return {
        "op": op,
        "title": NAMES[op],
        "pieces": rows,
        "heads": ("Piece", "#Cut", "#Left", "#Stopped at", "#Last cut", "Finished at", "State"),
        "says": [one.written(reader) for one in standing.says],
        "asked": next(
            (reader.length(o.amount.value) for o in bench.build.planned if o.op == op and o.amount), ""
        ),
        "tolerance": reader.length(rules["set_tolerance"]),
        "keys": {name: f"{name}-{secrets.token_hex(8)}" for name in ("pass",)},
        "chosen": typed.get("cylinder") or str(following),
        "cylinders": [(str(n), f"hole {n}") for n in bench.build.cylinders],
        "fault": fault,
        "typed": typed,
        "cautions": CAUTIONS[:2],
        **waiting(bench, CutPlace(op, "", bench.build.cylinders[0]), begun=standing.zero is not None),  # type: ignore[arg-type]
    }


def _piece(bench: Bench, op: str, piece: Piece, zero: int | None) -> dict[str, Any]:
    """One piece as it is shown."""
    reader = bench.reader
    now = running(bench.build, CutPlace(op, "", piece.cylinder), bench.rules)  # type: ignore[arg-type]
    return {
        "cylinder": piece.cylinder,
        "state": piece.state,
        "cut": reader.length(piece.cut) if piece.cut else "",
        "left": reader.length(now.left) if now.left is not None else "",
        "stopped": "" if piece.stopped is None else reader.length(piece.stopped),
        "last": "" if piece.last_cut is None else reader.length(piece.last_cut),
        "finished": " / ".join(reader.length(one) for one in piece.finished),
        "says": [one.written(reader) for one in piece.says],
        "is_zero": piece.cylinder == zero,
        "number": now.next_number,
    }
