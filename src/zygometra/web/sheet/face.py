"""One face as it is shown and printed for the machine: a page a bank or a head, with the code that opens its log."""

from __future__ import annotations

import secrets
from datetime import date
from typing import Any

from markupsafe import Markup

from zygometra.core.build.cut_log import CutPlace
from zygometra.core.cutting.judged import BEFORE_THE_CUT, against_of
from zygometra.core.cutting.pass_plan import FINISH
from zygometra.core.cutting.sheet import CutAt, FaceSheet, PrintedSheet, face_sheet
from zygometra.core.digits import figure
from zygometra.core.gates import LONGEST_REASON
from zygometra.core.stack import cut_sheet
from zygometra.exchange.face_drawings import FaceDrawn, Marked, face_svg, qr_svg

from ..agreement.view import parties_of
from ..build.bench import Bench, engine_line
from ..cutlog.made import made_words
from ..cutlog.view import called
from ..outside import address_outside
from ..people import person
from ..verify.memory import told
from ..work.released import released
from ..work.view import gates_of

CAUTIONS = (
    *cut_sheet.CAUTIONS[:2],
    "What must remain is the part maker's least figure; a qualified machinist decides.",
    "Read the engine number before the first chip and after the last. What is stamped or written on the block goes "
    "neither on a sealing face nor on that pad.",
)
_READ = ("measured", "mock-up")


# long: what one sheet shows, part by part
def face_view(bench: Bench, place: CutPlace) -> dict[str, Any] | None:
    """Return what the sheet of one face shows; None where nothing is planned on it, or nothing can be worked out."""
    if bench.evaluation is None:
        return None
    sheet = face_sheet(bench.build, place, bench.rules)
    if sheet is None:
        return None
    reader, document = bench.reader, bench.document
    address = log_address(bench, place, sheet)
    return {
        "document": document,
        "engine": engine_line(bench.build, document, bench.evaluation.planned),
        "part": called(bench, place),
        "place": place,
        "version_of_build": bench.stored.version,
        "fact": bench.kept.facts.seq,
        "mark": sheet.mark,
        "today": date.today().isoformat(),
        "maker": person(),
        "address": address,
        "code": Markup(qr_svg(address)),
        "named": ""
        if sheet.to_height is None
        else (f"{reader.limit(sheet.to_height)} ({reader.length(sheet.to_height, 0.005, other=True)})"),
        "most": (reader.length(sheet.most), reader.length(sheet.most, other=True)),
        "half": reader.band(sheet.half) if sheet.half else "",
        "drawing": Markup(_drawn(bench, sheet)),
        "rows": [_row(bench, one) for one in (*sheet.corners, *sheet.holes)],
        "cut_heads": _cut_heads(sheet),
        "has_heights": any(one.basis in _READ for one in sheet.holes),
        "shim": _shim(bench, sheet),
        "reference": (
            bench.build.facing.set_up or "reference that is not decided yet"
            if place.op == "deck_cut"
            else "head's own face, parallel with seats and cam bores"
        ),
        "limit": reader.limit(sheet.limit) if sheet.limit < 1e6 else "",
        "limit_from": {"build": "this build's limit", "house": "house rule"}.get(
            sheet.limit_from, sheet.limit_from
        ),
        "least": reader.length(sheet.least) if sheet.least is not None else "",
        "finish": _finish(bench, sheet),
        "passes": _passes(bench, sheet),
        **_released(bench, place),
        "off": made_words(bench),
        "cautions": CAUTIONS,
    }


def signing(place: CutPlace, shown: dict[str, Any]) -> dict[str, Any]:
    """Return what the forms under a sheet carry: what may be signed for, and gates that stand open."""
    return {
        "against": f"{place.op}|{place.bank}",
        "sign_key": f"sheet-{secrets.token_hex(8)}",
        "gate_key": f"gate-{secrets.token_hex(8)}",
        "open_gates": [one for one in shown["gates"] if one.state == "open"],
        "longest": LONGEST_REASON,
        "typed": {},
        "fault": "",
    }


def _released(bench: Bench, place: CutPlace) -> dict[str, Any]:
    """What stands for and against it: who agreed, gates, engine number, covers, the figures behind it."""
    assert bench.evaluation is not None
    return {
        "parties": [
            (one.party, one.name if one.state == "agreed" else one.state) for one in parties_of(bench)
        ],
        "gates": [
            gate
            for gate in gates_of(bench)
            if gate.gate.number in BEFORE_THE_CUT and gate.value.endswith(f"|{against_of(place).key}")
        ],
        "release": released(bench, against_of(place)),
        "pad": _noted(bench, "id-pad"),
        "covers": _noted(bench, "covers") if place.op == "deck_cut" else "",
        "machines": told(bench),
        "basis": cut_sheet.figures_behind(bench.evaluation, bench.reader),
    }


