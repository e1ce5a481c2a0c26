"""What the cut log shows: one face, or one set, and what is still to come."""

# long: what one bench shows, part by part
from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any

from markupsafe import Markup

from zygometra.core.build.cut_log import CutPlace, PassMade
from zygometra.core.build.model import Bank
from zygometra.core.cutting.judged import BEFORE_THE_CUT, Against, against_of
from zygometra.core.cutting.next_pass import before_pass
from zygometra.core.cutting.pass_plan import pass_plan
from zygometra.core.cutting.reach import Reach, reach_of
from zygometra.core.cutting.running import Running, forecast_of, running
from zygometra.core.cutting.set_up import sweep_says
from zygometra.core.cutting.sheet import face_sheet, read_code
from zygometra.core.digits import figure
from zygometra.core.errors import QuantityError
from zygometra.core.gates import LONGEST_REASON
from zygometra.core.measuring.faces import question, surveys_in_use
from zygometra.core.measuring.logbook import Found
from zygometra.core.planning.as_machined import banks_at_a_height, from_the_start
from zygometra.core.planning.plans import Planner
from zygometra.core.planning.single_lever_plans import with_usual_levers
from zygometra.core.sentence import sentence
from zygometra.core.written import Length, Limit
from zygometra.drawing.skim import HoleDrawn, ZoneDrawn, running_bar, skim_map

from ..build.bench import Bench
from ..plan.words import percent, plan_words
from ..words import counted
from ..work.released import released
from ..work.view import GateShown, gates_of

NAMES = {"deck_cut": "Deck", "head_cut": "Head", "crown_cut": "Crowns", "rods": "Rods"}
REFERENCES = ("crank centreline", "pan rail", "its own face", "pin arbor")
CAUTIONS = (
    "Guards shut, glasses on: cutter and chips. Hoist and a second person for the casting.",
    "Stop before the last pass and measure. What must remain is the part maker's figure, and a qualified "
    "machinist decides.",
    "The engine number may lie on this face: read it before the first chip and after the last.",
)
_MOST_WAYS = 3


def called(bench: Bench, place: CutPlace) -> str:
    """Return a face in words, such as ``Deck A``."""
    bank = f" {place.bank}" if place.bank and bench.several_banks else ""
    return f"{NAMES[place.op]}{bank}"


def bank_of(bench: Bench, name: str) -> Bank | None:
    """Return a bank by its name; None where there is no such bank."""
    return next((bank for bank in bench.build.banks if bank.name == name), None)


# -- one face -----------------------------------------------------------------


def face_view(
    bench: Bench, place: CutPlace, *, code: str = "", fault: str = "", typed: Mapping[str, str] | None = None
) -> dict[str, Any]:
    """Return what the log of one face shows."""
    now = running(bench.build, place, bench.rules)
    reach = reach_for(bench, place)
    sheet = face_sheet(bench.build, place, bench.rules)
    typed = typed or {}
    return {
        "place": place,
        "title": called(bench, place),
        "now": now,
        "set_up": _set_up(bench, now),
        "sheet_says": _printed(bench, code, sheet),
        "bar": _bar(bench, now, reach),
        "totals": _totals(bench, now),
        "passes": [_pass_row(bench, one, now) for one in reversed(now.passes)],
        "asides": _asides(bench, now),
        "map": _map(bench, now, place),
        "forecast": _forecast(bench, now, place),
        "reach": _reach_words(bench, now, reach),
        "to_come": _to_come(bench, now, sheet.length if sheet else 400.0),
        "next": next_says(bench, now, reach, _next_depth(bench, now)),
        "ways": _ways(bench),
        "readings": _readings(bench, place),
        **_fields(bench, place),
        "depth": typed.get("depth") or _next_depth_typed(bench, now),
        "found": [
            one
            for one in bench.kept.facts.of(Found)
            if one.bank in (None, place.bank) and one.cylinder is None
        ],
        "fault": fault,
        "typed": typed,
        "cautions": CAUTIONS,
        "release": released(bench, against_of(place)),
        **waiting(bench, place, begun=bool(now.passes)),
    }


def waiting(bench: Bench, place: CutPlace, *, begun: bool) -> dict[str, Any]:
    """Return the gates that wait before the first pass of a cut, planned or not; none once it is begun."""
    against = against_of(place)
    return {
        "gates_open": [] if begun else gates_before(bench, against),
        "gate_cut": f"{against.op}|{against.bank}",
        "gate_key": f"gate-{secrets.token_hex(8)}",
        "longest": LONGEST_REASON,
    }


def gates_before(bench: Bench, against: Against) -> list[GateShown]:
    """Return the gates that stand open before the first pass of a cut."""
    return [
        one
        for one in gates_of(bench, (against,))
        if one.state == "open"
        and one.gate.number in BEFORE_THE_CUT
        and one.value == f"{one.gate.number}|{against.key}"
    ]


def _fields(bench: Bench, place: CutPlace) -> dict[str, Any]:
    """What the forms of a face offer."""
    return {
        "keys": {name: f"{name}-{secrets.token_hex(8)}" for name in ("set-up", "pass", "read", "found")},
        "address": {"build_id": bench.id, "op": place.op, "bank": place.bank},
        "corners": ("front intake", "front exhaust", "rear intake", "rear exhaust"),
        "made_heads": ("#Pass", "#Depth", "#In all", "Kind", "Marked", "Who", "Take back"),
        "kinds": [("rough", "roughing"), ("finish", "finishing"), ("skim", "skim")],
        "references": [(one, one) for one in REFERENCES],
        "aims": [("height", "to the planned depth"), ("clean", "until it is clean")],
        "holes": [
            (str(n), f"hole {n}") for n in (bank_of(bench, place.bank) or bench.build.banks[0]).cylinders
        ],
        "figures": (
            [("deck_clearance", "deck clearance"), ("deck_height", "deck height")]
            if place.op == "deck_cut"
            else [("chamber_volume", "chamber volume")]
        ),
    }


def reach_for(bench: Bench, place: CutPlace) -> Reach | None:
    """Return how far a face may still be cut before the target is lost; None without a window, or a way."""
    if bench.evaluation is None or _windowless(bench):
        return None
    return bench.kept.once(
        ("reach", place, bench.rules.school), lambda: reach_of(bench.build, place, bench.rules)
    )


def _windowless(bench: Bench) -> bool:
    targets = bench.build.targets
    return all(
        w.low is None and w.high is None
        for w in (targets.compression_ratio, targets.quench, targets.deck_clearance)
    )


def _set_up(bench: Bench, now: Running) -> dict[str, Any] | None:
    record = now.set_up
    if record is None:
        return None
    says = sweep_says(record, bench.rules)
    reader = bench.reader
    facts = [("machine", record.machine or "not said"), ("set up from", record.reference or "not said")]
    facts += [("outside shop", record.shop)] if record.shop else []
    if says.along is not None:
        along, across = (reader.length(abs(one)) for one in says.over)
        facts.append(("sweep leaves", f"{along} along, {across} across"))
    facts += [("moved", record.moved)] if record.moved else []
    if record.spring is not None:
        facts.append(("clamping springs it", reader.length(record.spring)))
    facts.append(("rigid", "ticked" if record.rigid else "not ticked"))
    return {
        "facts": facts,
        "says": [one.written(reader) for one in says.says],
        "who": ", ".join(filter(None, (record.by, record.at[:16].replace("T", " ")))),
        "id": record.id,
    }


def _printed(bench: Bench, code: str, sheet: Any) -> dict[str, str] | None:
    """Whether the printed sheet whose code was opened still holds."""
    printed = read_code(code)
    if printed is None:
        return None
    if sheet is not None and printed.mark == sheet.mark:
        return {"state": "holds", "says": f"The printed sheet (version {printed.version}) still holds."}
    was = bench.reader.length(printed.cut / 1000)
    now = bench.reader.length(sheet.most) if sheet is not None else "nothing"
    moved = f"it says take {was}, and {now} is planned now" if was != now else "other figures moved"
    return {
        "state": "changed",
        "says": f"The printed sheet is out of date: {moved}. It was printed from version {printed.version}, and the "
        f"build is at version {bench.stored.version}. Stop and print it anew.",
    }


def _bar(bench: Bench, now: Running, reach: Reach | None) -> Markup:
    lost = None if reach is None else now.done + reach.most
    label = f"{bench.reader.length(now.done)} off in all"
    return Markup(running_bar(now.done, now.asked, limit=now.limit, lost=lost, label=label))


def _totals(bench: Bench, now: Running) -> list[tuple[str, str, str]]:
    reader = bench.reader
    rows = [("off in all", reader.length(now.done), reader.length(now.done, other=True))]
    if now.left is not None:
        rows.append(("left of the plan", reader.length(now.left), reader.length(now.left, other=True)))
    if now.limit < 1e6:
        whose = {"build": "the build's", "house": "house rule"}.get(now.limit_from, now.limit_from)
        rows.append(("may come off", reader.limit(now.limit), whose))
    return rows