def log_address(bench: Bench, place: CutPlace, sheet: FaceSheet) -> str:
    """Return the address that the code of a printed sheet opens: the log of its face, and which sheet it was."""
    code = PrintedSheet(bench.stored.version, bench.kept.facts.seq, round(sheet.most * 1000), sheet.mark).code
    from flask import request, url_for

    path = url_for("cutlog.face", build_id=bench.id, op=place.op, bank=place.bank, sheet=code)
    return address_outside(path) or request.host_url.rstrip("/") + path


def _cut_heads(sheet: FaceSheet) -> tuple[str, ...]:
    read = any(one.basis in _READ for one in sheet.holes)
    return ("At", "Take off", "Finished height", "Came out") if read else ("At", "Take off", "Came out")


def _row(bench: Bench, one: CutAt) -> dict[str, str]:
    reader = bench.reader
    read = one.basis in _READ
    finish = reader.length(one.finish) if one.finish is not None and read else "by depth of cut"
    other = reader.length(one.finish, other=True) if one.finish is not None and read else ""
    name = f"hole {one.name}" if one.name.isdigit() else one.name
    return {
        "name": name,
        "cut": reader.length(one.cut),
        "cut_other": reader.length(one.cut, other=True),
        "finish": finish,
        "finish_other": other,
    }


def _shim(bench: Bench, sheet: FaceSheet) -> str:
    if sheet.shim is None:
        return (
            "none: the same all along"
            if sheet.span is not None
            else "supports not said: by the cut at both ends"
        )
    end = "rear" if sheet.shim > 0 else "front"
    return f"{bench.reader.length(abs(sheet.shim))} under the {end} support"


def _finish(bench: Bench, sheet: FaceSheet) -> dict[str, str]:
    kind = bench.build.facing.gasket_kind
    low, high = FINISH.get(kind, FINISH["composite"])
    wanted = f"Ra up to {figure(high, 1)} µm" if low == 0 else f"Ra {figure(low, 1)} to {figure(high, 1)} µm"
    plan = sheet.passes
    return {
        "wanted": f"{wanted} for {kind or 'a composite gasket (nobody said which)'}; the gasket maker's figure wins",
        "feed": ""
        if plan is None
        else f"last pass at {figure(plan.feed_per_rev, 2)} mm a turn or less, {figure(plan.speed, 0)} turns a minute: "
        f"theory {figure(plan.ra, 1)} µm, real is worse",
    }


def _passes(bench: Bench, sheet: FaceSheet) -> dict[str, Any]:
    plan = sheet.passes
    if plan is None:
        return {"rows": [], "minutes": ""}
    reader, rows = bench.reader, []
    for i, one in enumerate(plan.passes):
        if i == plan.stop_after and i:
            rows.append(("—", "stop and measure", "", ""))
        kind = "rough" if one.kind == "rough" else "finish"
        rows.append(
            (str(i + 1), f"{kind} {reader.length(one.depth)}", reader.length(one.total), figure(one.feed, 0))
        )
    return {"rows": rows, "minutes": f"{figure(plan.minutes, 0)} min at the cutter"}


def _noted(bench: Bench, kind: str) -> str:
    """What was noted of a step, in words; empty where nothing was."""
    one = next((step for step in reversed(bench.build.steps) if step.kind.key == kind), None)
    if one is None:
        return ""
    return f"{one.state}{f': {one.says}' if one.says else ''} ({one.by}, {one.at[:10]})"


def _drawn(bench: Bench, sheet: FaceSheet) -> str:
    face = drawn(bench, sheet)
    return face_svg(face._replace(title=()), letters=14.0)


def drawn(bench: Bench, sheet: FaceSheet) -> FaceDrawn:
    """Return a face as drawings have it: to scale, each corner and hole with its cut in the reader's unit."""
    reader = bench.reader
    bore = bench.build.figures.get("parts.block.bore")
    radius = (bore.value if bore is not None else 88.0) / 2
    marks = [Marked(one.name, one.spot.x, one.spot.y, reader.length(one.cut)) for one in sheet.corners]
    marks += [
        Marked(name=one.name, x=one.spot.x, y=one.spot.y, words=reader.length(one.cut), radius=radius)
        for one in sheet.holes
    ]
    xs, ys = [m.x for m in marks], [m.y for m in marks]
    title = (
        f"{bench.build.name}: {called(bench, sheet.place)}, cut as shown",
        f"version {bench.stored.version}, entry {bench.kept.facts.seq}, sheet {sheet.mark}, {date.today().isoformat()}",
        "x from the front, intake side up; a plan until measured again",
    )
    return FaceDrawn((min(xs), min(ys)), (max(xs), max(ys)), marks, title)