def _pass_row(bench: Bench, one: PassMade, now: Running) -> dict[str, Any]:
    total = sum(p.depth for p in now.passes[: now.passes.index(one) + 1])
    named = ((one.touched, "touched"), (one.clean, "clean"))
    marks = [f"{counted(len(names), 'zone')} {word}" for names, word in named if names]
    return {
        "number": one.number or "–",
        "depth": bench.reader.length(one.depth),
        "total": bench.reader.length(total),
        "kind": one.kind,
        "feed": f"{one.feed:g} mm/min" if one.feed else "",
        "marks": ", ".join(marks),
        "who": ", ".join(filter(None, (one.by, one.at[:16].replace("T", " ")))),
        "id": one.id,
    }


def _asides(bench: Bench, now: Running) -> list[str]:
    told = [f"Pass {one.number} was entered twice ({one.by}); it counts once." for one in now.again]
    for one in now.against:
        first = next(p for p in now.passes if p.number == one.number)
        told.append(
            f"Pass {one.number} was entered with {bench.reader.length(first.depth)} and with "
            f"{bench.reader.length(one.depth)}: the first counts; void the wrong one."
        )
    return told


def _map(bench: Bench, now: Running, place: CutPlace) -> Markup:
    passed = {name: (one.number or i, "clean") for i, one in enumerate(now.passes, 1) for name in one.clean}
    for i, one in enumerate(now.passes, 1):
        for name in one.touched:
            passed.setdefault(name, (one.number or i, "touched"))
    columns = sorted({zone.spot.x for zone in now.zones})
    zones = []
    for k, zone in enumerate(now.zones):
        number, state = passed.get(zone.name, (0, ""))
        zones.append(
            ZoneDrawn(
                name=zone.name,
                x=zone.spot.x,
                row=k % 3,
                state=state,
                says=f"{state} at pass {number}" if state else "",
            )
        )
    bank = bank_of(bench, place.bank) or bench.build.banks[0]
    pitch = (columns[-1] - columns[0]) / (len(bank.cylinders) + 0.2)
    bore = bench.build.figures.get("parts.block.bore")
    wide = 0.62 * min(bore.value if bore is not None else 88.0, pitch)
    holes = [HoleDrawn(n, i * pitch, wide) for i, n in enumerate(bank.cylinders)]
    label = f"{called(bench, place)} from above: press a zone once where the tool touched it, twice where it is clean"
    return Markup(skim_map(zones, holes, label, open_to_marks=True))


def _forecast(bench: Bench, now: Running, place: CutPlace) -> dict[str, str] | None:
    """When the face will be clean; None where no zone was marked."""
    if not now.touched:
        return None
    heights = _surveyed(bench, now, place)
    found = bench.kept.once(("clean", place), lambda: forecast_of(now, heights))
    if found is None:
        return None
    reader = bench.reader
    chance = found.chance_past(now.limit) if now.limit < 1e6 else 0.0
    return {
        "at": reader.length(found.clean_at),
        "band": f"{reader.length(found.low)} to {reader.length(found.high)}",
        "passes": counted(found.passes_left, "more pass").replace("passs", "passes"),
        "stop": f"{figure(100 * chance, 0)} %" if now.limit < 1e6 else "",
        "rests": "with the survey of this face" if heights else "from the marks alone",
        "alarm": "yes" if chance > 0.1 else "",
    }


def _surveyed(bench: Bench, now: Running, place: CutPlace) -> list[float | None]:
    """How high each zone stands by the survey of a face; empty where there is none near enough."""
    kind = "deck" if place.op == "deck_cut" else "head"
    used = surveys_in_use(bench.build).items()
    one = next((found for (face, bank, _), found in used if (face, bank) == (kind, place.bank)), None)
    if one is None:
        return []
    points = question(bench.build, one, bench.rules).points
    nearest = [min(points, key=lambda p: (p.x - z.spot.x) ** 2 + (p.y - z.spot.y) ** 2) for z in now.zones]
    far = max(
        ((p.x - z.spot.x) ** 2 + (p.y - z.spot.y) ** 2) ** 0.5
        for p, z in zip(nearest, now.zones, strict=True)
    )
    return [p.z for p in nearest] if far < 60 else []


def _reach_words(bench: Bench, now: Running, reach: Reach | None) -> str:
    named = banks_at_a_height(bench.build).get(now.place.bank) if now.place.op == "deck_cut" else None
    if named is not None and named.to_height is not None:
        height = Limit(named.to_height.value)
        return sentence("It ends at {height} over the crank: that height was named.", height=height).written(
            bench.reader
        )
    if _windowless(bench):
        return "This build has no window, so there is no target to lose: set one under Aim."
    if reach is None:
        return "No way leads into the windows from here, whatever else is done: see Plan for what conflicts."
    total = Length(now.done + reach.most)
    words = "The target stays in reach until {total} is off in all"
    if reach.least > 1e-6:
        words += "; at least {least} more must come off"
        return sentence(words + ".", total=total, least=Length(reach.least)).written(bench.reader)
    return sentence(words + ".", total=total).written(bench.reader)


def _next_depth(bench: Bench, now: Running) -> float | None:
    if now.asked is not None and now.left:
        return pass_plan(now.asked, 400.0, gasket_kind="", rules=bench.rules, done=now.done).passes[0].depth
    if now.passes and not now.is_done:
        return now.passes[-1].depth
    return None


def _next_depth_typed(bench: Bench, now: Running) -> str:
    depth = _next_depth(bench, now)
    if depth is None:
        return ""
    return (
        f"{depth / 0.0254:.1f} thou" if bench.reader.system == "inch" else f"{depth:.3f}".rstrip("0") + " mm"
    )


def next_says(bench: Bench, now: Running, reach: Reach | None, depth: float | None) -> dict[str, str]:
    """Return what is to be said before a pass of a depth is cut."""
    if depth is None:
        return {"state": "", "says": ""}
    said = before_pass(now, reach, depth, bench.rules)
    return {"state": said.state, "says": said.says.written(bench.reader)}


def _to_come(bench: Bench, now: Running, length: float) -> list[dict[str, str]]:
    """The passes still to come, with the stop to measure among them."""
    if now.asked is None or not now.left:
        return []
    try:
        plan = pass_plan(
            now.asked, length, gasket_kind=bench.build.facing.gasket_kind, rules=bench.rules, done=now.done
        )
    except QuantityError:
        return []
    rows = []
    for i, one in enumerate(plan.passes):
        if i == plan.stop_after and i:
            rows.append({"kind": "stop and measure", "depth": "", "total": "", "feed": ""})
        rows.append(
            {
                "kind": "roughing" if one.kind == "rough" else "finishing",
                "depth": bench.reader.length(one.depth),
                "total": bench.reader.length(one.total),
                "feed": f"{figure(one.feed, 0)} mm/min",
            }
        )
    return rows


def _ways(bench: Bench) -> list[dict[str, Any]]:
    """The best ways to the target from here, the other levers solved anew."""
    if bench.evaluation is None or _windowless(bench):
        return []

    def solved() -> list[dict[str, Any]]:
        planner = Planner(with_usual_levers(bench.build), bench.rules)
        plans = planner.plans()
        planner.let_go()
        found = []
        for plan in plans[:_MOST_WAYS]:
            words = plan_words(plan.planned, bench.reader) if plan.planned else ["nothing more: stop here"]
            as_kept = from_the_start(bench.build, plan.planned)
            found.append(
                {"words": words, "yield": percent(plan.chance), "same": as_kept == bench.build.planned}
            )
        return found

    return bench.kept.once(("ways", bench.rules.school, bench.reader), solved)


def _readings(bench: Bench, place: CutPlace) -> list[str]:
    """What was read of this face since its first pass."""
    begun = min((one.at for one in bench.build.cuts.of(place).passes if one.at), default="")
    if not begun or bench.build.logbook is None:
        return []
    bank = bank_of(bench, place.bank)
    holes = bank.cylinders if bank else ()
    figures = ("deck_clearance", "deck_height") if place.op == "deck_cut" else ("chamber_volume",)
    void = bench.build.logbook.void
    return [
        f"hole {one.place.number}: {one.figure.replace('_', ' ')} "
        f"{bench.reader.length(one.value) if place.op == 'deck_cut' else figure(one.value, 2) + ' cc'}"
        f" ({one.by}, {one.at[:16].replace('T', ' ')})"
        for one in bench.build.logbook.readings
        if one.at >= begun
        and one.figure in figures
        and one.id not in void
        and set(one.place.holes) & set(holes)
    ]
